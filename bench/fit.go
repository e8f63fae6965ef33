package main

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// The regions that confidence is fitted on. The one that figures are told of has another seed and size.
var fitSeeds = []uint64{101, 102, 103}

const (
	fitAddresses  = 60_000
	fitQueries    = 900 // of each class and region
	confidenceTo  = "core/address/confidence.json"
	fitIterations = 40
	evidence      = len(address.Evidence{})
)

func distanceM(a, b geo.Point) float64 { return geodesy.Distance(a, b) }

func indexOf(d *region.Draft) (address.Index, []byte, error) {
	data, err := region.Encode(d)
	if err != nil {
		return nil, nil, err
	}
	r, err := region.Open(data)
	if err != nil {
		return nil, nil, err
	}
	return address.NewIndex(r), data, nil
}

type sample struct {
	e     address.Evidence
	right bool
	score float64
}

// fit computes the weights of the evidence on regions made for that, and writes them.
func fit() error {
	var all []sample
	for _, seed := range fitSeeds {
		c := newAddressCountry(seed, fitAddresses)
		x, _, err := indexOf(c.draft)
		if err != nil {
			return err
		}
		t := &typist{rand.New(rand.NewPCG(seed, 1)), c}
		for _, class := range classes {
			if class.name == "beginning" {
				continue
			}
			for n := 0; n < fitQueries; {
				q, ok := t.ask(class.name)
				if !ok {
					continue
				}
				n++
				finds, _, err := x.Forward(context.Background(), address.Query{Text: q.query, Limit: 3})
				if err != nil {
					return err
				}
				for i := range finds {
					if i < 2 {
						all = append(all, sample{e: finds[i].Evidence, right: q.right(&finds[i])})
					}
				}
			}
		}
	}
	f := address.Fit{Weights: logistic(all)}
	for i := range all {
		all[i].score = f.Logit(all[i].e)
	}
	f.Score, f.Right = isotonic(all)
	text, err := json.MarshalIndent(f, "", " ")
	if err != nil {
		return err
	}
	fmt.Println(len(all), "finds;", f.Weights)
	return os.WriteFile(confidenceTo, append(text, '\n'), 0o644)
}

// logistic returns the weights of a logistic regression by Newton's method with a little ridge.
func logistic(all []sample) (w address.Evidence) {
	const n = evidence
	for range fitIterations {
		var g [n]float64
		var h [n][n]float64
		for i := range n {
			g[i], h[i][i] = -0.5*w[i], 0.5
		}
		for _, s := range all {
			z := 0.0
			for i := range n {
				z += w[i] * s.e[i]
			}
			p := 1 / (1 + math.Exp(-z))
			y := 0.0
			if s.right {
				y = 1
			}
			for i := range n {
				g[i] += (y - p) * s.e[i]
				for k := range n {
					h[i][k] += p * (1 - p) * s.e[i] * s.e[k]
				}
			}
		}
		step := solve(h, g)
		for i := range n {
			w[i] += step[i]
		}
	}
	for i := range n {
		w[i] = math.Round(w[i]*1e4) / 1e4
	}
	return w
}

// solve returns x with h x = g, by elimination with the greatest pivot.
func solve(h [evidence][evidence]float64, g [evidence]float64) (x [evidence]float64) {
	b := g
	for i := range evidence {
		p := i
		for r := i + 1; r < evidence; r++ {
			if math.Abs(h[r][i]) > math.Abs(h[p][i]) {
				p = r
			}
		}
		h[i], h[p], b[i], b[p] = h[p], h[i], b[p], b[i]
		for r := i + 1; r < evidence; r++ {
			f := h[r][i] / h[i][i]
			for c := i; c < evidence; c++ {
				h[r][c] -= f * h[i][c]
			}
			b[r] -= f * b[i]
		}
	}
	for i := evidence - 1; i >= 0; i-- {
		sum := b[i]
		for c := i + 1; c < evidence; c++ {
			sum -= h[i][c] * x[c]
		}
		x[i] = sum / h[i][i]
	}
	return x
}

// isotonic returns the shares that were right by rising score: pooled until they rise (pool adjacent violators).
func isotonic(all []sample) (score, right []float64) {
	slices.SortFunc(all, func(a, b sample) int { return cmp.Compare(a.score, b.score) })
	type block struct{ score, right, n float64 }
	var blocks []block
	const least = 120.0
	var cur block
	for i, s := range all {
		y := 0.0
		if s.right {
			y = 1
		}
		cur = block{cur.score + s.score, cur.right + y, cur.n + 1}
		if cur.n < least || i+1 < len(all) && all[i+1].score == s.score {
			continue
		}
		blocks = append(blocks, cur)
		cur = block{}
		for k := len(blocks) - 1; k > 0 && blocks[k].right/blocks[k].n <= blocks[k-1].right/blocks[k-1].n; k-- {
			a, b := blocks[k-1], blocks[k]
			blocks = append(blocks[:k-1], block{a.score + b.score, a.right + b.right, a.n + b.n})
		}
	}
	for _, b := range blocks {
		score = append(score, math.Round(b.score/b.n*1e4)/1e4)
		right = append(right, math.Round((b.right+0.5)/(b.n+1)*1e4)/1e4)
	}
	return score, right
}
