//: distance
/** Metres along the great circle between two positions in degrees. */
function distanceM(lat1, lng1, lat2, lng2) {
  const rad = Math.PI / 180
  const a =
    Math.sin(((lat2 - lat1) * rad) / 2) ** 2 +
    Math.cos(lat1 * rad) * Math.cos(lat2 * rad) * Math.sin(((lng2 - lng1) * rad) / 2) ** 2
  return 2 * 6371008.8 * Math.atan2(Math.sqrt(a), Math.sqrt(Math.max(0, 1 - a)))
}
//: bearing
/** The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle. */
function bearingDeg(lat1, lng1, lat2, lng2) {
  const rad = Math.PI / 180
  const y = Math.sin((lng2 - lng1) * rad) * Math.cos(lat2 * rad)
  const x =
    Math.cos(lat1 * rad) * Math.sin(lat2 * rad) -
    Math.sin(lat1 * rad) * Math.cos(lat2 * rad) * Math.cos((lng2 - lng1) * rad)
  return (Math.atan2(y, x) / rad + 360) % 360
}
//: geodesic
/** [metres, initial bearing in degrees] on WGS 84 (Vincenty 1975); null where it does not converge. */
function geodesic(lat1, lng1, lat2, lng2) {
  const rad = Math.PI / 180
  const a = 6378137
  const f = 1 / 298.257223563
  const b = a * (1 - f)
  const L = (((lng2 - lng1 + 540) % 360) - 180) * rad
  const u1 = Math.atan((1 - f) * Math.tan(lat1 * rad))
  const u2 = Math.atan((1 - f) * Math.tan(lat2 * rad))
  const [s1, c1, s2, c2] = [Math.sin(u1), Math.cos(u1), Math.sin(u2), Math.cos(u2)]
  let lambda = L
  for (let i = 0; i < 100; i++) {
    const y = c2 * Math.sin(lambda)
    const x = c1 * s2 - s1 * c2 * Math.cos(lambda)
    const sinS = Math.hypot(x, y)
    if (sinS === 0) return [0, NaN]
    const cosS = s1 * s2 + c1 * c2 * Math.cos(lambda)
    const sigma = Math.atan2(sinS, cosS)
    const sinA = (c1 * c2 * Math.sin(lambda)) / sinS
    const cosA2 = 1 - sinA * sinA
    const cos2m = cosA2 === 0 ? 0 : cosS - (2 * s1 * s2) / cosA2
    const C = (f / 16) * cosA2 * (4 + f * (4 - 3 * cosA2))
    const before = lambda
    lambda = L + (1 - C) * f * sinA * (sigma + C * sinS * (cos2m + C * cosS * (2 * cos2m * cos2m - 1)))
    if (Math.abs(lambda - before) > 1e-12) continue
    const uu = (cosA2 * (a * a - b * b)) / (b * b)
    const A = 1 + (uu / 16384) * (4096 + uu * (uu * (320 - 175 * uu) - 768))
    const B = (uu / 1024) * (256 + uu * (uu * (74 - 47 * uu) - 128))
    const m2 = cos2m * cos2m
    const d =
      B * sinS * (cos2m + (B / 4) * (cosS * (2 * m2 - 1) - (B / 6) * cos2m * (4 * sinS * sinS - 3) * (4 * m2 - 3)))
    return [b * A * (sigma - d), (Math.atan2(y, x) / rad + 360) % 360]
  }
  return null
}
