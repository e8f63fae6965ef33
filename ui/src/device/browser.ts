// The browser's own receiver and compass (W3C Geolocation; W3C Device Orientation and Motion).

import type { Pointing, Sink, Source, Wanted } from './source'

const TIMEOUT_MS = 20_000
const RAD = Math.PI / 180

/** What some browsers add to the event. */
interface Oriented extends DeviceOrientationEvent {
  webkitCompassHeading?: number
  webkitCompassAccuracy?: number
}

/**
 * The direction in which a device points that is turned by three angles (Device Orientation, intrinsic z-x'-y''): that
 * of its upper edge while it lies, that of its back while it is held upright. By the rotation matrix of the standard's
 * appendix A.
 */
export function headingOf(alpha: number, beta: number, gamma: number): number {
  const [a, b, c] = [alpha * RAD, beta * RAD, gamma * RAD]
  const top = [-Math.sin(a) * Math.cos(b), Math.cos(a) * Math.cos(b)] as const
  const back = [
    -Math.cos(a) * Math.sin(c) - Math.sin(a) * Math.sin(b) * Math.cos(c),
    -Math.sin(a) * Math.sin(c) + Math.cos(a) * Math.sin(b) * Math.cos(c),
  ] as const
  const [x, y] = Math.hypot(...top) >= Math.hypot(...back) ? top : back
  return (Math.atan2(x, y) / RAD + 360) % 360
}

export class BrowserSource implements Source {
  readonly simulated = false
  private watch: number | null = null
  private ending = new AbortController()

  now(): number {
    return Date.now()
  }

  start(sink: Sink, wanted: Wanted): void {
    this.stop()
    this.ending = new AbortController()
    const { signal } = this.ending
    if (!navigator.geolocation) return sink.trouble('unavailable')
    const options = { enableHighAccuracy: wanted.accurate, timeout: TIMEOUT_MS, maximumAge: 0 }
    const told = ({ coords: c, timestamp }: GeolocationPosition) => {
      if (signal.aborted) return
      if (wanted.once) this.stop()
      sink.fix({
        at: { lat: c.latitude, lng: c.longitude },
        accuracyM: c.accuracy,
        altitudeM: c.altitude,
        altitudeAccuracyM: c.altitudeAccuracy,
        headingDeg: Number.isNaN(c.heading) ? null : c.heading,
        speedMps: c.speed,
        timeMs: timestamp,
      })
    }
    const failed = (e: GeolocationPositionError) => {
      if (signal.aborted) return
      if (wanted.once) this.stop()
      sink.trouble(e.code === e.PERMISSION_DENIED ? 'refused' : e.code === e.TIMEOUT ? 'timeout' : 'unavailable')
    }
    if (wanted.once) return navigator.geolocation.getCurrentPosition(told, failed, options)
    this.watch = navigator.geolocation.watchPosition(told, failed, options)
    const turned = (e: Event) => sink.pointing(pointing(e as Oriented))
    for (const name of ['deviceorientationabsolute', 'deviceorientation']) addEventListener(name, turned, { signal })
  }

  stop(): void {
    this.ending.abort()
    if (this.watch !== null) navigator.geolocation.clearWatch(this.watch)
    this.watch = null
  }
}

function pointing(e: Oriented): Pointing {
  if (typeof e.webkitCompassHeading === 'number') {
    const accuracy = e.webkitCompassAccuracy ?? -1
    return { headingDeg: onScreen(e.webkitCompassHeading), accuracyDeg: accuracy < 0 ? 180 : accuracy, absolute: true }
  }
  const { alpha, beta, gamma } = e
  if (alpha === null) return { headingDeg: null, accuracyDeg: null, absolute: false }
  return { headingDeg: onScreen(headingOf(alpha, beta ?? 0, gamma ?? 0)), accuracyDeg: null, absolute: e.absolute }
}

/** What is up on the screen is not the device's upper edge while it is held sideways. */
function onScreen(heading: number): number {
  return (heading + (screen.orientation?.angle ?? 0)) % 360
}

/** Whether the compass has to be asked for, by a press of a button. */
type Asked = { requestPermission?: () => Promise<'granted' | 'denied'> }

/** Asks for the compass where the browser wants that; call it while a button is pressed. */
export async function askForCompass(): Promise<void> {
  const asked = (globalThis.DeviceOrientationEvent ?? {}) as Asked
  await asked.requestPermission?.().catch(() => 'denied')
}
