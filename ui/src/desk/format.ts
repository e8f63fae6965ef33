// How numbers are written on the page.

import { useLocalStorage } from '@vueuse/core'
import type { LatLng } from '../chart/camera'

export function metres(m: number): string {
  if (m < 1000) return `${Math.round(m)} m`
  if (m < 10_000) return `${(m / 1000).toFixed(2)} km`
  if (m < 100_000) return `${(m / 1000).toFixed(1)} km`
  return `${Math.round(m / 1000)} km`
}

export function seconds(s: number): string {
  const minutes = Math.round(s / 60)
  if (minutes < 1) return 'under 1 min'
  if (minutes < 60) return `${minutes} min`
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
}

/** A bearing in whole degrees with the point of the compass; unknown is not north. */
export function bearing(degrees: number | null | undefined): string {
  if (degrees === null || degrees === undefined) return '—'
  const points = ['N', 'NE', 'E', 'SE', 'S', 'SW', 'W', 'NW']
  return `${String(Math.round(degrees) % 360).padStart(3, '0')}° ${points[Math.round(degrees / 45) % 8]}`
}

const WORDS = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west']
/** The point of the compass in words; '' for none. */
export const towards = (degrees: number | null | undefined): string =>
  degrees === null || degrees === undefined ? '' : WORDS[Math.round(degrees / 45) % 8]!

/** A position as it is kept: up to 7 decimals, about a centimetre. */
export function position(p: LatLng): string {
  return `${round7(p.lat)},${round7(p.lng)}`
}

/** A position to read: 5 decimals, about a metre. */
export function shortPosition(p: LatLng): string {
  return `${p.lat.toFixed(5)}, ${p.lng.toFixed(5)}`
}

/** Degrees, minutes and seconds to a tenth, about three metres, with the letter of the hemisphere. */
export function sexagesimal(p: LatLng): string {
  const one = (v: number, letters: string) => {
    const tenths = Math.round(Math.abs(v) * 36000)
    const s = ((tenths % 600) / 10).toFixed(1).padStart(4, '0')
    const minutes = String(Math.floor(tenths / 600) % 60).padStart(2, '0')
    return `${Math.floor(tenths / 36000)}°${minutes}′${s}″${letters[v < 0 ? 1 : 0]}`
  }
  return `${one(p.lat, 'NS')} ${one(p.lng, 'EW')}`
}

/** The ways to write a position, each as it is read and as it is copied. */
export const NOTATIONS: Record<string, { title: string; read(p: LatLng): string; copy(p: LatLng): string }> = {
  decimal: { title: 'lat, lng', read: shortPosition, copy: position },
  sexagesimal: { title: 'd m s', read: sexagesimal, copy: sexagesimal },
  geo: { title: 'geo:', read: (p) => `geo:${p.lat.toFixed(5)},${p.lng.toFixed(5)}`, copy: (p) => `geo:${position(p)}` },
  geojson: {
    title: '[lng, lat]',
    read: (p) => `[${p.lng.toFixed(5)}, ${p.lat.toFixed(5)}]`,
    copy: (p) => JSON.stringify({ type: 'Point', coordinates: [round7(p.lng), round7(p.lat)] }),
  },
}

/** The notation in which positions are read off and copied. */
export const chosenNotation = useLocalStorage('viandante.notation', 'decimal')

/** An area in square metres, hectares or square kilometres. */
export function squareMetres(m2: number): string {
  if (m2 < 10_000) return `${m2 < 100 ? m2.toFixed(1) : Math.round(m2)} m²`
  if (m2 < 1e6) return `${(m2 / 10_000).toFixed(2)} ha`
  return `${m2 < 1e9 ? (m2 / 1e6).toFixed(2) : Math.round(m2 / 1e6)} km²`
}

/** What a path or an area measures. */
export function measureText(s: {
  length_m: number | null
  area_m2: number | null
  perimeter_m: number | null
}): string {
  if (s.length_m !== null) return `${metres(s.length_m)} long`
  return (
    [s.area_m2 !== null && squareMetres(s.area_m2), s.perimeter_m !== null && `${metres(s.perimeter_m)} round`]
      .filter(Boolean)
      .join(' · ') || '—'
  )
}

/** A length in feet or miles. */
export function imperial(m: number): string {
  const feet = m / 0.3048
  if (feet < 2640) return `${Math.round(feet)} ft`
  const miles = m / 1609.344
  return `${miles < 10 ? Number(miles.toFixed(2)) : Math.round(miles)} mi`
}

export function round7(v: number): number {
  return Math.round(v * 1e7) / 1e7
}

/** Reads "lat,lng" from a link; null for what is none. */
export function readPosition(text: unknown): LatLng | null {
  const m = typeof text === 'string' && /^(-?\d{1,2}(?:\.\d+)?),(-?\d{1,3}(?:\.\d+)?)$/.exec(text)
  if (!m) return null
  const p = { lat: Number(m[1]), lng: Number(m[2]) }
  return Math.abs(p.lat) <= 90 && Math.abs(p.lng) <= 180 ? p : null
}

const UNITS: Record<string, number> = { m: 1, km: 1000, ft: 0.3048, mi: 1609.344, nmi: 1852 }

/** A length with its unit, in metres; null for anything else. */
export function readLength(text: string): number | null {
  const m = /^\s*(\d+(?:[.,]\d+)?)\s*(m|km|ft|mi|nmi)\s*$/i.exec(text)
  const v = m && Number(m[1]!.replace(',', '.')) * UNITS[m[2]!.toLowerCase()]!
  return v && Number.isFinite(v) ? v : null
}

/** Where a position is, by what lies there: in a building, so far from an address, on a street, in a wood, at sea. */
export function whereOf(p: { kind?: string; label?: string; inside?: boolean; distance_m?: number | null }): string {
  if (p.inside || p.kind === 'ground' || p.kind === 'sea') return p.label ?? ''
  return `${metres(p.distance_m ?? 0)} from ${p.label}`
}
