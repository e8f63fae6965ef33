package proof

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geodesy"
)

// Finding is a mistake that was found, with its evidence.
type Finding struct {
	Code Code
	// Explained of Lines are what the program prints that makes the mistakes that were found, Without how many are left
	// without this one.
	Explained, Without, Lines int
	// RadiusM, Decimals and Rows tell which radius, to how many decimals, and which two lines, where that is the
	// mistake.
	RadiusM  float64
	Decimals int
	Rows     [2]int
	// Alternative tells that this is another explanation, not one more mistake.
	Alternative bool
	// Before and After are the medians of the residuals, over what the last printed digit leaves open, without and with
	// the mistake.
	Before, After float64
}

// Diagnosis is what was found out about lines.
type Diagnosis struct {
	// Right tells that all is right to what was printed.
	Right bool
	// Findings are the mistakes, the most telling first, then other explanations of the same lines.
	Findings []Finding
	// Sampled is how many lines were looked at.
	Sampled int
}

// mostSampled is how many lines a diagnosis looks at.
const mostSampled = 200

// Costs, in units of a line's: what a mistake has to explain to be worth naming.
const (
	mistakeCost = 1.6
	rareCost    = 2.4
	fitCost     = 0.8 // for a number that was fitted
	mostCost    = 12.0
	// alternativeCost is by how much another explanation may be worse to be told.
	alternativeCost = 6.0
)

// rare are mistakes that are named only where nothing more usual explains as much.
var rare = []Code{Back, BearingRadians, Feet, Nautical, Thousandfold, FlatCosine, Radius}

// hypothesis is a combination of mistakes and how well it explains the lines.
type hypothesis struct {
	in      *input
	figure  figure
	scale   *scaling
	radiusM float64 // that was fitted; 0 for none
	turning *turning
	crossed [2]int // lines, from 0; equal for none
	cost    float64
	penalty float64
	misses  []bool
	// distances and bearings are the residuals of the lines.
	distances, bearings []float64
}

// residual is the median of the residuals.
func (h *hypothesis) residual() float64 {
	all := slices.DeleteFunc(slices.Concat(h.distances, h.bearings), math.IsNaN)
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}

func (h *hypothesis) codes() (out []Code) {
	out = append(out, h.in.codes...)
	if c := h.figure.code(); c != "" && !(h.in.radians && h.figure == onSphere) {
		out = append(out, c)
	}
	if h.radiusM != 0 && !isMean(h.radiusM) {
		if i := slices.Index(out, Sphere); i >= 0 {
			out[i] = Radius // another radius says that it is a sphere
		} else {
			out = append(out, Radius)
		}
	}
	if h.scale != nil && h.scale.code != "" {
		out = append(out, h.scale.code)
	}
	if h.turning != nil {
		out = append(out, h.turning.codes...)
	}
	if h.crossed[0] != h.crossed[1] {
		out = append(out, Crossed)
	}
	return out
}

func penaltyOf(codes []Code, fitted bool) float64 {
	sum := 0.0
	for _, c := range codes {
		if sum += mistakeCost; slices.Contains(rare, c) {
			sum += rareCost - mistakeCost
		}
	}
	if fitted {
		sum += fitCost
	}
	return sum
}

// lineCost is what a residual costs over what the last digit leaves open: nothing up to one, then its logarithm.
func lineCost(residual float64) float64 {
	if math.IsNaN(residual) {
		return mostCost
	}
	if residual <= 1 {
		return 0
	}
	// The logarithm, straight between powers of two, from the parts of the number.
	bits := math.Float64bits(residual)
	power := float64(int(bits>>52)-1023) + float64(bits&(1<<52-1))/(1<<52)
	return min(mostCost, power*math.Ln2)
}

// lines are those at hand with what they leave open.
type lines struct {
	all              []Line
	metres, degrees  []float64
	distances, turns bool // there are any
}

func newLines(all []Line, m geodesy.Model) *lines {
	l := &lines{all: all, metres: make([]float64, len(all)), degrees: make([]float64, len(all))}
	for i := range all {
		reference := geodesy.Measure(m, all[i].From, all[i].To).DistanceM
		l.metres[i], l.degrees[i] = all[i].tolerances(reference)
		l.distances = l.distances || !math.IsNaN(all[i].DistanceM)
		l.turns = l.turns || !math.IsNaN(all[i].BearingDeg)
	}
	return l
}

// distanceResidual and bearingResidual are over what is left open; NaN where a line has none.
func (l *lines) distanceResidual(i int, predicted float64) float64 {
	if math.IsNaN(l.all[i].DistanceM) {
		return math.NaN()
	}
	if math.IsNaN(predicted) {
		return math.Inf(1)
	}
	return math.Abs(l.all[i].DistanceM-predicted) / l.metres[i]
}

func (l *lines) bearingResidual(i int, predicted float64, scale float64) float64 {
	if math.IsNaN(l.all[i].BearingDeg) {
		return math.NaN()
	}
	if math.IsNaN(predicted) {
		return math.Inf(1)
	}
	// At the ends of the range, north and south, one direction may be written in two ways.
	off, open := math.Abs(l.all[i].BearingDeg-predicted), l.degrees[i]*scale
	if half := 180 * scale; off > half && math.Abs(math.Remainder(predicted, half)) < 2*open {
		off = math.Abs(off - 2*half)
	}
	return off / open
}

// channel is how the distances, or the bearings, are explained: the cost and the residual of each line.
type channel struct {
	cost      float64
	residuals []float64
}

func (l *lines) channelOf(residual func(i int) float64) channel {
	c := channel{residuals: make([]float64, len(l.all))}
	for i := range l.all {
		r := residual(i)
		c.residuals[i] = r
		if !math.IsNaN(r) {
			c.cost += lineCost(r)
		}
	}
	return c
}

// Diagnose finds what mistakes explain lines against a model.
func Diagnose(m geodesy.Model, all []Line) Diagnosis {
	usable := slices.DeleteFunc(slices.Clone(all), func(l Line) bool {
		return math.IsNaN(l.DistanceM) && math.IsNaN(l.BearingDeg)
	})
	sample := usable
	if len(usable) > mostSampled {
		sample = make([]Line, mostSampled)
		for i := range sample {
			sample[i] = usable[i*len(usable)/mostSampled]
		}
	}
	d := Diagnosis{Sampled: len(sample)}
	if len(sample) == 0 {
		return d
	}
	l := newLines(sample, m)
	if d.Right = !slices.ContainsFunc(sample, func(one Line) bool {
		c := Compare(m, one)
		return !c.DistanceOK || !c.BearingOK
	}); d.Right {
		return d
	}
	found := l.hypotheses(m)
	slices.SortStableFunc(found, func(a, b *hypothesis) int { return cmp.Compare(a.total(), b.total()) })
	null := found[slices.IndexFunc(found, func(h *hypothesis) bool { return len(h.codes()) == 0 })]
	best := found[0]
	if len(best.codes()) == 0 || best.cost > null.cost*0.8 { // nothing that is known here explains them
		d.Right = !slices.Contains(null.misses, true)
		return d
	}
	d.Findings = l.findings(best, null, found)
	return d
}

func (h *hypothesis) total() float64 { return h.cost + h.penalty }

// hypotheses returns those worth looking at: for each way of computing, the best scale of the distance and the best
// turning of the bearing, and those with one mistake less.
func (l *lines) hypotheses(m geodesy.Model) []*hypothesis {
	var out []*hypothesis
	figures := []figure{onEllipsoid, onSphere, onPlane, onPlaneWithCosine}
	for i := range inputs {
		in := &inputs[i]
		for _, f := range figures {
			if len(in.codes) == 2 && f > onSphere {
				continue
			}
			results := make([]computed, len(l.all))
			for k := range l.all {
				from, to := of(l.all[k].From), of(l.all[k].To)
				if in.change != nil {
					from, to = in.change(from, to)
				}
				results[k] = f.compute(from, to, in.radians)
				if m != geodesy.Ellipsoid && f == onEllipsoid && len(in.codes) == 0 {
					r := geodesy.Measure(m, l.all[k].From, l.all[k].To)
					results[k] = computed{r.DistanceM, r.InitialBearing, r.FinalBearing}
				}
			}
			out = append(out, l.combined(in, f, results)...)
		}
	}
	return out
}

// combined returns hypotheses for a way of computing: scales and turnings, each with each where both are good.
func (l *lines) combined(in *input, f figure, results []computed) []*hypothesis {
	type scaled struct {
		scaling *scaling
		radiusM float64
		channel
	}
	type turned struct {
		turning *turning
		channel
	}
	var scales []scaled
	if l.distances {
		for i := range scalings {
			s := &scalings[i]
			scales = append(scales, scaled{s, 0, l.channelOf(func(k int) float64 {
				return l.distanceResidual(k, results[k].distanceM*s.factor)
			})})
			if f != onEllipsoid {
				if radius := l.fitRadius(results, s.factor); radius != 0 {
					scales = append(scales, scaled{s, radius, l.channelOf(func(k int) float64 {
						return l.distanceResidual(k, results[k].distanceM*s.factor*radius/meanRadius)
					})})
				}
			}
		}
		slices.SortStableFunc(scales, func(a, b scaled) int { return cmp.Compare(a.cost, b.cost) })
		scales = keepGood(scales, func(s scaled) bool { return s.scaling.code == "" && s.radiusM == 0 }, 2)
	} else {
		scales = []scaled{{}}
	}
	var turns []turned
	if l.turns {
		for i := range turnings {
			t := &turnings[i]
			scale := 1.0
			if t.radians {
				scale = degree
			}
			turns = append(turns, turned{t, l.channelOf(func(k int) float64 {
				return l.bearingResidual(k, t.apply(results[k]), scale)
			})})
		}
		slices.SortStableFunc(turns, func(a, b turned) int {
			return cmp.Compare(a.cost+penaltyOf(a.turning.codes, false), b.cost+penaltyOf(b.turning.codes, false))
		})
		turns = keepGood(turns, func(t turned) bool { return len(t.turning.codes) == 0 }, 3)
	} else {
		turns = []turned{{}}
	}
	var out []*hypothesis
	for _, s := range scales {
		for _, t := range turns {
			h := &hypothesis{in: in, figure: f, scale: s.scaling, radiusM: s.radiusM, turning: t.turning}
			l.settle(h, s.residuals, t.residuals)
			out = append(out, h)
			if x := l.uncross(h, results); x != nil {
				out = append(out, x)
			}
		}
	}
	return out
}

// keepGood keeps the first few of a sorted list, and the plain one.
func keepGood[T any](list []T, plain func(T) bool, few int) []T {
	if len(list) <= few {
		return list
	}
	at := slices.IndexFunc(list, plain)
	out := list[:few:few]
	if at >= few {
		out = append(out, list[at])
	}
	return out
}

// fitRadius returns the radius that explains most distances on a sphere, 0 for none that could be the earth's.
func (l *lines) fitRadius(results []computed, factor float64) float64 {
	var ratios []float64
	var weights []float64
	for k := range l.all {
		if p := results[k].distanceM * factor; p > 0 && l.all[k].DistanceM > 0 {
			ratios, weights = append(ratios, l.all[k].DistanceM/p*meanRadius), append(weights, p/l.metres[k])
		}
	}
	if len(ratios) < 3 {
		return 0
	}
	order := make([]int, len(ratios))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(ratios[a], ratios[b]) })
	total := 0.0
	for _, w := range weights {
		total += w
	}
	sum := 0.0
	for _, i := range order { // the weighted median: long lines tell the radius best
		if sum += weights[i]; sum >= total/2 {
			radius := ratios[i]
			for _, usual := range []float64{6371000, 6371008.7714, 6378137, 6356752.3142, 6378000, 6378135, 6378140,
				6372797.560856, 6372795.477598, 6371200, 6370000, 6366707.01949, 6367000, 6371009, 6378100, 6357000} {
				if math.Abs(radius-usual) < 2+radius/weights[i]*2 && math.Abs(radius-usual) < 60 {
					return usual
				}
			}
			if radius < leastRadius || radius > mostRadius {
				return 0
			}
			return radius
		}
	}
	return 0
}

// explained is how many lines are what it prints.
func (h *hypothesis) explained() int {
	n := 0
	for _, missed := range h.misses {
		if !missed {
			n++
		}
	}
	return n
}

// settle computes the cost of a hypothesis from its residuals.
func (l *lines) settle(h *hypothesis, distances, bearings []float64) {
	h.misses, h.distances, h.bearings = make([]bool, len(l.all)), distances, bearings
	h.cost = 0
	for i := range l.all {
		for _, list := range [][]float64{distances, bearings} {
			if list == nil || math.IsNaN(list[i]) {
				continue
			}
			h.cost += lineCost(list[i])
			h.misses[i] = h.misses[i] || list[i] > 1.5
		}
	}
	codes := h.codes()
	h.penalty = penaltyOf(codes, h.radiusM != 0 && !isMean(h.radiusM))
	if slices.Contains(codes, Cut) {
		h.penalty += fitCost
	}
	if h.radiusM != 0 && isMean(h.radiusM) && math.Abs(h.radiusM-meanRadius) > 0.01 {
		h.penalty += 0.01 // the radius that is computed with goes before others of its kind
	}
}

// uncross looks for two lines that carry one another's numbers, where all but a few are explained.
func (l *lines) uncross(h *hypothesis, results []computed) *hypothesis {
	var missed []int
	for i, m := range h.misses {
		if m {
			missed = append(missed, i)
		}
	}
	if len(missed) < 2 || len(missed) > max(2, len(l.all)/3) || len(missed) > 12 {
		return nil
	}
	residuals := func(i, by int) (d, b float64) {
		d, b = math.NaN(), math.NaN()
		if h.scale != nil {
			factor := h.scale.factor
			if h.radiusM != 0 {
				factor *= h.radiusM / meanRadius
			}
			d = l.distanceResidual(i, results[by].distanceM*factor)
		}
		if h.turning != nil {
			scale := 1.0
			if h.turning.radians {
				scale = degree
			}
			b = l.bearingResidual(i, h.turning.apply(results[by]), scale)
		}
		return d, b
	}
	costOf := func(i, by int) float64 {
		sum := 0.0
		d, b := residuals(i, by)
		for _, r := range []float64{d, b} {
			if !math.IsNaN(r) {
				sum += lineCost(r)
			}
		}
		return sum
	}
	best, gain := [2]int{}, 0.0
	for n, i := range missed {
		for _, k := range missed[n+1:] {
			if g := costOf(i, i) + costOf(k, k) - costOf(i, k) - costOf(k, i); g > gain {
				best, gain = [2]int{i, k}, g
			}
		}
	}
	if gain <= mistakeCost {
		return nil
	}
	x := *h
	x.crossed = best
	distances, bearings := make([]float64, len(l.all)), make([]float64, len(l.all))
	for i := range l.all {
		by := i
		switch i {
		case best[0]:
			by = best[1]
		case best[1]:
			by = best[0]
		}
		distances[i], bearings[i] = residuals(i, by)
	}
	l.settle(&x, distances, bearings)
	x.penalty += fitCost
	return &x
}

// findings are the mistakes of the best hypothesis, those that matter most first, then what else explains the lines.
func (l *lines) findings(best, null *hypothesis, all []*hypothesis) (out []Finding) {
	codes := best.codes()
	// A mistake matters by what the lines cost without it.
	weight, without := map[Code]float64{}, map[Code]int{}
	for _, c := range codes {
		least := math.Inf(1)
		for _, h := range all {
			if own := h.codes(); len(own) == len(codes)-1 && !slices.Contains(own, c) && subset(own, codes) {
				if least > h.cost {
					least, without[c] = h.cost, h.explained()
				}
			}
		}
		if math.IsInf(least, 1) {
			without[c] = null.explained()
		}
		weight[c] = min(least, null.cost) - best.cost
	}
	slices.SortStableFunc(codes, func(a, b Code) int { return cmp.Compare(weight[b], weight[a]) })
	put := func(h *hypothesis, c Code, alternative bool) {
		f := Finding{Code: c, Lines: len(l.all), Alternative: alternative, Explained: h.explained(),
			Without: without[c], Before: null.residual(), After: h.residual()}
		switch c {
		case Radius, Sphere, Flat, FlatCosine, Radians:
			if f.RadiusM = h.radiusM; f.RadiusM == 0 {
				f.RadiusM = meanRadius
			}
		case Cut:
			f.Decimals = h.in.decimals
		case Crossed:
			f.Rows = [2]int{l.all[h.crossed[0]].Number, l.all[h.crossed[1]].Number}
		}
		out = append(out, f)
	}
	for _, c := range codes {
		put(best, c, false)
	}
	for _, h := range all {
		if len(out) >= 5 || h.total() > best.total()+alternativeCost || h.total() >= null.total() {
			break
		}
		for _, c := range h.codes() {
			if !slices.ContainsFunc(out, func(f Finding) bool { return f.Code == c }) {
				put(h, c, true)
			}
		}
	}
	return out
}

func subset(a, b []Code) bool {
	for _, c := range a {
		if !slices.Contains(b, c) {
			return false
		}
	}
	return true
}
