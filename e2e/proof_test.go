package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// paste puts a text into the field of one's own numbers, as a paste does.
func (u *user) paste(text string) {
	u.t.Helper()
	u.eval(fmt.Sprintf(`(() => {
		const field = document.querySelector('[data-test=printed]')
		field.value = %q
		field.dispatchEvent(new Event('input', { bubbles: true }))
		return 1
	})()`, text))
}

// Test points are made while somebody types, leave the page as a test, and are kept as places that undo takes back.
func TestTestPoints(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/proof")
	u.do(MapDrawn())
	u.sees("proof-page", "no standpoint yet")
	u.click("proof-stand")
	u.waitFor(`document.querySelectorAll('[data-test=test-points] li').length === 28`)
	u.eval(`document.querySelector('[data-test=proof-bearings]').select(), document.execCommand('delete'), 1`)
	u.typed("N, 33.5, NNE, south of it")
	u.sees("proof-unread", "south of it")
	u.waitFor(`document.querySelectorAll('[data-test=test-points] li').length === 24`)
	u.click("proof-edges")
	u.waitFor(`document.querySelectorAll('[data-test=test-points] li').length === 12`)
	path := u.eval(`document.querySelector('a[download="points.csv"]').getAttribute('href')`).(string)
	assert.Contains(t, string(p.bytes(path)), "id,name,from_lat")
	u.set("proof-format", "pytest", "change")
	u.waitFor(`!!document.querySelector('a[download="test_points.py"]')`)
	u.click("keep-points")
	u.sees("notice", "Saved 12 places")
	var kept struct{ NumberMatched int }
	require.Equal(t, 200, p.get("/ogc/collections/proof-points/items?limit=100", &kept))
	u.key("u")
	u.waitFor(`fetch('/ogc/collections/proof-points/items').then((r) => r.json()).then((a) => !a.features.length)`)
	assert.Empty(t, u.Complaints())
}

// Numbers that are right are said to be; a mistake is named with its mend; what cannot be read is said, line by line.
func TestMyNumbers(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/proof/numbers?from=-38.0512,-26.1034")
	u.do(MapDrawn())
	csv := string(p.bytes("/v1/proof/points?at=-38.0512,-26.1034&edges=true" +
		"&bearings=N,E,S,W&distances=100m,1km,10km,100km&format=csv"))
	u.waitFor(`!document.querySelector('[data-test=proof-example]').disabled`)
	u.paste(csv)
	u.sees("verdict", "All right.")
	u.sees("verdict", "28 of 28")
	// Counter-clockwise, in a table of other columns.
	var rows []string
	for i, line := range strings.Split(strings.TrimSpace(csv), "\n") {
		f := strings.Split(line, ",")
		if i == 0 || strings.Contains(line, `"`) || f[7] == "" {
			continue
		}
		var bearing float64
		_, err := fmt.Sscan(f[7], &bearing)
		require.NoError(t, err)
		rows = append(rows, fmt.Sprintf("%.2f;%s;%s", 360-bearing, f[6], f[0]))
	}
	u.paste(strings.Join(rows, "\n"))
	u.sees("findings", "Bearings run counter-clockwise")
	u.waitFor(`document.querySelector('[data-test=findings] li').dataset.code === 'counter_clockwise'`)
	u.waitFor(`document.querySelectorAll('[data-test=residuals-bearing] circle, [data-test=residuals-bearing] path')` +
		`.length > 15`)
	u.set("mend-language", "python", "change")
	u.sees("findings", "b = (360 - b) % 360")
	u.paste("p01 far 0\np02 99.998 90\nnobody 1 2\n")
	u.sees("refused", "2 lines cannot be compared")
	u.sees("refused", "belongs to no test point")
	u.click("proof-example")
	u.sees("findings", "Miles stand for kilometres")
	u.sees("findings", "The arguments of atan2 are swapped")
	for _, half := range []string{"p", "p01", "p01 1", `"`, "[", "{", "p01\t"} { // on the way to what is meant
		u.paste(half)
		u.waitFor(`!document.querySelector('[data-test=findings]')`)
	}
	many := strings.Repeat("-38.06,-26.1,1014.3,164\n", 100_000)
	u.paste(many)
	u.sees("verdict", "of 100000 lines")
	assert.Empty(t, u.Complaints())
}

// A formula is followed with the numbers in it, to the step where one's own departs.
func TestAFormulaIsFollowed(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 390, 844)
	u.enter(p, "/proof/formulas?from=-38.0512,-26.1034&spot=-38.1,-26.2")
	u.do(MapDrawn())
	u.sees("steps", "latitude of the first point")
	u.eval(`document.querySelector('[data-test=own-0]').focus(), 1`)
	u.typed("-38.0512") // in degrees, where radians are meant, is the same angle
	u.waitFor(`!document.querySelector('[data-test=departs]')`)
	u.eval(`document.querySelector('[data-test=own-6]').focus(), 1`)
	u.typed("0.5")
	u.sees("departs", "Yours departs at a")
	u.sees("proof-formulas-part", "up to 0.5 mm")
	u.sees("proof-formulas-part", "function geodesic")
	u.set("language", "cells", "change")
	u.sees("proof-formulas-part", "=MOD(ATAN2(")
	assert.Empty(t, u.Complaints())
}
