//: distance
import Foundation

/// Metres along the great circle between two positions in degrees.
func distanceM(_ lat1: Double, _ lng1: Double, _ lat2: Double, _ lng2: Double) -> Double {
    let rad = Double.pi / 180
    let s = sin((lat2 - lat1) * rad / 2), t = sin((lng2 - lng1) * rad / 2)
    let a = s * s + cos(lat1 * rad) * cos(lat2 * rad) * t * t
    return 2 * 6371008.8 * atan2(sqrt(a), sqrt(max(0, 1 - a)))
}
//: bearing
import Foundation

/// The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle.
func bearingDeg(_ lat1: Double, _ lng1: Double, _ lat2: Double, _ lng2: Double) -> Double {
    let rad = Double.pi / 180
    let y = sin((lng2 - lng1) * rad) * cos(lat2 * rad)
    let x = cos(lat1 * rad) * sin(lat2 * rad) - sin(lat1 * rad) * cos(lat2 * rad) * cos((lng2 - lng1) * rad)
    return (atan2(y, x) / rad + 360).truncatingRemainder(dividingBy: 360)
}
//: geodesic
import Foundation

/// Metres and the initial bearing in degrees on WGS 84 (Vincenty 1975); nil where it does not converge.
func geodesic(_ lat1: Double, _ lng1: Double, _ lat2: Double, _ lng2: Double) -> (Double, Double)? {
    let rad = Double.pi / 180, a = 6378137.0, f = 1 / 298.257223563
    let b = a * (1 - f)
    let length = remainder(lng2 - lng1, 360) * rad
    let u1 = atan((1 - f) * tan(lat1 * rad)), u2 = atan((1 - f) * tan(lat2 * rad))
    let s1 = sin(u1), c1 = cos(u1), s2 = sin(u2), c2 = cos(u2)
    var lambda = length
    for _ in 0..<100 {
        let y = c2 * sin(lambda), x = c1 * s2 - s1 * c2 * cos(lambda)
        let sinS = hypot(x, y)
        if sinS == 0 { return (0, Double.nan) }
        let cosS = s1 * s2 + c1 * c2 * cos(lambda)
        let sigma = atan2(sinS, cosS)
        let sinA = c1 * c2 * sin(lambda) / sinS
        let cosA2 = 1 - sinA * sinA
        let cos2m = cosA2 == 0 ? 0 : cosS - 2 * s1 * s2 / cosA2
        let c = f / 16 * cosA2 * (4 + f * (4 - 3 * cosA2))
        let before = lambda
        lambda = length + (1 - c) * f * sinA * (sigma + c * sinS * (cos2m + c * cosS * (2 * cos2m * cos2m - 1)))
        if abs(lambda - before) > 1e-12 { continue }
        let uu = cosA2 * (a * a - b * b) / (b * b)
        let bigA = 1 + uu / 16384 * (4096 + uu * (uu * (320 - 175 * uu) - 768))
        let bigB = uu / 1024 * (256 + uu * (uu * (74 - 47 * uu) - 128))
        let m2 = cos2m * cos2m
        let inner = cosS * (2 * m2 - 1) - bigB / 6 * cos2m * (4 * sinS * sinS - 3) * (4 * m2 - 3)
        let d = bigB * sinS * (cos2m + bigB / 4 * inner)
        return (b * bigA * (sigma - d), (atan2(y, x) / rad + 360).truncatingRemainder(dividingBy: 360))
    }
    return nil
}
