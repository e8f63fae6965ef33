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
		if subset(codes, h.codes()) {
			continue // the same, and one mistake more
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
