//: distance
import 'dart:math';

/// Metres along the great circle between two positions in degrees.
double distanceM(double lat1, double lng1, double lat2, double lng2) {
  const rad = pi / 180;
  final s = sin((lat2 - lat1) * rad / 2), t = sin((lng2 - lng1) * rad / 2);
  final a = s * s + cos(lat1 * rad) * cos(lat2 * rad) * t * t;
  return 2 * 6371008.8 * atan2(sqrt(a), sqrt(max(0.0, 1 - a)));
}
//: bearing
import 'dart:math';

/// The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle.
double bearingDeg(double lat1, double lng1, double lat2, double lng2) {
  const rad = pi / 180;
  final y = sin((lng2 - lng1) * rad) * cos(lat2 * rad);
  final x = cos(lat1 * rad) * sin(lat2 * rad) - sin(lat1 * rad) * cos(lat2 * rad) * cos((lng2 - lng1) * rad);
  return (atan2(y, x) / rad + 360) % 360;
}
//: geodesic
import 'dart:math';

/// [metres, initial bearing in degrees] on WGS 84 (Vincenty 1975); null where it does not converge.
List<double>? geodesic(double lat1, double lng1, double lat2, double lng2) {
  const rad = pi / 180, a = 6378137.0, f = 1 / 298.257223563;
  const b = a * (1 - f);
  final length = ((lng2 - lng1 + 540) % 360 - 180) * rad;
  final u1 = atan((1 - f) * tan(lat1 * rad)), u2 = atan((1 - f) * tan(lat2 * rad));
  final s1 = sin(u1), c1 = cos(u1), s2 = sin(u2), c2 = cos(u2);
  var lambda = length;
  for (var i = 0; i < 100; i++) {
    final y = c2 * sin(lambda), x = c1 * s2 - s1 * c2 * cos(lambda);
    final sinS = sqrt(x * x + y * y);
    if (sinS == 0) return [0, double.nan];
    final cosS = s1 * s2 + c1 * c2 * cos(lambda);
    final sigma = atan2(sinS, cosS);
    final sinA = c1 * c2 * sin(lambda) / sinS;
    final cosA2 = 1 - sinA * sinA;
    final cos2m = cosA2 == 0 ? 0.0 : cosS - 2 * s1 * s2 / cosA2;
    final c = f / 16 * cosA2 * (4 + f * (4 - 3 * cosA2));
    final before = lambda;
    lambda = length + (1 - c) * f * sinA * (sigma + c * sinS * (cos2m + c * cosS * (2 * cos2m * cos2m - 1)));
    if ((lambda - before).abs() > 1e-12) continue;
    final uu = cosA2 * (a * a - b * b) / (b * b);
    final bigA = 1 + uu / 16384 * (4096 + uu * (uu * (320 - 175 * uu) - 768));
    final bigB = uu / 1024 * (256 + uu * (uu * (74 - 47 * uu) - 128));
    final m2 = cos2m * cos2m;
    final inner = cosS * (2 * m2 - 1) - bigB / 6 * cos2m * (4 * sinS * sinS - 3) * (4 * m2 - 3);
    final d = bigB * sinS * (cos2m + bigB / 4 * inner);
    return [b * bigA * (sigma - d), (atan2(y, x) / rad + 360) % 360];
  }
  return null;
}
