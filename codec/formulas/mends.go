package formulas

import (
	"fmt"
	"strings"

	"viandante/core/proof"
)

// syntax is how a language writes what mends are made of.
type syntax struct {
	let, atan2, rad, deg, mod, cos, comment, iff string
}

var syntaxes = map[string]syntax{
	"javascript": {"const %s = %s", "Math.atan2(%s, %s)", "%s * Math.PI / 180", "%s * 180 / Math.PI", "(%s) %% %s",
		"Math.cos(%s)", "//", "%s ? %s : %s"},
	"typescript": {"const %s = %s", "Math.atan2(%s, %s)", "%s * Math.PI / 180", "%s * 180 / Math.PI", "(%s) %% %s",
		"Math.cos(%s)", "//", "%s ? %s : %s"},
	"swift": {"let %s = %s", "atan2(%s, %s)", "%s * .pi / 180", "%s * 180 / .pi",
		"(%s).truncatingRemainder(dividingBy: %s)", "cos(%s)", "//", "%s ? %s : %s"},
	"kotlin": {"val %s = %s", "atan2(%s, %s)", "%s * PI / 180", "%s * 180 / PI", "(%s) %% %s", "cos(%s)", "//",
		"if (%s) %s else %s"},
	"dart": {"final %s = %s;", "atan2(%s, %s)", "%s * pi / 180", "%s * 180 / pi", "(%s) %% %s", "cos(%s)", "//",
		"%s ? %s : %s"},
	"python": {"%s = %s", "atan2(%s, %s)", "radians(%s)", "degrees(%s)", "(%s) %% %s", "cos(%s)", "#",
		"%[2]s if %[1]s else %[3]s"},
	"go": {"%s := %s", "math.Atan2(%s, %s)", "%s * math.Pi / 180", "%s * 180 / math.Pi", "math.Mod(%s, %s)",
		"math.Cos(%s)", "//", ""},
	"sql": {"SELECT %[2]s AS %[1]s", "ATAN2(%s, %s)", "RADIANS(%s)", "DEGREES(%s)", "MOD(%s, %s)", "COS(%s)", "--",
		"IF(%s, %s, %s)"},
	"cells": {"%s: =%s", "ATAN2(%[2]s, %[1]s)", "RADIANS(%s)", "DEGREES(%s)", "MOD(%s, %s)", "COS(%s)", "",
		"IF(%s, %s, %s)"},
}

func (s syntax) set(name, value, comment string) string {
	line := fmt.Sprintf(s.let, name, value)
	if comment == "" {
		return line
	}
	if s.comment == "" {
		return line + "  (" + comment + ")"
	}
	return line + "  " + s.comment + " " + comment
}

// Mend returns the line that puts a mistake right in a language; "" for a language that is not known.
func Mend(f proof.Finding, language string) string {
	s, ok := syntaxes[language]
	if !ok {
		return ""
	}
	call := "bearingDeg(lat1, lng1, lat2, lng2)"
	switch language {
	case "python", "sql":
		call = "bearing_deg(lat1, lng1, lat2, lng2)"
	case "cells":
		call = "F2"
	}
	f1 := func(format, v string) string { return fmt.Sprintf(format, v) }
	f2 := func(format, a, b string) string { return fmt.Sprintf(format, a, b) }
	switch f.Code {
	case proof.Swapped:
		return s.set("d", strings.Replace(strings.Replace(call, "bearing", "distance", 1), "Deg", "M", 1),
			"latitude first, and GeoJSON's [lng, lat] the other way round")
	case proof.Radians:
		return s.set("phi1", f1(s.rad, "lat1"), "radians before sin and cos, for every latitude and longitude")
	case proof.WestLost:
		if s.iff == "" {
			return "if hemisphere == \"W\" {\n\tlng = -lng\n}"
		}
		equal := map[string]string{"javascript": "===", "typescript": "===", "sql": "=", "cells": "="}[language]
		if equal == "" {
			equal = "=="
		}
		return s.set("lng", fmt.Sprintf(s.iff, "hemisphere "+equal+` "W"`, "-value", "value"),
			"west and south are negative")
	case proof.Cut:
		return s.set("decimals", "7", "keep 7 decimals of a coordinate: 1 cm; 4 are 11 m")
	case proof.Sphere, proof.FlatCosine:
		return s.set("line", strings.NewReplacer("bearingDeg", "geodesic", "bearing_deg", "geodesic").Replace(call),
			"on WGS 84; a sphere is off by up to 0.56 %")
	case proof.Radius:
		return s.set("R", "6371008.8", "the mean radius in metres")
	case proof.Flat:
		return s.set("x", f1(s.rad, "(lng2 - lng1)")+" * "+f1(s.cos, f1(s.rad, "(lat1 + lat2) / 2")),
			"a degree of longitude shrinks with the latitude")
	case proof.Final, proof.Back:
		return s.set("b", call, "at the start, towards the end")
	case proof.Counter:
		return s.set("b", f2(s.mod, "360 - b", "360"), "clockwise from north")
	case proof.Atan2:
		return s.set("theta", f2(s.atan2, "y", "x"), "y is to the east, x to the north")
	case proof.HalfTurns:
		return s.set("b", f2(s.mod, "b + 360", "360"), "0 to 360")
	case proof.BearingRadians:
		return s.set("b", f1(s.deg, "theta"), "degrees")
	case proof.Miles:
		return s.set("km", "miles * 1.609344", "")
	case proof.Nautical:
		return s.set("km", "nauticalMiles * 1.852", "")
	case proof.Kilometres:
		return s.set("metres", "km * 1000", "")
	case proof.Feet:
		return s.set("metres", "feet * 0.3048", "")
	case proof.Thousandfold:
		return s.set("km", "metres / 1000", "")
	case proof.Crossed:
		return s.set("id", "point", "print each point's id, and compare by it, not by the row")
	}
	return ""
}

// Words returns what a finding is and what speaks for it.
func Words(f proof.Finding) (title, evidence string) {
	explained := fmt.Sprintf("%d of %d lines are what such a program prints, %d without it", f.Explained, f.Lines,
		f.Without)
	switch {
	case f.Alternative:
		explained = fmt.Sprintf("%d of %d lines are what such a program prints", f.Explained, f.Lines)
	case f.Explained == f.Lines:
		explained = fmt.Sprintf("All %d lines are what such a program prints, %d without it", f.Lines, f.Without)
	}
	km := fmt.Sprintf("%.4f", f.RadiusM/1000)
	km = strings.TrimRight(strings.TrimRight(km, "0"), ".") + " km"
	switch f.Code {
	case proof.Swapped:
		title = "Latitude and longitude are swapped"
	case proof.Radians:
		title = "Degrees are taken for radians"
	case proof.WestLost:
		title = "The sign of west is lost"
	case proof.Cut:
		title = fmt.Sprintf("Coordinates are cut to %d decimals", f.Decimals)
		if f.Decimals == 1 {
			title = "Coordinates are cut to 1 decimal"
		}
	case proof.Sphere:
		title, explained = "A sphere is taken for the ellipsoid", explained+"; the radius is "+km
	case proof.Radius:
		title, explained = "Another radius of the earth: "+km, explained+"; the mean radius is 6371.0088 km"
	case proof.Flat:
		title, explained = "The earth is taken for flat, without the cosine", explained+"; the radius is "+km
	case proof.FlatCosine:
		title = "The earth is taken for flat"
	case proof.Final:
		title = "The final bearing stands for the initial one"
	case proof.Back:
		title = "The bearing is that of the way back"
	case proof.Counter:
		title = "Bearings run counter-clockwise"
	case proof.Atan2:
		title = "The arguments of atan2 are swapped"
	case proof.HalfTurns:
		title = "Bearings run from −180 to 180 instead of 0 to 360"
	case proof.BearingRadians:
		title = "Bearings are in radians"
	case proof.Miles:
		title = "Miles stand for kilometres"
	case proof.Nautical:
		title = "Nautical miles stand for kilometres"
	case proof.Kilometres:
		title = "Kilometres stand for metres"
	case proof.Feet:
		title = "Feet stand for metres"
	case proof.Thousandfold:
		title = "Metres stand for kilometres"
	case proof.Crossed:
		title = fmt.Sprintf("Lines %d and %d carry one another's numbers", f.Rows[0], f.Rows[1])
	}
	return title, explained + fmt.Sprintf(": the median residual falls from %s to %s of what the last digit leaves "+
		"open.",
		times(f.Before), times(f.After))
}

func times(v float64) string {
	switch {
	case v >= 1e6:
		return fmt.Sprintf("%.2g", v)
	case v >= 10:
		return fmt.Sprintf("%.0f", v)
	}
	return fmt.Sprintf("%.2f", v)
}
