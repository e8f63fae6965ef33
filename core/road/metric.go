package road

import (
	"math"
	"slices"

	"viandante/core/hierarchy"
	"viandante/core/region"
)

// Costs and times are counted in hundredths of a second; Infinite is what cannot be passed, and sums stay below it: 248
// days.
const (
	ticks    = 100
	Infinite = hierarchy.Infinite
)

// longestTicks is the longest time that one stretch may take: 60 days.
const longestTicks = 60 * 86400 * ticks

// Metric is what a profile makes of a region's roads: what each directed edge and each turn costs. It is immutable and
// safe for use by many goroutines.
type Metric struct {
	Profile *Profile
	region  *region.Region
	rules   []rule
	points  []pointRule
	banned  []bool // by kind: a restriction that binds
	// cost is what each directed edge costs on the way, time how long it takes; the same slice where nothing is
	// preferred. Edges that may only be used at the ends have theirs in cost too; their rule tells them apart.
	cost, time []uint32
	// net is the size of the net that each junction belongs to, by edges that can be travelled.
	net []int32
	// closed is what is closed or slow, avoided what is used only where there is nothing else.
	closed  map[uint32]Closure
	avoided Trait
	// weighed is nil until the metric is customized.
	weighed *hierarchy.Metric
	// sums are lengths and times along the hierarchy arcs.
	sums    *hierarchy.Sums
	fastest float64 // metres a tick
	turns   turnTicks
	// parallel is what the metric is customized by, and its searches are shared out by.
	parallel hierarchy.Parallel
}

// turnTicks are what turns cost, and boarding a ferry.
type turnTicks struct{ near, across, sharp, round, larger, board uint32 }

type pointRule struct {
	ticks     uint32
	direction string
}

// NewMetric weighs the roads of a region for a profile. It costs some 100 ns for each segment; Customize, which
// follows, makes it quick to search.
func NewMetric(r *region.Region, p *Profile) *Metric {
	m := &Metric{Profile: p, region: r, rules: make([]rule, r.Kinds()), points: make([]pointRule, r.Kinds()),
		parallel: hierarchy.Goroutines(1),
		banned:   make([]bool, r.Kinds())}
	for k := range m.rules {
		tags := parseTags(r.KindText(uint32(k)))
		m.rules[k] = p.rule(tags)
		seconds, direction := p.point(tags)
		m.points[k] = pointRule{toTicks(seconds), direction}
		m.banned[k] = p.bound(tags)
	}
	t := p.Turns
	m.turns = turnTicks{near: toTicks(t.Near), across: toTicks(t.Across), sharp: toTicks(t.Sharp),
		round: toTicks(t.Round), larger: toTicks(t.Larger), board: toTicks(p.BoardS)}
	m.weigh()
	m.joinNets()
	return m
}

func toTicks(seconds float64) uint32 {
	if !(seconds < longestTicks/ticks) {
		return Infinite
	}
	return uint32(math.Round(seconds * ticks))
}

func (m *Metric) weigh() {
	r := m.region
	n := 2 * r.Segments()
	m.time = make([]uint32, n)
	m.cost = m.time
	if len(m.Profile.Prefer) > 0 {
		m.cost = make([]uint32, n)
	}
	for i := range uint32(r.Segments()) {
		s := r.Segment(i)
		rule := &m.rules[s.Kind]
		for dir, pass := range []passage{rule.forth, rule.back} {
			e := 2*i + uint32(dir)
			if pass.speed <= 0 {
				m.time[e], m.cost[e] = Infinite, Infinite
				continue
			}
			up, down := s.UpM, s.DownM
			if dir == 1 {
				up, down = down, up
			}
			m.fastest = math.Max(m.fastest, pass.speed/math.Min(1, pass.factor)/ticks)
			seconds := s.LengthM/pass.speed + up*m.Profile.UpS + down*m.Profile.DownS
			m.time[e] = min(longestTicks, toTicks(seconds))
			m.cost[e] = min(longestTicks, toTicks(seconds*pass.factor))
		}
	}
}

// joinNets finds by union-find (Tarjan 1975) which nets hang together.
func (m *Metric) joinNets() {
	r := m.region
	parent := make([]uint32, r.Junctions())
	for i := range parent {
		parent[i] = uint32(i)
	}
	find := func(i uint32) uint32 {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	for i := range uint32(r.Segments()) {
		if m.time[2*i] < Infinite || m.time[2*i+1] < Infinite {
			s := r.Segment(i)
			parent[find(s.From)] = find(s.To)
		}
	}
	sizes := make([]int32, len(parent))
	for i := range parent {
		sizes[find(uint32(i))]++
	}
	m.net = make([]int32, len(parent))
	for i := range m.net {
		m.net[i] = sizes[find(uint32(i))]
	}
}

// Customize makes the metric quick to search: some seconds for a million junctions. Until it is done searches take A*.
func (m *Metric) Customize(parallel hierarchy.Parallel) *Metric {
	next := *m
	next.parallel = parallel
	next.weighed = hierarchy.Customize(m.region.Hierarchy(), weights{&next}, parallel)
	next.sums = hierarchy.NewSums(next.weighed, next.measure)
	return &next
}

// Ready tells whether the metric has been customized.
func (m *Metric) Ready() bool { return m.weighed != nil }

// rule returns what the profile makes of an edge's road.
func (m *Metric) rule(edge uint32) *rule { return &m.rules[m.region.KindOf(edge/2)] }

// Open tells whether an edge can be travelled at all, at the ends of a way or on it.
func (m *Metric) Open(edge uint32) bool { return m.edgeCost(edge) < Infinite }

// anyOpen tells whether a segment can be travelled in one direction at least.
func (m *Metric) anyOpen(segment uint32) bool { return m.Open(2*segment) || m.Open(2*segment+1) }

// atEndsOnly tells whether an edge may be used only where a way begins or ends.
func (m *Metric) atEndsOnly(edge uint32) bool { return m.rule(edge).ends }

// avoidFactor is how many times as much as it takes a stretch counts that is asked to be avoided: where there is any
// other way, that is taken.
const avoidFactor = 40

// edgeCost returns what an edge costs, closures and what is avoided counted; edgeTime how long it takes.
func (m *Metric) edgeCost(edge uint32) uint32 {
	c := m.cost[edge]
	if len(m.closed) > 0 {
		if k, ok := m.closed[edge]; ok {
			c = k.slow(c)
		}
	}
	if m.avoided != 0 && c < Infinite && m.rule(edge).traits&m.avoided != 0 {
		c = uint32(min(longestTicks, uint64(c)*avoidFactor))
	}
	return c
}

func (m *Metric) edgeTime(edge uint32) uint32 {
	t := m.time[edge]
	if len(m.closed) > 0 {
		if k, ok := m.closed[edge]; ok {
			t = k.slow(t)
		}
	}
	return t
}

// The sectors of a change of direction, in 256ths of a circle: a turn begins at 30 degrees, a sharp one at 120.
const (
	turnFrom  = 21
	sharpFrom = 85
)

// turn returns what it costs to pass from a vertex of the graph of turns into an edge, the edge's own cost not counted;
// Infinite where a restriction forbids it or nobody gets through.
func (m *Metric) turn(vertex, edge uint32) uint32 {
	in := m.region.EdgeOf(vertex)
	cost := m.pass(in, edge)
	if cost >= Infinite {
		return Infinite
	}
	forbidden := false
	m.region.Bans(vertex, edge, func(kind uint32) { forbidden = forbidden || m.banned[kind] })
	if forbidden {
		return Infinite
	}
	return cost
}

// pass is turn but for restrictions.
func (m *Metric) pass(in, edge uint32) (cost uint32) {
	r := m.region
	if edge == in^1 {
		if !r.MayTurnRound(in) || !m.mustTurnRound(in) {
			return Infinite
		}
		return m.turns.round
	}
	node := r.Tail(edge)
	if kind, ok := r.NodeKind(node); ok {
		if cost = m.points[kind].along(in); cost >= Infinite {
			return Infinite
		}
	}
	from, to := m.rule(in), m.rule(edge)
	if to.ferry && !from.ferry {
		cost += m.turns.board
	}
	if len(r.Edges(node)) > 2 && !from.roundabout && !to.roundabout {
		cost += m.bend(in, edge, from, to)
	}
	return cost
}

// along returns what a point costs who comes to it by an edge.
func (p *pointRule) along(in uint32) uint32 {
	if p.direction == "" || p.direction == "both" || (p.direction == "backward") == (in&1 == 1) {
		return p.ticks
	}
	return 0
}

// turnTime returns the time that a turn takes which a way makes.
func (m *Metric) turnTime(in, edge uint32) uint32 {
	cost := m.pass(in, edge)
	if kind, ok := m.region.NodeKind(m.region.Tail(edge)); ok && edge != in^1 {
		if at := m.points[kind].along(in); at >= privateGateS*ticks && at < Infinite {
			cost -= at - gateS*ticks
		}
	}
	return cost
}

// bend returns what a turn costs by its angle and by the roads that meet.
func (m *Metric) bend(in, out uint32, from, to *rule) (cost uint32) {
	angle := int(int8(m.region.Outward(out) - m.region.Inward(in)))
	left := angle < 0
	if left {
		angle = -angle
	}
	if angle >= turnFrom {
		if left == m.Profile.Turns.KeepLeft {
			cost = m.turns.near
		} else {
			cost = m.turns.across
		}
	}
	if angle >= sharpFrom {
		cost += m.turns.sharp
	}
	if to.rank > from.rank && from.rank > 0 {
		cost += m.turns.larger
	}
	return cost
}

// mustTurnRound tells whether who follows an edge can only turn round at its end: a point that lets nobody through, or
// no other road that may be followed from there.
func (m *Metric) mustTurnRound(in uint32) bool {
	if m.Profile.Kind == region.Foot {
		return true
	}
	node := m.region.Head(in)
	if kind, ok := m.region.NodeKind(node); ok && m.points[kind].ticks >= privateGateS*ticks {
		return true
	}
	return !slices.ContainsFunc(m.region.Edges(node), func(e uint32) bool {
		return e != in^1 && m.cost[e] < Infinite && !m.rule(e).ends
	})
}

// onTheWay returns what it costs to pass from a vertex into an edge and to follow it, where it is no end of the way.
func (m *Metric) onTheWay(vertex, edge uint32) uint32 {
	c := m.edgeCost(edge)
	if c >= Infinite || m.rule(edge).ends {
		return Infinite
	}
	return min(Infinite, c+m.turn(vertex, edge))
}

// weights are the metric's, by rank.
type weights struct{ m *Metric }

// Each calls yield with the turns from a rank, and what they and the edges that they lead into cost.
func (w weights) Each(rank uint32, yield func(to, weight uint32)) {
	r := w.m.region
	v := r.At(rank)
	blocked := w.m.rule(r.EdgeOf(v)).ends
	r.Turns(v, func(to uint32) {
		weight := uint32(Infinite)
		if !blocked {
			weight = w.m.onTheWay(v, r.EdgeOf(to))
		}
		yield(r.Rank(to), weight)
	})
}

// Weight returns what Each yields for two ranks; Infinite where no turn leads from one to the other.
func (w weights) Weight(from, to uint32) uint32 {
	r := w.m.region
	v, x := r.At(from), r.At(to)
	in, out := r.EdgeOf(v), r.EdgeOf(x)
	if r.Head(in) != r.Tail(out) || r.Turn(v, out) != x || w.m.rule(in).ends {
		return Infinite
	}
	return w.m.onTheWay(v, out)
}
