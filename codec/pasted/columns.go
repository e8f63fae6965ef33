package pasted

import (
	"math"
	"regexp"
	"slices"
	"strings"

	"viandante/core/geodesy"
	"viandante/core/proof"
)

// matcher finds out what columns hold.
type matcher struct {
	paste Paste
	grid  *grid
	byID  map[string]int
}

var titlePatterns = []struct {
	role    Role
	pattern *regexp.Regexp
}{
	{FromLat, regexp.MustCompile(`^(from|start|origin|a)?[ _.]*(lat|latitude|phi|φ)[ _]*(1|a|from)$|` +
		`^(from|start|origin)[ _.]*lat`)},
	{FromLng, regexp.MustCompile(`^(from|start|origin|a)?[ _.]*(lng|lon|long|longitude|lambda|λ)[ _]*(1|a|from)$|` +
		`^(from|start|origin)[ _.]*(lng|lon)`)},
	{ToLat, regexp.MustCompile(`^(to|end|target|dest\w*|b)?[ _.]*(lat|latitude|phi|φ)[ _]*(2|b|to)?$|` +
		`(^|_)lat(itude)?$`)},
	{ToLng, regexp.MustCompile(`^(to|end|target|dest\w*|b)?[ _.]*(lng|lon|long|longitude|lambda|λ)[ _]*(2|b|to)?$|` +
		`(^|_)(lng|lon|longitude)$`)},
	{Distance, regexp.MustCompile(`dist|^d$|length|^s12$|metres|meters`)},
	{Bearing, regexp.MustCompile(`bear|brg|azim|^azi|head|course|direction|^b$|angle`)},
	{ID, regexp.MustCompile(`^(id|name|point|key|case|label|no|nr|#)$`)},
}

// guess gives each column a role: by its title, by what the test points say, or by what fits.
func (m *matcher) guess(columns []Role) {
	given := func(r Role) bool { return slices.Contains(columns, r) }
	for i, title := range m.grid.titles {
		name := strings.ToLower(strings.TrimSpace(title))
		if at := strings.IndexAny(name, "(["); at > 0 {
			name = strings.TrimSpace(name[:at])
		}
		for _, p := range titlePatterns {
			if p.pattern.MatchString(name) && !given(p.role) && !strings.Contains(name, "final") {
				columns[i] = p.role
				break
			}
		}
	}
	for i := range columns { // a column of ids or names of test points
		if columns[i] == Ignored && !given(ID) && m.share(i, func(c cell) bool {
			_, ok := m.byID[strings.ToLower(c.text)]
			return ok
		}) > 0.6 {
			columns[i] = ID
		}
	}
	var numeric []int
	for i := range columns {
		if columns[i] == Ignored && m.share(i, func(c cell) bool { return !math.IsNaN(c.number) }) > 0.6 {
			numeric = append(numeric, i)
		}
	}
	for _, i := range numeric { // a unit says what it is
		unit := ""
		for _, row := range m.grid.rows {
			if i < len(row) && row[i].unit != "" {
				unit = row[i].unit
				break
			}
		}
		switch {
		case metresOf(unit) != 0 && !given(Distance):
			columns[i] = Distance
		case unit != "" && metresOf(unit) == 0 && !given(Bearing):
			columns[i] = Bearing
		}
	}
	numeric = slices.DeleteFunc(numeric, func(i int) bool { return columns[i] != Ignored })
	m.fit(columns, numeric)
}

// share is which part of the rows have a cell of a kind in a column.
func (m *matcher) share(column int, is func(c cell) bool) float64 {
	n, all := 0, 0
	for i, row := range m.grid.rows {
		if i == 200 {
			break
		}
		all++
		if column < len(row) && is(row[column]) {
			n++
		}
	}
	return float64(n) / float64(max(all, 1))
}

// fit finds the roles of numbers without a title by which of them belong together: coordinates stand side by side,
// latitude first; a distance grows as the reference does.
func (m *matcher) fit(columns []Role, numeric []int) {
	given := func(r Role) bool { return slices.Contains(columns, r) }
	type choice struct {
		roles []Role
		score float64
	}
	best := choice{score: math.Inf(-1)}
	try := func(roles []Role) {
		for _, order := range [][2]Role{{Distance, Bearing}, {Bearing, Distance}, {Distance, Ignored}, {Bearing,
			Ignored}} {
			own := slices.Clone(roles)
			want := make([]Role, 0, 2)
			for _, r := range order {
				if r != Ignored && !given(r) {
					want = append(want, r)
				}
			}
			for _, i := range numeric {
				if own[i] == Ignored && len(want) > 0 {
					own[i], want = want[0], want[1:]
				}
			}
			score := m.score(own) - 3*float64(len(want))
			if order[1] == Ignored {
				score -= 0.5
			}
			if score > best.score+1e-9 {
				best = choice{own, score}
			}
		}
	}
	try(columns)
	pairs := func(roles []Role, lat, lng Role, next func([]Role)) {
		if slices.Contains(roles, lat) || slices.Contains(roles, lng) {
			next(roles)
			return
		}
		for k := 0; k+1 < len(numeric); k++ {
			i, j := numeric[k], numeric[k+1]
			if j != i+1 || roles[i] != Ignored || roles[j] != Ignored {
				continue
			}
			own := slices.Clone(roles)
			own[i], own[j] = lat, lng
			next(own)
		}
	}
	pairs(columns, ToLat, ToLng, func(roles []Role) {
		try(roles)
		pairs(roles, FromLat, FromLng, try)
	})
	if best.roles != nil {
		copy(columns, best.roles)
	}
}

// score tells how well roles fit, on some of the rows: lines that can be compared, distances that grow with the
// reference, bearings within a turn.
func (m *matcher) score(columns []Role) float64 {
	t := &Table{Titles: make([]string, len(columns)), Columns: columns}
	some := *m.grid
	if len(some.rows) > 60 {
		some.rows, some.lines = some.rows[:60], some.lines[:60]
	}
	(&matcher{m.paste, &some, m.byID}).lines(t)
	if len(t.Lines) == 0 {
		return -10
	}
	sum := 0.0
	var reference, printed []float64
	for i := range t.Lines {
		l := &t.Lines[i]
		c := proof.Compare(geodesy.Ellipsoid, *l)
		if !math.IsNaN(l.DistanceM) && l.DistanceM >= 0 && c.Reference.DistanceM > 0 {
			reference, printed = append(reference, c.Reference.DistanceM), append(printed, l.DistanceM)
		} else if l.DistanceM < 0 {
			sum -= 2
		}
		if !math.IsNaN(l.BearingDeg) && (l.BearingDeg < -180-1e-9 || l.BearingDeg > 360) {
			sum -= 2
		}
		if c.DistanceOK && !math.IsNaN(l.DistanceM) {
			sum++
		}
		if c.BearingOK && !math.IsNaN(c.BearingOffDeg) {
			sum++
		}
	}
	share := float64(len(t.Lines)) / float64(len(some.rows))
	return sum/float64(len(t.Lines)) + 2*rankCorrelation(reference, printed) + 2*share
}

// rankCorrelation is Spearman's (1904), 0 for what does not vary.
func rankCorrelation(a, b []float64) float64 {
	ranks := func(v []float64) []float64 {
		order := make([]int, len(v))
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(i, k int) int {
			if v[i] < v[k] {
				return -1
			} else if v[i] > v[k] {
				return 1
			}
			return 0
		})
		out := make([]float64, len(v))
		for from := 0; from < len(order); {
			to := from
			for to < len(order) && v[order[to]] == v[order[from]] {
				to++
			}
			for _, i := range order[from:to] {
				out[i] = float64(from+to-1) / 2
			}
			from = to
		}
		return out
	}
	ra, rb := ranks(a), ranks(b)
	mean := float64(len(a)-1) / 2
	var ab, aa, bb float64
	for i := range ra {
		ab, aa, bb = ab+(ra[i]-mean)*(rb[i]-mean), aa+(ra[i]-mean)*(ra[i]-mean), bb+(rb[i]-mean)*(rb[i]-mean)
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}
