package shape

import (
	"cmp"
	"context"
	"math/bits"
	"slices"
)

// The sweep finds which of n sides cross in O(n log n): a vertical line passes over the plane from left to right and
// holds the sides that it cuts in their order from below to above; of two that cross, and cross nothing else before,
// there is a moment at which they are neighbours (Shamos and Hoey 1976, "Geometric intersection problems"; Bentley and
// Ottmann 1979). Where a pair is found one side of it is taken out, so that the order of the others stays true; the
// sides that were taken out are held against all others at the end, so that no pair is missed. Sides may touch: at a
// point those that end there leave before those that begin there come, and what begins on another side is put above or
// below it by its direction. All comparisons are of whole numbers, and exact.
//
// The order also tells which ring each ring lies in: the side just below a ring's leftmost position belongs to it, or
// to one that lies in the same ring.

// nothing stands for no side, and for the parent of a ring that lies in none.
const nothing = -1

// crossing is a pair of sides that cross.
type crossing struct{ s, t side }

// swept is what a sweep has found.
type swept struct {
	crossings []crossing
	// parents are, where nothing crosses, the innermost ring that each ring lies in, by the rings' numbers.
	parents map[int]int
}

// sweep finds the crossings of sides, at most so many pairs. It ends early with its context.
func sweep(ctx context.Context, sides []side, most int) swept {
	w := newSweeper(sides)
	for n, e := range w.events {
		if n%8192 == 8191 && ctx.Err() != nil {
			return swept{}
		}
		switch k := e.side; {
		case e.begins:
			w.insert(k)
		case !w.out[k]:
			below := w.order.before(k)
			w.order.remove(k)
			w.meeting(below)
		}
		if len(w.taken) >= most {
			break
		}
		if n+1 == len(w.events) || w.events[n+1].at != e.at {
			w.placeRings()
		}
	}
	if len(w.taken) == 0 {
		return swept{parents: w.parents}
	}
	return swept{crossings: w.pairs(most)}
}

// sweeper is the state of one sweep. Sides are named by their index.
type sweeper struct {
	sides  []side
	low    []spot // the left end of each, the lower one of a vertical side
	high   []spot
	events []event
	order  *treap
	out    []bool // taken out
	taken  []int32
	// inside tells whether a side has the inside of its ring above it.
	inside []bool
	// lowest holds for each ring that begins at the point under the line the lowest of its sides there.
	lowest  map[int]int32
	seen    map[int]bool
	parents map[int]int
}

type event struct {
	at     spot
	side   int32
	begins bool
}

func compareSpots(a, b spot) int { return cmp.Or(cmp.Compare(a.x, b.x), cmp.Compare(a.y, b.y)) }

func newSweeper(sides []side) *sweeper {
	w := &sweeper{
		sides:   sides,
		low:     make([]spot, len(sides)),
		high:    make([]spot, len(sides)),
		out:     make([]bool, len(sides)),
		lowest:  map[int]int32{},
		seen:    map[int]bool{},
		parents: map[int]int{},
	}
	w.events = make([]event, 0, 2*len(sides))
	for i, s := range sides {
		low, high := s.a, s.b
		if compareSpots(low, high) > 0 {
			low, high = high, low
		}
		w.low[i], w.high[i] = low, high
		w.events = append(w.events, event{low, int32(i), true}, event{high, int32(i), false})
	}
	// At one point what ends comes before what begins.
	slices.SortFunc(w.events, func(a, b event) int {
		if c := compareSpots(a.at, b.at); c != 0 || a.begins == b.begins {
			return cmp.Or(c, cmp.Compare(a.side, b.side))
		}
		if b.begins {
			return -1
		}
		return 1
	})
	w.order = newTreap(len(sides))
	w.inside = insides(sides)
	return w
}

// insides tells for each side whether the inside of its ring lies above it.
func insides(sides []side) []bool {
	out := make([]bool, len(sides))
	for from, to := 0, 0; from < len(sides); from = to {
		// twice the area at the left of those that go round the first position, and at the right
		var left, right uint128
		origin := sides[from].a
		for to = from; to < len(sides) && sides[to].ring == sides[from].ring; to++ {
			a, b := sides[to].a, sides[to].b
			for _, p := range [2][2]int64{{a.x - origin.x, b.y - origin.y}, {origin.y - a.y, b.x - origin.x}} {
				switch sign, hi, lo := product(p[0], p[1]); sign {
				case 1:
					left.add(hi, lo)
				case -1:
					right.add(hi, lo)
				}
			}
		}
		for k := from; k < to; k++ {
			out[k] = (compareSpots(sides[k].a, sides[k].b) < 0) == right.less(left)
		}
	}
	return out
}

type uint128 struct{ hi, lo uint64 }

func (u *uint128) add(hi, lo uint64) {
	var carry uint64
	u.lo, carry = bits.Add64(u.lo, lo, 0)
	u.hi += hi + carry
}

func (u uint128) less(v uint128) bool { return u.hi < v.hi || u.hi == v.hi && u.lo < v.lo }

// insert puts a side into the order and looks at its neighbours.
func (w *sweeper) insert(k int32) {
	if !w.order.insert(k, w.compare) { // it lies on another
		w.take(k)
		return
	}
	ring := w.sides[k].ring
	if other, begun := w.lowest[ring]; begun && turn(w.low[k], w.high[k], w.high[other]) > 0 || !w.seen[ring] {
		w.lowest[ring] = k
	}
	w.seen[ring] = true
	if below := w.order.before(k); below != nothing && crossed(w.sides[below], w.sides[k]) {
		w.order.remove(k)
		w.take(k)
		return
	}
	w.meeting(k)
}

// placeRings finds out what lies around the rings that have begun at one point.
func (w *sweeper) placeRings() {
	for ring := range w.lowest {
		if len(w.taken) == 0 {
			w.place(ring)
		}
	}
	clear(w.lowest)
}

// place returns the innermost ring that lies around another: the side just below it is that ring's, or of one that lies
// in the same.
func (w *sweeper) place(ring int) int {
	if parent, known := w.parents[ring]; known {
		return parent
	}
	parent := nothing
	if below := w.order.before(w.lowest[ring]); below != nothing {
		if parent = w.sides[below].ring; !w.inside[below] {
			parent = w.place(parent)
		}
	}
	w.parents[ring] = parent
	return parent
}

// compare tells where a side that begins now lies against one of the order: -1 below, 1 above, 0 on it.
func (w *sweeper) compare(k, other int32) int {
	if c := turn(w.low[other], w.high[other], w.low[k]); c != 0 {
		return c
	}
	return turn(w.low[other], w.high[other], w.high[k])
}

// meeting takes out what lies above a side as long as the two cross.
func (w *sweeper) meeting(a int32) {
	if a == nothing {
		return
	}
	for b := w.order.after(a); b != nothing && crossed(w.sides[a], w.sides[b]); b = w.order.after(a) {
		w.order.remove(b)
		w.take(b)
	}
}

func (w *sweeper) take(k int32) {
	w.out[k] = true
	w.taken = append(w.taken, k)
}

// pairs returns the pairs that the sides which were taken out are of.
func (w *sweeper) pairs(most int) []crossing {
	slices.Sort(w.taken)
	var out []crossing
	for _, k := range w.taken {
		for i := range w.sides {
			// Of two that were both taken out the pair is told once.
			if i == int(k) || w.out[i] && i < int(k) || !crossed(w.sides[i], w.sides[k]) {
				continue
			}
			if out = append(out, crossing{w.sides[min(i, int(k))], w.sides[max(i, int(k))]}); len(out) >= most {
				return out
			}
		}
	}
	return out
}

// treap is a search tree that is balanced by random priorities (Seidel and Aragon 1996), over items named by their
// index, each with its neighbours in a list.
type treap struct {
	root           int32
	left, right    []int32
	up             []int32
	previous, next []int32
	priority       []uint32
	seed           uint32
}

func newTreap(n int) *treap {
	t := &treap{root: nothing, left: make([]int32, n), right: make([]int32, n), up: make([]int32, n),
		previous: make([]int32, n), next: make([]int32, n), priority: make([]uint32, n), seed: 2463534242}
	return t
}

func (t *treap) before(k int32) int32 { return t.previous[k] }
func (t *treap) after(k int32) int32  { return t.next[k] }

// insert puts k where compare(k, other) says it belongs; it returns false, and does nothing, where it is equal to one.
func (t *treap) insert(k int32, compare func(k, other int32) int) bool {
	parent, below, above := int32(nothing), int32(nothing), int32(nothing)
	for at := t.root; at != nothing; {
		parent = at
		switch c := compare(k, at); {
		case c == 0:
			return false
		case c < 0:
			above, at = at, t.left[at]
		default:
			below, at = at, t.right[at]
		}
	}
	t.seed ^= t.seed << 13 // xorshift (Marsaglia 2003)
	t.seed ^= t.seed >> 17
	t.seed ^= t.seed << 5
	t.left[k], t.right[k], t.up[k], t.priority[k] = nothing, nothing, parent, t.seed
	switch {
	case parent == nothing:
		t.root = k
	case parent == above:
		t.left[parent] = k
	default:
		t.right[parent] = k
	}
	t.link(below, k)
	t.link(k, above)
	for p := t.up[k]; p != nothing && t.priority[p] < t.priority[k]; p = t.up[k] {
		t.rotate(k)
	}
	return true
}

// remove takes k out.
func (t *treap) remove(k int32) {
	for t.left[k] != nothing || t.right[k] != nothing { // down to a leaf
		child := t.left[k]
		if r := t.right[k]; child == nothing || r != nothing && t.priority[r] > t.priority[child] {
			child = r
		}
		t.rotate(child)
	}
	t.replace(k, nothing)
	t.link(t.previous[k], t.next[k])
}

func (t *treap) link(below, above int32) {
	if below != nothing {
		t.next[below] = above
	}
	if above != nothing {
		t.previous[above] = below
	}
}

// replace puts another item, or nothing, below the parent of k.
func (t *treap) replace(k, by int32) {
	switch p := t.up[k]; {
	case p == nothing:
		t.root = by
	case t.left[p] == k:
		t.left[p] = by
	default:
		t.right[p] = by
	}
	if by != nothing {
		t.up[by] = t.up[k]
	}
}

// rotate puts k in the place of its parent.
func (t *treap) rotate(k int32) {
	p := t.up[k]
	t.replace(p, k)
	if t.left[p] == k {
		if t.left[p] = t.right[k]; t.right[k] != nothing {
			t.up[t.right[k]] = p
		}
		t.right[k] = p
	} else {
		if t.right[p] = t.left[k]; t.left[k] != nothing {
			t.up[t.left[k]] = p
		}
		t.left[k] = p
	}
	t.up[p] = k
}
