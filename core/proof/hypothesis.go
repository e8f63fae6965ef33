package proof

import (
	"math"
	"slices"

	"viandante/core/geodesy"
)

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

func (h *hypothesis) total() float64 { return h.cost + h.penalty }

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
