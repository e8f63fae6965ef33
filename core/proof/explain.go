package proof

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geodesy"
)

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
				results[k] = computeOn(m, f).compute(from, to, in.radians)
				if m == geodesy.Rhumb && f == onEllipsoid && len(in.codes) == 0 {
					r := geodesy.Measure(m, l.all[k].From, l.all[k].To)
					results[k] = computed{r.DistanceM, r.InitialBearing, r.FinalBearing}
				}
			}
			out = append(out, l.combined(in, f, results)...)
		}
	}
	return out
}

// computeOn is the figure that stands for the reference's own: where a sphere is asked for, a sphere is no mistake.
func computeOn(m geodesy.Model, f figure) figure {
	if m == geodesy.Sphere && f == onEllipsoid {
		return onSphere
	}
	return f
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
