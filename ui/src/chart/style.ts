// The types of the style file, how its stops are read, and how one ground style by day or night comes out of it.

export type Stops = [number, number][]
export type Palette = Record<string, string>

export interface AreaStyle {
  fill: string
  mark?: string
  pattern?: 'hatch' | 'rows' | 'tufts' | 'heath' | 'orchard' | 'trees' | 'stipple'
  /** The first zoom at which the pattern is drawn. */
  from?: number
  edge?: string
  waterlines?: boolean
}

export interface LineStyle {
  colour: string
  edge?: string
  index?: string
  /** How much wider than the surface the edges are together, in pixels; 1.5 without it. */
  casing?: number
  /** The width of the thread along its middle. */
  thread?: Stops
  /** The colour where it is too narrow for edges; the edge's without it. */
  thin?: string
  width: Stops
  dash?: number[]
  cap?: CanvasLineCap
  tick?: Stops
}

export interface LabelStyle {
  ink: string
  font: string
  size: Stops
  spacing?: number
  along?: boolean
  from?: number
  repeat?: number
  'by-rank'?: boolean
  mark?: string
}

/** What sets a way of drawing the ground apart from the others. */
export interface Manner {
  title: string
  /** How strongly contours are drawn, 0 to 1. */
  contours: number
  patterns: boolean
  /** How strongly slopes are shaded, 0 to 1; without it no heights are asked for. */
  shade?: number
  /** How opaque the covers of the land are over tints. */
  cover?: number
  /** Colours by metres above the sea, for day and night. */
  tints?: Record<string, [number, string][]>
  /** By how much colours are drawn towards the land's, 0 to 1. */
  mute?: number
  /** Pixels of halo round letters. */
  halo?: number
  /** By how much roads are widened. */
  roads?: number
  palettes?: Record<string, Palette>
}

export interface GroundStyle {
  palettes: Record<string, Palette>
  styles: Record<string, Manner>
  lettering: Record<string, number>
  shore: { line: number; waterlines: [number, number][] }
  areas: Record<string, AreaStyle>
  lines: Record<string, LineStyle>
  labels: Record<string, LabelStyle>
}

export type Time = 'day' | 'night'

/** The value of stops at a zoom. */
export function at(stops: Stops, zoom: number): number {
  let before = stops[0]!
  if (zoom <= before[0]) return before[1]
  for (const stop of stops) {
    if (zoom < stop[0]) return before[1] + ((zoom - before[0]) / (stop[0] - before[0])) * (stop[1] - before[1])
    before = stop
  }
  return before[1]
}

export function channels(colour: string): [number, number, number] {
  const n = parseInt(colour.slice(1), 16)
  return [n >> 16, (n >> 8) & 255, n & 255]
}

function mixed(a: string, b: string, share: number): string {
  const [p, q] = [channels(a), channels(b)]
  return (
    '#' +
    p
      .map((v, i) =>
        Math.round(v + (q[i]! - v) * share)
          .toString(16)
          .padStart(2, '0'),
      )
      .join('')
  )
}

/** The colours of what lies over the ground: a muted ground is muted for its sake. */
export const inksOf = (style: GroundStyle, name: string, time: Time): Palette =>
  paletteOf(style, style.styles[name]?.mute ? 'plain' : name, time)

const resolved = new Map<string, Palette>()

/** The colours of a ground style by day or night. */
export function paletteOf(style: GroundStyle, name: string, time: Time): Palette {
  const key = `${name} ${time}`
  let palette = resolved.get(key)
  if (!palette) {
    const manner = style.styles[name] ?? style.styles.plain!
    palette = { ...style.palettes[time]!, ...manner.palettes?.[time] }
    if (manner.mute) {
      const land = palette.land!
      for (const [k, v] of Object.entries(palette))
        palette[k] =
          k === 'halo' ? land : k.startsWith('ink-') ? v : mixed(v, land, k === 'ink' ? manner.mute * 0.5 : manner.mute)
      palette.sea = mixed(style.palettes[time]!.sea!, land, manner.mute * 0.35)
    }
    resolved.set(key, palette)
  }
  return palette
}
