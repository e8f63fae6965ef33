// Package formulas holds tested formulas for distance and bearing in eight languages and as spreadsheet cells, to be
// copied into a program, and writes test points as table tests for the usual frameworks.
package formulas

import (
	"embed"
	"strings"
)

// Language is one that formulas are written in.
type Language struct {
	ID, Title string
	file      string
	marker    string
}

// Languages are all of them, in the order in which they are offered; the last are cells A2 to D2 of a spreadsheet.
var Languages = []Language{
	{"javascript", "JavaScript", "javascript.js", "//: "}, {"typescript", "TypeScript", "typescript.ts", "//: "},
	{"swift", "Swift", "swift.swift", "//: "}, {"kotlin", "Kotlin", "kotlin.kt", "//: "},
	{"dart", "Dart", "dart.dart", "//: "}, {"python", "Python", "python.py", "#: "}, {"go", "Go", "go.txt", "//: "},
	{"sql", "SQL", "sql.sql", "--: "}, {"cells", "Spreadsheet", "cells.txt", ":: "},
}

// Formula is one of the formulas.
type Formula struct {
	ID, Title, Method string
	// Error is how far it may be off against WGS 84, as it was measured (TestFormulas).
	Error string
}

// Formulas are all of them.
var Formulas = []Formula{
	{"distance", "Distance on a sphere", "haversine formula (Sinnott 1984), mean radius 6371.0088 km",
		"up to 0.56 % of the distance"},
	{"bearing", "Initial bearing on a sphere", "spherical trigonometry, atan2 of east and north",
		"up to 0.2° on lines of up to 10,000 km; some degrees towards the far side of the earth"},
	{"geodesic", "Distance and bearing on the ellipsoid", "inverse problem on WGS 84 (Vincenty 1975)",
		"up to 0.5 mm; it says so where it does not converge, within a degree of the far side of the earth"},
}

//go:embed code
var code embed.FS

// Code returns a formula in a language, false where it is not written in it.
func Code(formula, language string) (string, bool) {
	for _, l := range Languages {
		if l.ID != language {
			continue
		}
		text, err := code.ReadFile("code/" + l.file)
		if err != nil {
			return "", false
		}
		for part := range strings.SplitSeq("\n"+string(text), "\n"+l.marker) {
			if name, body, ok := strings.Cut(part, "\n"); ok && name == formula {
				return strings.TrimSpace(body) + "\n", true
			}
		}
	}
	return "", false
}
