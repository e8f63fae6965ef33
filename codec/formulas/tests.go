package formulas

import (
	"bytes"
	_ "embed"
	"fmt"
	"math"
	"strconv"
	"strings"
	"text/template"

	"viandante/core/proof"
)

// Framework is one that test points are written for.
type Framework struct{ ID, Title, File string }

// Frameworks are all of them.
var Frameworks = []Framework{
	{"jest", "JavaScript: test.each", "points.test.js"}, {"pytest", "Python: pytest", "test_points.py"},
	{"go", "Go: testing", "points_test.go"}, {"junit", "Kotlin: JUnit 5", "PointsTest.kt"},
	{"xctest", "Swift: XCTest", "PointsTests.swift"}, {"dart", "Dart: test", "points_test.dart"},
}

//go:embed tests.txt
var testTemplates string

var tableTests = template.Must(template.New("tests").Funcs(template.FuncMap{
	"lat":    func(v float64) string { return strconv.FormatFloat(v, 'f', 7, 64) },
	"metres": func(v float64) string { return strconv.FormatFloat(v, 'f', 4, 64) },
	"degrees": func(v float64, undefined string) string {
		if math.IsNaN(v) {
			return undefined
		}
		return strconv.FormatFloat(v, 'f', 9, 64)
	},
	"quote": strconv.Quote,
}).Parse(testTemplates))

// Tests writes test points as a table test; false for a framework that is not known.
func Tests(framework string, points []proof.Point) (string, bool) {
	t := tableTests.Lookup(framework)
	if t == nil || framework == "tests" {
		return "", false
	}
	var b bytes.Buffer
	if err := t.Execute(&b, points); err != nil {
		panic(fmt.Sprintf("the template %s: %v", framework, err)) // it is part of the program
	}
	return strings.TrimLeft(b.String(), "\n"), true
}
