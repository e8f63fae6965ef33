package roadtest_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
)

// A plan of roads about a junction, as map data: nodes in metres east and north of a point, with tags behind them; ways
// by their nodes, with tags; restrictions: kind, from, via (n5 or w2), to.
type plan struct{ nodes, ways, turns string }

const originLat, originLng, perLat, perLng = -38.0, -26.0, 110_990.0, 87_830.0

func at(east, north float64) geo.Point {
	return geo.MustPoint(originLat+north/perLat, originLng+east/perLng).Rounded()
}

func lines(text string) (out []string) {
	for l := range strings.Lines(text) {
		if l = strings.TrimSpace(l); l != "" {
			out = append(out, l)
		}
	}
	return out
}

func tags(fields []string) (out string) {
	for _, f := range fields {
		if k, v, ok := strings.Cut(f, "="); ok {
			out += fmt.Sprintf("<tag k=%q v=%q/>", k, strings.ReplaceAll(v, "_", " "))
		}
	}
	return strings.NewReplacer("traffic signals", "traffic_signals", "living street", "living_street").Replace(out)
}

func (p plan) region(t *testing.T) *region.Region {
	t.Helper()
	var b strings.Builder
	b.WriteString("<osm>")
	for _, l := range lines(p.nodes) {
		f := strings.Fields(l)
		var east, north float64
		_, err := fmt.Sscan(f[1]+" "+f[2], &east, &north)
		require.NoError(t, err)
		q := at(east, north)
		fmt.Fprintf(&b, `<node id=%q lat="%.7f" lon="%.7f">%s</node>`, f[0], q.Lat(), q.Lng(), tags(f[3:]))
	}
	for _, l := range lines(p.ways) {
		f := strings.Fields(l)
		fmt.Fprintf(&b, "<way id=%q>", f[0])
		for _, n := range strings.Split(f[1], ",") {
			fmt.Fprintf(&b, "<nd ref=%q/>", n)
		}
		b.WriteString(tags(f[2:]) + "</way>")
	}
	for i, l := range lines(p.turns) {
		f := strings.Fields(l)
		fmt.Fprintf(&b, `<relation id="%d"><member type="way" ref=%q role="from"/>`, i+1, f[1])
		for _, via := range strings.Split(f[2], ",") {
			kind := map[byte]string{'n': "node", 'w': "way"}[via[0]]
			fmt.Fprintf(&b, `<member type=%q ref=%q role="via"/>`, kind, via[1:])
		}
		fmt.Fprintf(&b, `<member type="way" ref=%q role="to"/><tag k="type" v="restriction"/>`, f[3])
		fmt.Fprintf(&b, `<tag k="restriction" v=%q/>`, f[0])
		for _, extra := range f[4:] {
			k, v, _ := strings.Cut(extra, "=")
			fmt.Fprintf(&b, "<tag k=%q v=%q/>", k, v)
		}
		b.WriteString("</relation>")
	}
	b.WriteString("</osm>")
	draft, report, err := osm.Read(t.Context(), strings.NewReader(b.String()), "plan")
	require.NoError(t, err)
	require.Zero(t, report.BadRestrictions)
	return roadtest.Open(t, draft)
}

// cross is a crossing of two streets, West Street 1 and East Street 2 on one line, South 3 and North 4 on the other,
// with
// a way round by Loop Road 5 from the north to the east.
const crossNodes = `
	1 -300 0
	2 0 0
	3 300 0
	4 0 -300
	5 0 300
	6 300 300`

const crossWays = `
	1 1,2 highway=residential name=West_Street
	2 2,3 highway=residential name=East_Street
	3 4,2 highway=residential name=South_Street
	4 2,5 highway=residential name=North_Street
	5 5,6,3 highway=residential name=Loop_Road`

// A roundabout with four roads.
const roundNodes, roundWays = `
		1 0 -300
		2 0 -20
		3 20 0
		4 0 20
		5 -20 0
		6 300 0
		7 0 300
		8 -300 0`, `
		1 2,3,4,5,2 highway=tertiary junction=roundabout
		2 1,2 highway=tertiary name=South_Road
		3 3,6 highway=tertiary name=East_Road
		4 4,7 highway=tertiary name=North_Road
		5 5,8 highway=tertiary name=West_Road`

// Two crossings 40 m apart on one street, with a way round.
const doubleNodes, doubleWays = `
		1 -300 0
		2 0 0
		3 40 0
		4 300 0
		5 0 300
		6 40 300
		7 170 150`, `
		1 1,2 highway=residential name=West_Street
		2 2,3 highway=residential name=Middle_Street
		3 3,4 highway=residential name=East_Street
		4 2,5 highway=residential name=North_Lane
		5 3,6 highway=residential name=South_Lane
		6 6,7,4 highway=residential name=Round_Road`

// junction is a plan, a way over it, and how that is told; or why there is none.
type junction struct {
	name string
	plan
	by         string
	from, to   [2]float64
	want       []string // the words of the steps
	distanceM  float64
	impossible string
}

var junctions = []junction{
	{name: "a plain turn", plan: plan{crossNodes, crossWays, ""}, by: "car", from: [2]float64{0, -200},
		to: [2]float64{200, 0}, distanceM: 400,
		want: []string{"Set out north on South Street", "Turn right into East Street", "You arrive"}},
	{name: "straight on into another street", plan: plan{crossNodes, crossWays, ""}, by: "car",
		from: [2]float64{-200, 0}, to: [2]float64{200, 8}, distanceM: 400,
		want: []string{"Set out east on West Street", "Go on along East Street", "You arrive, on the left"}},
	{name: "no right turn", plan: plan{crossNodes, crossWays, "no_right_turn 3 n2 2"}, by: "car",
		from: [2]float64{0, -200}, to: [2]float64{200, 0}, distanceM: 200 + 300 + 300 + 300 + 100,
		want: []string{"Set out north on South Street", "Go on along North Street", "Turn right into Loop Road",
			"Turn right into East Street", "You arrive"}},
	{name: "no right turn, but for bicycles", plan: plan{crossNodes, crossWays,
		"no_right_turn 3 n2 2 except=bicycle"}, by: "bicycle", from: [2]float64{0, -200}, to: [2]float64{200, 0},
		distanceM: 400, want: []string{"Set out north on South Street", "Turn right into East Street", "You arrive"}},
	{name: "no right turn for who walks", plan: plan{crossNodes, crossWays, "no_right_turn 3 n2 2"}, by: "foot",
		from: [2]float64{0, -200}, to: [2]float64{200, 0}, distanceM: 400},
	{name: "only straight on", plan: plan{crossNodes, crossWays, "only_straight_on 3 n2 4"}, by: "car",
		from: [2]float64{0, -200}, to: [2]float64{200, 0}, distanceM: 1200},
	{name: "only straight on forbids the left turn, too", plan: plan{crossNodes, crossWays, "only_straight_on 3 n2 4"},
		by: "car", from: [2]float64{0, -200}, to: [2]float64{-200, 0}, distanceM: 200 + 300 + 300 + 300 + 300 + 200},
	// West to south is allowed, but not by way of the short stretch 2 and back over 3: a turn in two parts.
	{name: "no turn by a way", plan: plan{doubleNodes, doubleWays, "no_left_turn 1 w2 5"}, by: "car",
		from: [2]float64{-200, 0},
		to:   [2]float64{40, 200}, distanceM: 200 + 40 + 260 + 397 + 100},
	{name: "the same turn from elsewhere", plan: plan{doubleNodes, doubleWays, "no_left_turn 1 w2 5"}, by: "car",
		from: [2]float64{0, 200},
		to:   [2]float64{40, 200}, distanceM: 200 + 40 + 200},
	{name: "a roundabout", plan: plan{roundNodes, roundWays, ""}, by: "car", from: [2]float64{0, -200},
		to:        [2]float64{0, 200},
		distanceM: 180 + 56.6 + 180,
		want: []string{"Set out north on South Road", "At the roundabout take the 2nd exit, into North Road",
			"You arrive"}},
	{name: "a roundabout, its third exit", plan: plan{roundNodes, roundWays, ""}, by: "car", from: [2]float64{0,
		-200}, to: [2]float64{-200, 0},
		distanceM: 180 + 84.9 + 180,
		want: []string{"Set out north on South Road", "At the roundabout take the 3rd exit, into West Road",
			"You arrive"}},
	// The house lies at the northern carriageway, which runs west: one comes from the east.
	{name: "a dual carriageway, the right side of it", plan: plan{`
		1 -500 0
		2 500 0
		3 500 20
		4 -500 20
		5 -700 10`, `
		1 1,2 highway=primary oneway=yes name=Long_Road
		2 3,4 highway=primary oneway=yes name=Long_Road
		3 2,3 highway=primary name=Turn
		4 4,1 highway=primary name=Turn
		5 5,1 highway=primary name=Long_Road`, ""}, by: "car", from: [2]float64{-650, 10}, to: [2]float64{0, 32},
		distanceM: 150 + 1000 + 20 + 500},
	{name: "stairs", plan: plan{`
		1 -200 0
		2 0 0
		3 30 0
		4 200 0`, `
		1 1,2 highway=footway name=Lower_Path
		2 2,3 highway=steps
		3 3,4 highway=footway name=Upper_Path`, ""}, by: "foot", from: [2]float64{-100, 0}, to: [2]float64{100, 0},
		distanceM: 200,
		want: []string{"Set out east on Lower Path", "Go along the steps", "Go on along Upper Path",
			"You arrive"}},
	{name: "no bicycle on the stairs", plan: plan{`
		1 -200 0
		2 0 0
		3 30 0
		4 200 0`, `
		1 1,2 highway=cycleway
		2 2,3 highway=steps
		3 3,4 highway=cycleway`, ""}, by: "bicycle", from: [2]float64{-100, 0}, to: [2]float64{100, 0},
		impossible: "no way there"},
	{name: "a ferry with its duration", plan: plan{`
		1 -300 0
		2 0 0
		3 6000 0
		4 6300 0`, `
		1 1,2 highway=residential name=Quay
		2 2,3 route=ferry motor_vehicle=yes duration=00:30 name=Sound_ferry
		3 3,4 highway=residential name=Pier_Road`, ""}, by: "car", from: [2]float64{-200, 0}, to: [2]float64{6200, 0},
		distanceM: 6400, want: []string{"Set out east on Quay", "Take the Sound ferry", "Go on along Pier Road",
			"You arrive"}},
	{name: "no car on a ferry that tells of none", plan: plan{`
		1 -300 0
		2 0 0
		3 6000 0
		4 6300 0`, `
		1 1,2 highway=residential name=Quay
		2 2,3 route=ferry duration=00:30
		3 3,4 highway=residential name=Pier_Road`, ""}, by: "car", from: [2]float64{-200, 0}, to: [2]float64{6200, 0},
		impossible: "no way there"},
	{name: "not through a private road", plan: plan{crossNodes, strings.Replace(crossWays, "2 2,3 highway=residential",
		"2 2,3 access=private highway=residential", 1), ""}, by: "car", from: [2]float64{0, -200},
		to: [2]float64{300, 100}, distanceM: 200 + 300 + 300 + 200},
	{name: "to a private road", plan: plan{crossNodes, strings.Replace(crossWays, "2 2,3 highway=residential",
		"2 2,3 access=private highway=residential", 1), ""}, by: "car", from: [2]float64{0, -200},
		to: [2]float64{100, 0}, distanceM: 300},
	{name: "a dead end is left by turning round only from its end", plan: plan{crossNodes, crossWays,
		"no_left_turn 3 n2 1\nno_right_turn 3 n2 2\nno_straight_on 3 n2 4"}, by: "car", from: [2]float64{0, -200},
		to: [2]float64{200, 0}, impossible: "from the start no road leads on"},
	{name: "a loop whose ends are one", plan: plan{`
		1 -200 0
		2 0 0
		3 100 80
		4 200 0
		5 100 -80`, `
		1 1,2 highway=residential name=Stem
		2 2,3,4,5,2 highway=residential oneway=yes name=Loop`, ""}, by: "car", from: [2]float64{-100, 0},
		to: [2]float64{100, -80}, distanceM: 100 + 3*128.06,
		want: []string{"Set out east on Stem", "Bear left into Loop", "You arrive"}},
	{name: "of parallel roads the quicker", plan: plan{`
		1 -500 0
		2 0 0
		3 500 30
		4 1000 0
		5 1400 0
		6 500 -30`, `
		1 1,2 highway=residential name=In
		2 2,3,4 highway=secondary name=Main
		3 2,6,4 highway=service name=Yard
		4 4,5 highway=residential name=Out`, ""}, by: "car", from: [2]float64{-400, 0}, to: [2]float64{1300, 0},
		distanceM: 400 + 1001.8 + 300, want: []string{"Set out east on In", "Go on along Main", "Go on along Out",
			"You arrive"}},
	{name: "across a square", plan: plan{`
		1 -200 0
		2 0 0
		3 100 100
		4 300 100
		5 0 100
		6 100 0`, `
		1 1,2 highway=footway name=West_Walk
		2 2,6,3,5,2 highway=pedestrian area=yes name=Market_Square
		3 3,4 highway=footway name=East_Walk`, ""}, by: "foot", from: [2]float64{-100, 0}, to: [2]float64{200, 100},
		distanceM: 100 + 141.4 + 100, want: []string{"Set out east on West Walk", "Bear left into Market Square",
			"Bear right into East Walk", "You arrive"}},
	{name: "a gate takes time, and a bollard lets no car through", plan: plan{`
		1 -200 0
		2 0 0 barrier=bollard
		3 200 0`, `1 1,2,3 highway=residential name=Bollard_Street`, ""}, by: "car", from: [2]float64{-100, 0},
		to: [2]float64{100, 0}, impossible: "no way there"},
	{name: "a bicycle passes the bollard", plan: plan{`
		1 -200 0
		2 0 0 barrier=bollard
		3 200 0`, `1 1,2,3 highway=residential name=Bollard_Street`, ""}, by: "bicycle", from: [2]float64{-100, 0},
		to: [2]float64{100, 0}, distanceM: 200,
		want: []string{"Set out east on Bollard Street", "You arrive"}},
	{name: "against a one-way street by bicycle where it may", plan: plan{crossNodes, strings.Replace(crossWays,
		"2 2,3 highway=residential", "2 3,2 oneway=yes oneway:bicycle=no highway=residential", 1), ""}, by: "bicycle",
		from: [2]float64{0, -200}, to: [2]float64{200, 0}, distanceM: 400},
	{name: "against a one-way street by car", plan: plan{crossNodes, strings.Replace(crossWays,
		"2 2,3 highway=residential", "2 3,2 oneway=yes oneway:bicycle=no highway=residential", 1), ""}, by: "car",
		from: [2]float64{0, -200}, to: [2]float64{200, 0}, distanceM: 1200},
}

// Each kind of junction is passed as it should be, by each method of search, and told in words.
func TestJunctions(t *testing.T) {
	for _, c := range junctions {
		t.Run(c.name, func(t *testing.T) {
			r := c.region(t)
			router, m := road.NewRouter(r), roadtest.Metric(r, c.by)
			for _, method := range []string{road.ByDijkstra, road.ByAStar, road.ByHierarchy} {
				way, err := router.FindBy(t.Context(), m, method, at(c.from[0], c.from[1]), at(c.to[0], c.to[1]))
				if c.impossible != "" {
					require.ErrorContains(t, err, c.impossible)
					continue
				}
				require.NoError(t, err)
				assert.InDelta(t, c.distanceM, way.DistanceM, 3)
				if c.want != nil {
					english, _ := road.LanguageOf("en")
					var said []string
					for i := range way.Steps {
						said = append(said, english.Say(&way.Steps[i]))
					}
					assert.Equal(t, c.want, said)
				}
			}
		})
	}
}

// What costs time does: signals, a ferry's crossing, a climb, turns over the oncoming lane.
func TestWhatCostsTime(t *testing.T) {
	straight := plan{"1 -600 0\n2 0 0\n3 600 0", "1 1,2,3 highway=residential name=Street", ""}
	signal := straight
	signal.nodes = "1 -600 0\n2 0 0 highway=traffic_signals\n3 600 0"
	took := func(p plan, by string, from, to geo.Point) *road.Route {
		r := p.region(t)
		way, err := road.NewRouter(r).Find(t.Context(), roadtest.Metric(r, by), from, to)
		require.NoError(t, err)
		return way
	}
	a, b := at(-500, 0), at(500, 0)
	free := took(straight, "car", a, b)
	assert.InDelta(t, 1000/(30/3.6), free.DurationS, 0.2)
	assert.InDelta(t, free.DurationS+12, took(signal, "car", a, b).DurationS, 0.01)

	mph := straight
	mph.ways = "1 1,2,3 highway=residential maxspeed=20_mph maxspeed:backward=50"
	assert.InDelta(t, 1000/(20*1.609344*0.9/3.6), took(mph, "car", a, b).DurationS, 0.2)
	assert.InDelta(t, 1000/(50*0.9/3.6), took(mph, "car", b, a).DurationS, 0.2, "a limit of its own backwards")

	cross := plan{crossNodes, crossWays, ""}
	right, left := took(cross, "car", at(0, -200), at(200, 0)), took(cross, "car", at(0, -200), at(-200, 0))
	assert.InDelta(t, 3, left.DurationS-right.DurationS, 0.05, "across the oncoming lane")

	ferry := junctions[slices.IndexFunc(junctions, func(
		j junction) bool {
		return j.name == "a ferry with its duration"
	})]
	over := took(ferry.plan, "car", at(-200, 0), at(6200, 0))
	assert.InDelta(t, 30*60+300+400/(30/3.6), over.DurationS, 3)
	assert.Equal(t, []string{"ferry"}, over.Traits.Names())
}

// A start between two one-way streets, on one of them: who sets out the wrong way round has to come round.
func TestBothDirectionsOfOneRoad(t *testing.T) {
	p := plan{crossNodes, crossWays, ""}
	r := p.region(t)
	router, m := road.NewRouter(r), roadtest.Metric(r, "car")
	for _, ends := range [][2]geo.Point{{at(-200, 0), at(-100, 0)}, {at(-100, 0), at(-200, 0)}} {
		way, err := router.Find(t.Context(), m, ends[0], ends[1])
		require.NoError(t, err)
		assert.InDelta(t, 100, way.DistanceM, 0.5)
		assert.Len(t, way.Steps, 2)
	}
}

// With the only bridge closed there is no way: it is said that this is why, and how near one gets.
func TestTheOnlyBridgeIsClosed(t *testing.T) {
	p := plan{"1 -600 0\n2 -50 0\n3 50 0\n4 600 0", `
		1 1,2 highway=residential name=West_Bank
		2 2,3 highway=residential bridge=yes name=Bridge
		3 3,4 highway=residential name=East_Bank`, ""}
	r := p.region(t)
	router, m := road.NewRouter(r), roadtest.Metric(r, "car")
	closed := map[uint32]road.Closure{}
	for i := range uint32(r.Segments()) {
		if r.Segment(i).Way == 2 {
			blocked := road.Closure{Factor: math.Inf(1)}
			closed[2*i], closed[2*i+1] = blocked, blocked
		}
	}
	_, err := router.Find(t.Context(), m.Closed(closed), at(-500, 0), at(500, 0))
	var cut *road.CutOffError
	require.ErrorAs(t, err, &cut)
	require.ErrorIs(t, err, road.ErrNoRoute)
	assert.True(t, cut.Closed)
	assert.InDelta(t, 550, cut.LeftM, 1, "one gets to the bridge")
	assert.ErrorContains(t, err, "while what is closed stays closed")
	way, err := router.Find(t.Context(), m.Closed(closed).Closed(nil), at(-500, 0), at(500, 0))
	require.NoError(t, err)
	assert.InDelta(t, 1000, way.DistanceM, 1)
}

// A region without roads, points off all roads, a point and itself: none of it is a way, each is said plainly.
func TestWhatIsNoWay(t *testing.T) {
	empty := roadtest.Open(t, &region.Draft{Name: "nothing"})
	_, err := road.NewRouter(empty).Find(t.Context(), roadtest.Metric(empty, "car"), at(0, 0), at(10, 0))
	var off *road.OffRoadError
	require.ErrorAs(t, err, &off)
	r := plan{crossNodes, crossWays, ""}.region(t)
	router, m := road.NewRouter(r), roadtest.Metric(r, "foot")
	_, err = router.Find(t.Context(), m, at(0, 0), geo.MustPoint(10, 10))
	require.ErrorAs(t, err, &off)
	same, err := router.Find(t.Context(), m, at(100, 0), at(100, 0))
	require.NoError(t, err)
	assert.Zero(t, same.DistanceM)
	forbids := road.Profile{Name: "nobody", Access: []string{"access"}, Speeds: map[string]float64{"raceway": 50},
		Top:   50,
		Other: 5}
	require.NoError(t, forbids.Check())
	_, err = router.Find(t.Context(), road.NewMetric(r, &forbids), at(0, 0), at(10, 0))
	require.ErrorAs(t, err, &off, "a profile that forbids everything finds no road")
}
