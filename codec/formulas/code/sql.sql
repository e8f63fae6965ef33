--: distance
-- Metres along the great circle between two positions in degrees.
CREATE FUNCTION distance_m(lat1 DOUBLE, lng1 DOUBLE, lat2 DOUBLE, lng2 DOUBLE) RETURNS DOUBLE DETERMINISTIC
RETURN 2 * 6371008.8 * ASIN(SQRT(LEAST(1,
  POW(SIN(RADIANS(lat2 - lat1) / 2), 2) +
  COS(RADIANS(lat1)) * COS(RADIANS(lat2)) * POW(SIN(RADIANS(lng2 - lng1) / 2), 2))));
--: bearing
-- The initial bearing in degrees clockwise from true north, 0 to 360, of the great circle.
CREATE FUNCTION bearing_deg(lat1 DOUBLE, lng1 DOUBLE, lat2 DOUBLE, lng2 DOUBLE) RETURNS DOUBLE DETERMINISTIC
RETURN MOD(DEGREES(ATAN2(
  SIN(RADIANS(lng2 - lng1)) * COS(RADIANS(lat2)),
  COS(RADIANS(lat1)) * SIN(RADIANS(lat2)) -
  SIN(RADIANS(lat1)) * COS(RADIANS(lat2)) * COS(RADIANS(lng2 - lng1)))) + 360, 360);
