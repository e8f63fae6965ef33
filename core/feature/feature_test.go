package feature

import (
	"context"
	"encoding/json"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

var ctx = context.Background()

func line(t testing.TB, latLng ...float64) []geo.Point {
	t.Helper()
	var out []geo.Point
	for i := 0; i < len(latLng); i += 2 {
		out = append(out, geo.MustPoint(latLng[i], latLng[i+1]))
	}
	return out
}

func polygon(t testing.TB, rings ...[]geo.Point) Geometry {
	t.Helper()
	g, err := NewPolygon(rings, nil)
	require.NoError(t, err)
	return g
}

func TestGeometriesThatAreNone(t *testing.T) {
	for want, build := range map[string]func() (Geometry, error){
		"a line of 1 positions": func() (Geometry, error) { return NewLine(line(t, 1, 2), nil) },
		"a line of 0 positions": func() (Geometry, error) { return NewLine(nil, nil) },
		"a line of 100001 positions": func() (Geometry, error) {
			return NewLine(make([]geo.Point, MaxVertices+1),
				nil)
		},
		"a polygon of 0 positions": func() (Geometry, error) { return NewPolygon(nil, nil) },
		"a ring is not closed": func() (Geometry, error) {
			return NewPolygon([][]geo.Point{line(t, 0, 0, 0, 1, 1,
				1, 1, 0)}, nil)
		},
		"a ring is not closed ":   func() (Geometry, error) { return NewPolygon([][]geo.Point{nil}, nil) },
		"must be more than 0":     func() (Geometry, error) { return NewCircle(geo.MustPoint(0, 0), math.NaN()) },
		"must be more than 0 and": func() (Geometry, error) { return NewCircle(geo.Point{}, 5) },
	} {
		_, err := build()
		assert.ErrorContains(t, err, strings.TrimSpace(want))
	}
	assert.Equal(t, Geometry{}, At(geo.Point{}), "an unknown position is no point")
}

func TestKindsFollowFromTheGeometry(t *testing.T) {
	round, err := NewCircle(geo.MustPoint(1, 2), 10)
	require.NoError(t, err)
	way, err := NewLine(line(t, 0, 0, 1, 1), nil)
	require.NoError(t, err)
	square := polygon(t, line(t, 0, 0, 0, 1, 1, 1, 0, 0))
	for g, want := range map[*Geometry]Kind{{}: Place, &round: Area, &way: Path, &square: Area} {
		assert.Equal(t, want, g.Kind())
		got, ok := ParseKind(g.Kind().String())
		assert.True(t, ok && got == want)
	}
	_, ok := ParseKind("thing")
	assert.False(t, ok)
	assert.Equal(t, 3, square.Vertices())
}

// An area holds what lies in its outer ring and in none of its holes, over the antimeridian and round the poles too.
func TestContains(t *testing.T) {
	ring := func(lat, from, to float64) []geo.Point { // round a pole
		var out []geo.Point
		for i := range 12 {
			out = append(out, geo.MustPoint(lat, geo.WrapLng(from+(to-from)*float64(i)/12)))
		}
		return append(out, out[0])
	}
	island := polygon(t, line(t, 0, 0, 0, 10, 10, 10, 10, 0, 0, 0), line(t, 4, 4, 6, 4, 6, 6, 4, 6, 4, 4))
	date := polygon(t, line(t, -1, 179, -1, -179, 1, -179, 1, 179, -1, 179))
	north, south := polygon(t, ring(70, 0, 360)), polygon(t, ring(-60, 360, 0))
	round, err := NewCircle(geo.MustPoint(0, 179.999), 1000)
	require.NoError(t, err)
	for _, c := range []struct {
		g        Geometry
		lat, lng float64
		want     bool
	}{
		{island, 1, 1, true}, {island, 5, 5, false}, {island, 5, 3.9, true}, {island, 11, 5, false}, {island, 5, -355 +
			360, false},
		{date, 0, 180, true}, {date, 0, -180, true}, {date, 0, 179.5, true}, {date, 0, -179.5, true}, {date, 0, 0,
			false}, {date, 0, 178, false},
		{north, 90, 0, true}, {north, 71, 123, true}, {north, 69, 123, false}, {north, -90, 0, false},
		{south, -90, 5, true}, {south, -61, -170, true}, {south, -59, -170, false}, {south, 80, 0, false},
		{round, 0, -179.9921, true}, {round, 0, -179.991, false},
		{At(geo.MustPoint(1, 2)), 1, 2, true}, {At(geo.MustPoint(1, 2)), 1, 2.1, false}, {Geometry{}, 1, 2, false},
	} {
		assert.Equal(t, c.want, c.g.Contains(geo.MustPoint(c.lat, c.lng)), "%v, %v", c.lat, c.lng)
	}
}

// The box of a geometry holds its positions, and a box meets it where a scan of positions near by says so.
func TestBoundsAndBoxes(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 400 {
		middle := geo.MustPoint(r.Float64()*160-80, r.Float64()*360-180)
		size := math.Pow(10, r.Float64()*3-2)
		at := func() geo.Point {
			return geo.MustPoint(
				max(-90, min(90, middle.Lat()+(r.Float64()-0.5)*size)),
				geo.WrapLng(middle.Lng()+(r.Float64()-0.5)*size),
			)
		}
		a, b, c := at(), at(), at()
		round, err := NewCircle(a, 1000*size)
		require.NoError(t, err)
		way, err := NewLine([]geo.Point{a, b, c}, nil)
		require.NoError(t, err)
		area := polygon(t, []geo.Point{a, b, c, a})
		box := geo.Box{South: max(-90, middle.Lat()-size/5), North: min(90, middle.Lat()+size/5),
			West: geo.WrapLng(middle.Lng() - size/4), East: geo.WrapLng(middle.Lng() + size/4)}
		for _, g := range []Geometry{At(a), round, way, area} {
			bounds, ok := g.Bounds()
			require.True(t, ok)
			for _, line := range g.Lines() {
				for _, p := range line {
					require.True(t, bounds.Contains(p), "%v in %v", p, bounds)
				}
			}
			met := false
			for range 300 {
				p := geo.MustPoint(
					box.South+r.Float64()*(box.North-box.South),
					geo.WrapLng(box.West+r.Float64()*size/2),
				)
				if g.Contains(p) {
					met = true
					require.True(t, bounds.Contains(p), "%v in %v", p, bounds)
				}
			}
			for i, line := range g.Lines() {
				for k := 1; k < len(line); k++ {
					for f := 0.0; f <= 1; f += 0.01 {
						p := line[k-1]
						q := geo.MustPoint(
							p.Lat()+f*(line[k].Lat()-p.Lat()),
							geo.WrapLng(p.Lng()+f*math.Remainder(line[k].Lng()-p.Lng(), 360)),
						)
						met = met || box.Contains(q)
						require.True(t, bounds.Contains(q), "%d: %v in %v", i, q, bounds)
					}
				}
			}
			if met {
				require.True(t, g.Intersects(box), "%v meets %v", g, box)
			}
		}
		far := geo.Box{
			South: -1,
			North: 1,
			West:  geo.WrapLng(middle.Lng() + 170),
			East:  geo.WrapLng(middle.Lng() + 175),
		}
		if math.Abs(middle.Lat()) < 20 && size < 3 {
			assert.False(t, area.Intersects(far))
		}
	}
	_, known := Geometry{}.Bounds()
	assert.False(t, known)
	pole := polygon(t, line(t, 80, 0, 80, 120, 80, -120, 80, 0))
	bounds, _ := pole.Bounds()
	assert.Equal(t, geo.Box{South: 80, North: 90, West: -180, East: 180}, bounds)
}

// The nearest position of a line is no farther than any of many along it, and as far away as it is said to be.
func TestNearestAgainstManyPositions(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 60 {
		size := math.Pow(10, r.Float64()*4-3)
		at := func() geo.Point { return geo.MustPoint(-38+size*r.Float64(), geo.WrapLng(179.99+size*r.Float64())) }
		points := []geo.Point{at(), at(), at(), at()}
		way, err := NewLine(points, nil)
		require.NoError(t, err)
		p := at()
		q, m := way.Nearest(p)
		assert.InDelta(t, geodesy.Distance(p, q), m, 1e-6)
		best := math.Inf(1)
		for i := 1; i < len(points); i++ {
			length, bearing, _ := geodesy.Inverse(
				points[i-1].Lat(),
				points[i-1].Lng(),
				points[i].Lat(),
				points[i].Lng(),
			)
			for k := range 2001 {
				lat, lng, _ := geodesy.Direct(points[i-1].Lat(), points[i-1].Lng(), bearing, length*float64(k)/2000)
				best = math.Min(best, geodesy.Distance(p, geo.MustPoint(lat, geo.WrapLng(lng))))
			}
		}
		assert.LessOrEqual(t, m, best+1e-6)
		assert.InDelta(t, best, m, 0.001*best+size*60)
	}
	island := polygon(t, line(t, 0, 0, 0, 1, 1, 1, 1, 0, 0, 0))
	inside := geo.MustPoint(0.5, 0.5)
	q, m := island.Nearest(inside)
	assert.Equal(t, inside, q)
	assert.Zero(t, m)
	round, err := NewCircle(geo.MustPoint(0, 0), 1000)
	require.NoError(t, err)
	q, m = round.Nearest(geo.MustPoint(0, 1))
	assert.InDelta(t, 111319.490793-1000, m, 1e-4)
	assert.InDelta(t, 1000, geodesy.Distance(geo.MustPoint(0, 0), q), 1e-4)
}

func TestMergePatch(t *testing.T) {
	type object = map[string]any
	// The examples of RFC 7396, appendix A, that have objects on both sides.
	for _, c := range []struct{ target, patch, want object }{
		{object{"a": "b"}, object{"a": "c"}, object{"a": "c"}},
		{object{"a": "b"}, object{"b": "c"}, object{"a": "b", "b": "c"}},
		{object{"a": "b"}, object{"a": nil}, object{}},
		{object{"a": "b", "b": "c"}, object{"a": nil}, object{"b": "c"}},
		{object{"a": []any{"b"}}, object{"a": "c"}, object{"a": "c"}},
		{object{"a": object{"b": "c"}}, object{"a": object{"b": "d", "c": nil}}, object{"a": object{"b": "d"}}},
		{object{}, object{"a": object{"bb": object{"ccc": nil}}}, object{"a": object{"bb": object{}}}},
	} {
		assert.Equal(t, c.want, Draft{Properties: c.target}.With(Patch{Properties: c.patch}).Properties)
	}
}

// whole is a feature with everything that one can have.
func whole(t *testing.T) *Feature {
	t.Helper()
	elevation, when := 12.5, time.Date(2026, 5, 1, 12, 0, 0, 123000, time.UTC)
	attributes, err := NewAttributes(
		map[string]any{"note": `<b>"old"</b>`, "list": []any{1.0, "x"}, "visible": true, "none": nil},
	)
	require.NoError(t, err)
	round, err := NewCircle(geo.MustPoint(1, 2), 50)
	require.NoError(t, err)
	return &Feature{
		ID:           uuid.MustParse("0193d4a0-0000-7000-8000-00000000d300"),
		Collection:   "posts",
		Name:         "Pümp \"1\"",
		Category:     "fountain",
		Geometry:     round,
		ElevationM:   &elevation,
		AccuracyM:    &elevation,
		Source:       "typed",
		FixedAt:      &when,
		AddressTyped: "Mill Lane 2",
		AddressFound: []byte(
			`{"label":"Mill Lane 2"}`,
		),
		Attributes: attributes,
		Version:    7,
		CreatedAt:  when,
		UpdatedAt:  when,
	}
}

// A patch is applied to the feature as it is stored, and leaves what it does not name.
func TestAPatchKeepsWhatItDoesNotName(t *testing.T) {
	f := whole(t)
	same, _, err := f.Draft().With(Patch{}).Accept(ctx, nil)
	require.NoError(t, err)
	same.ID, same.Collection = f.ID, f.Collection
	assert.True(t, f.SameContent(same), "an empty patch changes nothing")
	changed, _, err := f.Draft().
		With(Patch{Properties: map[string]any{"note": "new", "accuracy_m": nil, "radius_m": nil}}).
		Accept(ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, "new", changed.Attributes.Get("note").Text)
	assert.Equal(t, Boolean, changed.Attributes.Get("visible").Type)
	assert.Nil(t, changed.AccuracyM)
	assert.Equal(t, f.FixedAt, changed.FixedAt)
	assert.Equal(t, Point, changed.Geometry.Form(), "a circle without a radius is a place")
	unplaced, _, err := f.Draft().With(Patch{Geometry: &Geometry{}, NoProperties: true}).Accept(ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, &Feature{}, unplaced)
}

func TestWhatIsAcceptedOfAFeature(t *testing.T) {
	for reason, props := range map[string]map[string]any{
		"is not a text":         {"category": 7.0},
		"is not a number":       {"elevation_m": "high"},
		"is negative":           {"accuracy_m": -1.0},
		"is not a time":         {"fixed_at": "yesterday"},
		"outside the years":     {"fixed_at": "0001-01-01T00:00:00Z"},
		"ends in a unit":        {"distance_m": 5.0},
		"has 65 characters":     {"category": strings.Repeat("x", 65)},
		"is not a name for":     {"": 1.0},
		"has 100001 characters": {"note": strings.Repeat("x", 100_001)},
		"is not valid UTF-8":    {"name": "\xff"},
		"circle is a Point":     {"radius_m": 5.0},
	} {
		_, _, err := Draft{Properties: props}.Accept(ctx, nil)
		var refused *Invalid
		require.ErrorAs(t, err, &refused, reason)
		all := ""
		for _, f := range refused.Faults {
			all += f.Reason
		}
		assert.Contains(t, all, reason)
	}
	large := map[string]any{}
	for i := range 30 {
		large[strings.Repeat("x", i+1)] = strings.Repeat("y", 90_000)
	}
	_, _, err := Draft{Properties: large}.Accept(ctx, nil)
	var refused *Invalid
	require.ErrorAs(t, err, &refused)
	assert.True(t, refused.TooLarge)
	f, _, err := Draft{
		Properties: map[string]any{"version": 9.0, "created_at": "x", "collection": "y", "name": "kept"},
	}.Accept(
		ctx,
		nil,
	)
	require.NoError(t, err)
	assert.Equal(t, &Feature{Name: "kept"}, f, "what is read only is not taken")
	flat, err := NewLine(line(t, 1, 1, 1, 1), nil)
	require.NoError(t, err)
	_, _, err = Draft{Geometry: flat}.Accept(ctx, nil)
	assert.ErrorContains(t, err, "all the same")
	high, _, err := Draft{Geometry: AtHeight(geo.MustPoint(1.123456789, 2), 33)}.Accept(ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, 33.0, *high.ElevationM)
	assert.Equal(t, At(geo.MustPoint(1.1234568, 2)), high.Geometry)
}

func TestRingsAreWoundAsTheStandardHasThem(t *testing.T) {
	g := polygon(t, line(t, 0, 0, 10, 0, 10, 10, 0, 10, 0, 0), line(t, 4, 4, 4, 6, 6, 6, 6, 4, 4, 4))
	f, mended, err := Draft{Geometry: g}.Accept(ctx, nil)
	require.NoError(t, err)
	assert.Len(t, mended, 2)
	again, mended, err := Draft{Geometry: f.Geometry}.Accept(ctx, nil)
	require.NoError(t, err)
	assert.Empty(t, mended)
	assert.True(t, again.Geometry.Equal(f.Geometry))
	assert.Equal(t, line(t, 0, 0, 10, 0), g.Lines()[0][:2], "what was given stays as it was")
	_, _, err = Draft{Geometry: polygon(t, line(t, 0, 0, 1, 1, 0, 1, 1, 0, 0, 0))}.Accept(ctx, nil)
	assert.ErrorContains(t, err, "cross")
}

// What is written as members of a JSON object reads as what it was.
func TestMembersAreJSON(t *testing.T) {
	f := whole(t)
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte("{"+string(f.AppendMembers(nil))+"}"), &got))
	want := f.Draft().Properties
	delete(want, PropRadius)
	want["version"], want["created_at"], want["updated_at"] = 7.0, want["fixed_at"], want["fixed_at"]
	assert.Equal(t, want, got)
	old := *f
	old.Attributes = `{"a":1,"collection":"an old attribute of that name"}`
	assert.NotContains(t, string(old.AppendMembers(nil)), "old attribute")
	for _, s := range []string{"", "plain", "\x00\x1f\"\\<>&\u2028\u007f", "é\xff"} {
		want, err := json.Marshal(s)
		require.NoError(t, err)
		assert.Equal(t, string(want), string(AppendQuoted(nil, s)))
	}
}

func TestAttributes(t *testing.T) {
	for text, want := range map[string]Attributes{"{}": "", " { } ": "", "null": "", "": "", ` {"a": 1} `: `{"a": 1}`} {
		got, err := ParseAttributes([]byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"[]", "{", `{"a":}`, "7"} {
		_, err := ParseAttributes([]byte(text))
		assert.Error(t, err, text)
	}
	a := Attributes(`{"t":"x","n":1.5,"b":false,"o":{"y":1},"z":null,"a.b":"dot"}`)
	types := map[string]ValueType{}
	for name, v := range a.All() {
		types[name] = v.Type
	}
	assert.Equal(
		t,
		map[string]ValueType{"t": Text, "n": Number, "b": Boolean, "o": Composite, "z": Null, "a.b": Text},
		types,
	)
	assert.Equal(t, Value{Text, 0, "dot"}, a.Get("a.b"))
	assert.Equal(t, Value{Number, 1.5, "1.5"}, a.Get("n"))
	assert.Equal(t, Missing, a.Get("none").Type)
}

func TestASchemaThatCannotBe(t *testing.T) {
	for reason, s := range map[string]Schema{
		"must begin with a small": {{Name: "Big", Type: TextType}},
		"twice":                   {{Name: "a", Type: TextType}, {Name: "a", Type: TextType}},
		"every feature has":       {{Name: "name", Type: TextType}},
		"every feature has ":      {{Name: "website", Type: TextType}},
		"ends in a unit":          {{Name: "depth_m", Type: NumberType}},
		"must be one of":          {{Name: "a", Type: "colour"}},
		"belong to the type":      {{Name: "a", Type: ChoiceType}},
		"are more than":           make(Schema, MaxAttributes+1),
	} {
		fault := s.Check()
		require.NotNil(t, fault, reason)
		assert.Contains(t, fault.Reason, strings.TrimSpace(reason))
	}
	assert.Nil(
		t,
		Schema{{Name: "depth", Type: NumberType}, {Name: "kind", Type: ChoiceType, Options: []string{"a"}}}.Check(),
	)
}

// Times are written as the general way writes them, to the last character.
func TestTimesAreWritten(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	check := func(at time.Time) {
		require.Equal(t, at.Format(time.RFC3339Nano), string(appendTime(nil, at)))
	}
	for _, text := range []string{"1970-01-01T00:00:00Z", "2000-02-29T23:59:59.999999Z", "2024-02-29T12:00:00.5Z",
		"2100-03-01T00:00:00.000001Z", "9999-12-31T23:59:59.999999Z", "1969-12-31T23:59:59Z",
		"2026-11-26T22:00:00+01:00",
		"2026-11-26T22:00:00.123456789Z", "2026-12-31T00:00:00.1Z"} {
		at, err := time.Parse(time.RFC3339Nano, text)
		require.NoError(t, err)
		check(at)
	}
	check(time.Time{})
	for range 100_000 {
		check(time.UnixMicro(r.Int64N(253402300800_000_000)).UTC())
		check(time.Unix(r.Int64N(5_000_000_000), 0).UTC())
	}
}
