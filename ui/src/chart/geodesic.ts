// Distances and positions on WGS 84 for what is drawn and dragged on the map; every figure that is shown comes from the
// server. Vincenty 1975, "Direct and inverse solutions of geodesics on the ellipsoid": within a millimetre, but without
// an answer for nearly antipodal points, where the sphere's is taken.

import type { LatLng } from './camera'
import { wrapLng } from './camera'

const A = 6378137
const F = 1 / 298.257223563
const B = A * (1 - F)
const RAD = Math.PI / 180
const MEAN = 6371008.7714

export function distanceM(p: LatLng, q: LatLng): number {
  const l = wrapLng(q.lng - p.lng) * RAD
  const u1 = Math.atan((1 - F) * Math.tan(p.lat * RAD))
  const u2 = Math.atan((1 - F) * Math.tan(q.lat * RAD))
  const [s1, c1, s2, c2] = [Math.sin(u1), Math.cos(u1), Math.sin(u2), Math.cos(u2)]
  let lambda = l
  for (let i = 0; i < 60; i++) {
    const sl = Math.sin(lambda)
    const cl = Math.cos(lambda)
    const ss = Math.hypot(c2 * sl, c1 * s2 - s1 * c2 * cl)
    if (ss === 0) return 0
    const cs = s1 * s2 + c1 * c2 * cl
    const sigma = Math.atan2(ss, cs)
    const sa = (c1 * c2 * sl) / ss
    const ca2 = 1 - sa * sa
    const c2m = ca2 ? cs - (2 * s1 * s2) / ca2 : 0
    const c = (F / 16) * ca2 * (4 + F * (4 - 3 * ca2))
    const before = lambda
    lambda = l + (1 - c) * F * sa * (sigma + c * ss * (c2m + c * cs * (2 * c2m * c2m - 1)))
    if (Math.abs(lambda - before) < 1e-12) {
      const k2 = (ca2 * (A * A - B * B)) / (B * B)
      const a = 1 + (k2 / 16384) * (4096 + k2 * (-768 + k2 * (320 - 175 * k2)))
      const b = (k2 / 1024) * (256 + k2 * (-128 + k2 * (74 - 47 * k2)))
      const d =
        b * ss * (c2m + (b / 4) * (cs * (2 * c2m * c2m - 1) - (b / 6) * c2m * (4 * ss * ss - 3) * (4 * c2m * c2m - 3)))
      return B * a * (sigma - d)
    }
  }
  const h =
    Math.sin(((q.lat - p.lat) * RAD) / 2) ** 2 + Math.cos(p.lat * RAD) * Math.cos(q.lat * RAD) * Math.sin(l / 2) ** 2
  return 2 * MEAN * Math.asin(Math.sqrt(h))
}

/** The initial bearing in degrees, by the sphere: good to a few tenths of a degree, for words only. */
export function roughBearing(p: LatLng, q: LatLng): number {
  const l = wrapLng(q.lng - p.lng) * RAD
  const y = Math.sin(l) * Math.cos(q.lat * RAD)
  const x = Math.cos(p.lat * RAD) * Math.sin(q.lat * RAD) - Math.sin(p.lat * RAD) * Math.cos(q.lat * RAD) * Math.cos(l)
  return (Math.atan2(y, x) / RAD + 360) % 360
}

export function destination(p: LatLng, bearingDeg: number, m: number): LatLng {
  const a1 = bearingDeg * RAD
  const u1 = Math.atan((1 - F) * Math.tan(p.lat * RAD))
  const [s1, c1, sa1, ca1] = [Math.sin(u1), Math.cos(u1), Math.sin(a1), Math.cos(a1)]
  const sigma1 = Math.atan2(Math.tan(u1), ca1)
  const sa = c1 * sa1
  const ca2 = 1 - sa * sa
  const k2 = (ca2 * (A * A - B * B)) / (B * B)
  const a = 1 + (k2 / 16384) * (4096 + k2 * (-768 + k2 * (320 - 175 * k2)))
  const b = (k2 / 1024) * (256 + k2 * (-128 + k2 * (74 - 47 * k2)))
  let sigma = m / (B * a)
  let [ss, cs, c2m] = [0, 1, 0]
  for (let i = 0; i < 60; i++) {
    ss = Math.sin(sigma)
    cs = Math.cos(sigma)
    c2m = Math.cos(2 * sigma1 + sigma)
    const d =
      b * ss * (c2m + (b / 4) * (cs * (2 * c2m * c2m - 1) - (b / 6) * c2m * (4 * ss * ss - 3) * (4 * c2m * c2m - 3)))
    const before = sigma
    sigma = m / (B * a) + d
    if (Math.abs(sigma - before) < 1e-12) break
  }
  const x = s1 * ss - c1 * cs * ca1
  const lat = Math.atan2(s1 * cs + c1 * ss * ca1, (1 - F) * Math.hypot(sa, x)) / RAD
  const lambda = Math.atan2(ss * sa1, c1 * cs - s1 * ss * ca1)
  const c = (F / 16) * ca2 * (4 + F * (4 - 3 * ca2))
  const l = lambda - (1 - c) * F * sa * (sigma + c * ss * (c2m + c * cs * (2 * c2m * c2m - 1)))
  return { lat, lng: wrapLng(p.lng + l / RAD) }
}
