package pasted

import (
	"math"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/proof"
)

// lines makes lines of the rows by the columns' roles.
func (m *matcher) lines(t *Table) {
	at := map[Role]int{}
	for i, r := range t.Columns {
		if _, there := at[r]; !there {
			at[r] = i
		}
	}
	titleUnit := 0.0
	if i, ok := at[Distance]; ok && i < len(m.grid.titles) {
		titleUnit = titleUnitOf(m.grid.titles[i])
	}
	inOrder := len(m.paste.Points) > 0 && len(m.paste.Points) == len(m.grid.rows)
	for n, row := range m.grid.rows {
		l := proof.Line{Number: m.grid.lines[n], From: m.paste.From, DistanceM: math.NaN(), BearingDeg: math.NaN()}
		problem := func(role Role, value, reason, hint string) {
			t.Refused++
			if len(t.Problems) < mostProblems {
				title := string(role)
				if i, ok := at[role]; ok && t.Titles[i] != "" && m.grid.titles != nil {
					title = t.Titles[i]
				}
				t.Problems = append(t.Problems, Problem{l.Number, title, value, reason, hint})
			}
		}
		get := func(role Role) (cell, bool) {
			i, ok := at[role]
			if !ok || i >= len(row) || row[i].text == "" {
				return cell{number: math.NaN()}, false
			}
			return row[i], true
		}
		if c, ok := get(ID); ok {
			l.ID = c.text
			if i, known := m.byID[strings.ToLower(c.text)]; known {
				p := &m.paste.Points[i]
				l.ID, l.From, l.To = p.ID, p.From, p.To
			}
		}
		bad := false
		for _, end := range []struct {
			lat, lng Role
			into     *geo.Point
		}{{FromLat, FromLng, &l.From}, {ToLat, ToLng, &l.To}} {
			lat, okLat := get(end.lat)
			lng, okLng := get(end.lng)
			if !okLat || !okLng || end.into.IsValid() && end.into == &l.To {
				continue
			}
			p, err := geo.NewPoint(lat.number, lng.number)
			if err != nil {
				e, _ := err.(*geo.ParseError)
				problem(end.lat, lat.text+", "+lng.text, e.Reason, e.Hint)
				bad = true
				break
			}
			*end.into = p
		}
		if bad {
			continue
		}
		if !l.To.IsValid() && inOrder {
			p := &m.paste.Points[n]
			l.ID, l.From, l.To = p.ID, p.From, p.To
		}
		if !l.From.IsValid() || !l.To.IsValid() {
			problem(ID, l.ID, "belongs to no test point", "begin the line with the point's id, or give its coordinates")
			continue
		}
		if c, ok := get(Distance); ok {
			factor := metresOf(c.unit)
			if factor == 0 {
				factor = titleUnit
			}
			if factor == 0 {
				factor = max(m.paste.UnitM, 0)
			}
			if factor == 0 {
				factor = 1
			}
			if math.IsNaN(c.number) && !undefined(c.text) {
				problem(Distance, c.text, "is not a number", "a distance, e.g. 1234.5")
				continue
			}
			l.DistanceM, l.DistanceStepM = c.number*factor, c.step*factor
		}
		if c, ok := get(Bearing); ok {
			if math.IsNaN(c.number) && !undefined(c.text) {
				problem(Bearing, c.text, "is not a number", "degrees, e.g. 45.25")
				continue
			}
			if l.BearingDeg, l.BearingStepDeg = c.number, c.step; c.unit == "rad" {
				l.BearingDeg, l.BearingStepDeg = c.number*180/math.Pi, c.step*180/math.Pi
			}
		}
		if math.IsNaN(l.DistanceM) && math.IsNaN(l.BearingDeg) {
			problem(Distance, "", "has neither a distance nor a bearing", "")
			continue
		}
		t.Lines = append(t.Lines, l)
	}
}

// undefined tells that a text stands for no value, as programs print it.
func undefined(text string) bool {
	return slices.Contains([]string{"nan", "null", "none", "nil", "-", "—", "undefined", "n/a"}, strings.ToLower(text))
}

// titleUnitOf reads the unit of a title: "distance (km)", "dist_km", "distanceKm".
func titleUnitOf(title string) float64 {
	fields := strings.FieldsFunc(title, func(r rune) bool { return strings.ContainsRune(" _()[],.-/", r) })
	if len(fields) == 0 {
		return 0
	}
	last := fields[len(fields)-1]
	if f := metresOf(strings.ToLower(last)); f != 0 {
		return f
	}
	for _, unit := range []string{"Km", "Metres", "Meters", "Miles"} {
		if strings.HasSuffix(last, unit) {
			return metresOf(strings.ToLower(unit))
		}
	}
	return 0
}
