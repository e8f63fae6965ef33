package address

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// reader is the working memory of one query.
type reader struct {
	x     *index
	query Query
	// suggesting tells that the query is still being typed, typing that its last word is.
	suggesting, typing bool
	tokens             []token
	// ignoringAll is what it costs to explain nothing.
	ignoringAll float64

	matches    []wordMatch
	completing []completion
	order      []uint32
	held       []float32 // by name; all 0 between two uses
	touched    []uint32
	named      []nameMatch
	numbers    []numberAsked
	// numberTokens are the tokens that may be a house number.
	numberTokens tokenSet
	around       around
	readings     []reading
	streetsTo    int // how many streets may still be looked at
	limits       limits
	best         float64 // the least cost of a reading so far
	record       []recorded
	recording    bool
}

func newReader(x *index) *reader {
	return &reader{x: x, held: make([]float32, x.r.Names()), around: around{
		localities: map[uint32]nameMatch{}, districts: map[uint32]nameMatch{}, postcodes: map[uint32]nameMatch{}}}
}

// limits bound the work of a query: the names looked at because of their words, the streets, the readings kept, and how
// much a reading may cost more than the best.
type limits struct {
	postings, streets, readings int
	keep                        float64
}

var (
	asked = limits{postings: 60_000, streets: 20_000, readings: 4000, keep: keepWithin}
	typed = limits{postings: 12_000, streets: 2500, readings: 600, keep: keepTyping}
)

// typedEnough is how much a completion may cost for words with two errors not to be tried: the next keystroke comes.
const typedEnough = 3.5

const (
	mostThings     = 3000 // of one name
	neighbourhoodM = 2500.0
)

func (rd *reader) begin(q Query, typing bool) {
	rd.query, rd.suggesting, rd.typing = q, typing, typing
	rd.limits = asked
	if typing {
		rd.limits = typed
	}
	rd.tokens = tokens(rd.tokens, q)
	if n := len(rd.tokens); n > 0 && typing && q.Text != "" {
		if last := q.Text[len(q.Text)-1]; last == ' ' || last == ',' || last == '\n' {
			rd.typing = false
		}
	}
	rd.readings = rd.readings[:0]
}

// read makes the readings of a stage. Those of the stages before are made anew with it.
func (rd *reader) read(stage int) {
	rd.readings = rd.readings[:0]
	if len(rd.tokens) == 0 {
		return
	}
	rd.words(stage)
	rd.ignoringAll = 0
	for i := range rd.tokens {
		rd.ignoringAll += rd.tokens[i].ignoring()
	}
	rd.names()
	rd.askedNumbers()
	rd.lookAround()
	rd.streetsTo = rd.limits.streets
	rd.best = math.Inf(1)
	rd.crossings()
	rd.categories()
	for _, m := range rd.named {
		if rd.least(m) > rd.best+rd.limits.keep && !rd.x.exhaustive {
			continue
		}
		rd.readName(m)
		if len(rd.readings) > rd.limits.readings && !rd.x.exhaustive {
			break
		}
	}
	rd.keepBest()
}

// explained tells whether what a stage found is so good that no reading with more errors can be better.
func (rd *reader) explained(stage int) bool {
	best := math.Inf(1)
	all := tokenSet(1)<<len(rd.tokens) - 1
	for i := range rd.readings {
		r := &rd.readings[i]
		best = min(best, r.cost+rd.spared(all&^r.tokens)) // what it leaves out counts twice: it may be misspelt
	}
	enough := float64(stage+1) * 0.95
	if rd.suggesting && stage == 1 {
		enough = typedEnough
	}
	return best < enough && !rd.x.exhaustive
}

// keepBest puts the readings in order, and leaves out those that cost much more than the best. What is near costs less.
func (rd *reader) keepBest() {
	best := math.Inf(1)
	for i := range rd.readings {
		best = min(best, rd.readings[i].cost)
	}
	kept := rd.readings[:0]
	for _, r := range rd.readings {
		if r.cost <= best+rd.limits.keep && r.at.IsValid() {
			if rd.query.Near.IsValid() {
				r.rank += farness(rd.query.Near, r.at)
			}
			kept = append(kept, r)
		}
	}
	rd.readings = kept
	slices.SortFunc(kept, func(a, b reading) int {
		return cmp.Or(cmp.Compare(a.rank, b.rank), cmp.Compare(a.kind, b.kind), cmp.Compare(a.item, b.item),
			cmp.Compare(a.other, b.other), cmp.Compare(a.house.first, b.house.first), cmp.Compare(a.name.name,
				b.name.name))
	})
	// A thing is one find, by the best of the names that lead to it.
	type thing struct {
		kind        Kind
		item, other uint32
	}
	seen := map[thing]bool{}
	rd.readings = slices.DeleteFunc(kept, func(r reading) bool {
		key := thing{r.kind, r.item, r.other}
		twice := seen[key]
		seen[key] = true
		return twice
	})
}

// farness is what it costs that something lies far from where the person looks: nothing within a kilometre, the most
// from 250 km on.
func farness(near, at geo.Point) float64 {
	km := geodesy.Measure(geodesy.Sphere, near, at).DistanceM / 1000
	return nearCost * math.Min(1, math.Log2(1+km)/8)
}
