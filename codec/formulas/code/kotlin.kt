//: distance
import kotlin.math.*

/** Metres along the great circle between two positions in degrees. */
fun distanceM(lat1: Double, lng1: Double, lat2: Double, lng2: Double): Double {
    val rad = PI / 180
    val s = sin((lat2 - lat1) * rad / 2)
    val t = sin((lng2 - lng1) * rad / 2)
    val a = s * s + cos(lat1 * rad) * cos(lat2 * rad) * t * t
    return 2 * 6371008.8 * atan2(sqrt(a), sqrt(max(0.0, 1 - a)))
}
//: bearing
import kotlin.math.*

/** The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle. */
fun bearingDeg(lat1: Double, lng1: Double, lat2: Double, lng2: Double): Double {
    val rad = PI / 180
    val y = sin((lng2 - lng1) * rad) * cos(lat2 * rad)
    val x = cos(lat1 * rad) * sin(lat2 * rad) - sin(lat1 * rad) * cos(lat2 * rad) * cos((lng2 - lng1) * rad)
    return (atan2(y, x) / rad + 360) % 360
}
//: geodesic
import kotlin.math.*

/** Metres and the initial bearing in degrees on WGS 84 (Vincenty 1975); null where it does not converge. */
fun geodesic(lat1: Double, lng1: Double, lat2: Double, lng2: Double): Pair<Double, Double>? {
    val rad = PI / 180
    val a = 6378137.0
    val f = 1 / 298.257223563
    val b = a * (1 - f)
    val length = (lng2 - lng1).IEEErem(360.0) * rad
    val u1 = atan((1 - f) * tan(lat1 * rad))
    val u2 = atan((1 - f) * tan(lat2 * rad))
    val s1 = sin(u1)
    val c1 = cos(u1)
    val s2 = sin(u2)
    val c2 = cos(u2)
    var lambda = length
    repeat(100) {
        val y = c2 * sin(lambda)
        val x = c1 * s2 - s1 * c2 * cos(lambda)
        val sinS = hypot(x, y)
        if (sinS == 0.0) return Pair(0.0, Double.NaN)
        val cosS = s1 * s2 + c1 * c2 * cos(lambda)
        val sigma = atan2(sinS, cosS)
        val sinA = c1 * c2 * sin(lambda) / sinS
        val cosA2 = 1 - sinA * sinA
        val cos2m = if (cosA2 == 0.0) 0.0 else cosS - 2 * s1 * s2 / cosA2
        val c = f / 16 * cosA2 * (4 + f * (4 - 3 * cosA2))
        val before = lambda
        lambda = length + (1 - c) * f * sinA * (sigma + c * sinS * (cos2m + c * cosS * (2 * cos2m * cos2m - 1)))
        if (abs(lambda - before) <= 1e-12) {
            val uu = cosA2 * (a * a - b * b) / (b * b)
            val bigA = 1 + uu / 16384 * (4096 + uu * (uu * (320 - 175 * uu) - 768))
            val bigB = uu / 1024 * (256 + uu * (uu * (74 - 47 * uu) - 128))
            val m2 = cos2m * cos2m
            val inner = cosS * (2 * m2 - 1) - bigB / 6 * cos2m * (4 * sinS * sinS - 3) * (4 * m2 - 3)
            val d = bigB * sinS * (cos2m + bigB / 4 * inner)
            return Pair(b * bigA * (sigma - d), (atan2(y, x) / rad + 360) % 360)
        }
    }
    return null
}
