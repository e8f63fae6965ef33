#: distance
from math import atan2, cos, radians, sin, sqrt


def distance_m(lat1, lng1, lat2, lng2):
    """Metres along the great circle between two positions in degrees."""
    p1, p2, dl = radians(lat1), radians(lat2), radians(lng2 - lng1)
    a = sin((p2 - p1) / 2) ** 2 + cos(p1) * cos(p2) * sin(dl / 2) ** 2
    return 2 * 6371008.8 * atan2(sqrt(a), sqrt(max(0.0, 1 - a)))
#: bearing
from math import atan2, cos, degrees, radians, sin


def bearing_deg(lat1, lng1, lat2, lng2):
    """The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle."""
    p1, p2, dl = radians(lat1), radians(lat2), radians(lng2 - lng1)
    y = sin(dl) * cos(p2)
    x = cos(p1) * sin(p2) - sin(p1) * cos(p2) * cos(dl)
    return degrees(atan2(y, x)) % 360
#: geodesic
from math import atan, atan2, cos, degrees, hypot, nan, radians, sin, tan


def geodesic(lat1, lng1, lat2, lng2):
    """(metres, initial bearing in degrees) on WGS 84 (Vincenty 1975); None where it does not converge."""
    a, f = 6378137.0, 1 / 298.257223563
    b = a * (1 - f)
    length = radians((lng2 - lng1 + 540) % 360 - 180)
    u1, u2 = atan((1 - f) * tan(radians(lat1))), atan((1 - f) * tan(radians(lat2)))
    s1, c1, s2, c2 = sin(u1), cos(u1), sin(u2), cos(u2)
    lam = length
    for _ in range(100):
        y, x = c2 * sin(lam), c1 * s2 - s1 * c2 * cos(lam)
        sin_s = hypot(x, y)
        if sin_s == 0:
            return 0.0, nan
        cos_s = s1 * s2 + c1 * c2 * cos(lam)
        sigma = atan2(sin_s, cos_s)
        sin_a = c1 * c2 * sin(lam) / sin_s
        cos_a2 = 1 - sin_a * sin_a
        cos_2m = cos_s - 2 * s1 * s2 / cos_a2 if cos_a2 else 0.0
        c = f / 16 * cos_a2 * (4 + f * (4 - 3 * cos_a2))
        before = lam
        lam = length + (1 - c) * f * sin_a * (sigma + c * sin_s * (cos_2m + c * cos_s * (2 * cos_2m**2 - 1)))
        if abs(lam - before) > 1e-12:
            continue
        uu = cos_a2 * (a * a - b * b) / (b * b)
        big_a = 1 + uu / 16384 * (4096 + uu * (uu * (320 - 175 * uu) - 768))
        big_b = uu / 1024 * (256 + uu * (uu * (74 - 47 * uu) - 128))
        m2 = cos_2m * cos_2m
        d = big_b * sin_s * (
            cos_2m
            + big_b / 4 * (cos_s * (2 * m2 - 1) - big_b / 6 * cos_2m * (4 * sin_s * sin_s - 3) * (4 * m2 - 3))
        )
        return b * big_a * (sigma - d), degrees(atan2(y, x)) % 360
    return None
