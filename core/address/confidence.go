package address

import (
	_ "embed"
	"encoding/json"
	"math"
)

// Evidence is what the confidence in a reading is computed from.
type Evidence [12]float64

// fitted holds the weights of Evidence, and the table that turns their sum into a share. `go run ./bench fit` writes
// it; see docs/geocoding.md.
//
//go:embed confidence.json
var fittedText []byte

// Fit turns evidence into a confidence: a logistic regression, and then the shares that were right in each of its
// steps (isotonic regression; Zadrozny and Elkan 2002), straight between their middles.
type Fit struct {
	Weights Evidence  `json:"weights"`
	Score   []float64 `json:"score"`
	Right   []float64 `json:"right"`
}

var fitted = mustFit(fittedText)

func mustFit(text []byte) (f Fit) {
	if err := json.Unmarshal(text, &f); err != nil {
		panic(err)
	}
	return f
}

// Logit is the sum of the evidence by its weights.
func (f *Fit) Logit(e Evidence) (sum float64) {
	for i, w := range f.Weights {
		sum += w * e[i]
	}
	return sum
}

// Confidence returns how often what has so much evidence is right.
func (f *Fit) Confidence(e Evidence) float64 {
	s := f.Logit(e)
	if len(f.Score) == 0 {
		return 1 / (1 + math.Exp(-s))
	}
	if s <= f.Score[0] {
		return f.Right[0]
	}
	for i := 1; i < len(f.Score); i++ {
		if s <= f.Score[i] {
			share := (s - f.Score[i-1]) / (f.Score[i] - f.Score[i-1])
			return f.Right[i-1] + share*(f.Right[i]-f.Right[i-1])
		}
	}
	return f.Right[len(f.Right)-1]
}

// evidence weighs a reading against all: share is its part of their likelihood.
func (rd *reader) evidence(r *reading, share float64) Evidence {
	flag := func(yes bool) float64 {
		if yes {
			return 1
		}
		return 0
	}
	between := r.kind == House && r.house.cost == numberBetween
	return Evidence{
		1,
		math.Max(-6, math.Min(6, math.Log(share/math.Max(1e-9, 1-share)))),
		math.Min(r.cost, hopeless),
		flag(r.cost < faultless),
		flag(r.kind == House && r.house.cost == 0),
		flag(between),
		flag(r.number && r.kind == Street),
		r.ignored,
		float64(min(r.name.lacks, 3)),
		flag(r.placed != 0),
		flag(r.kind == House && !between && r.house.cost > 0),
		float64(min(r.changed, 3)),
	}
}
