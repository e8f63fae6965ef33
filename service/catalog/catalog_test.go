package catalog

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/mercator"
	"viandante/core/tile"
	"viandante/store"
)

// world is a catalog beside a plain map of what should be in it.
type world struct {
	t     *testing.T
	r     *rand.Rand
	c     *Catalog
	truth map[uuid.UUID]*feature.Feature
	ids   []uuid.UUID
	no    uint64
}

func newWorld(t *testing.T, seed uint64) *world {
	t.Helper()
	w := &world{t: t, r: rand.New(rand.NewPCG(seed, seed)), c: New(), truth: map[uuid.UUID]*feature.Feature{}}
	require.NoError(t, w.c.Load(w.contents()))
	return w
}

// contents are what a database would have.
func (w *world) contents() Contents {
	all := slices.SortedFunc(maps.Values(w.truth), byID)
	return Contents{No: w.no, Features: func(yield func(*feature.Feature) error) error {
		for _, f := range all {
			if err := yield(f); err != nil {
				return err
			}
		}
		return nil
	}}
}

func byID(a, b *feature.Feature) int { return bytes.Compare(a.ID[:], b.ID[:]) }

// somewhere is crowded at the poles, at the antimeridian and on a few metres.
func (w *world) somewhere() geo.Point {
	r := w.r
	switch r.IntN(5) {
	case 0:
		return geo.MustPoint(89.5+r.Float64()/2, r.Float64()*360-180).Rounded()
	case 1:
		return geo.MustPoint(r.Float64()*2-1, geo.WrapLng(179+r.Float64()*2)).Rounded()
	case 2:
		return geo.MustPoint(-38+r.Float64()/1e4, -26+r.Float64()/1e4).Rounded()
	}
	return geo.MustPoint(r.Float64()*180-90, r.Float64()*360-180).Rounded()
}

var names = []string{
	"Årsund Pump",
	"arsund spring",
	"Mill Spout",
	"mill spout",
	"Zeta",
	`Bench & "Vice"`,
	"",
	"Ünder\nHill",
}

func (w *world) feature(id uuid.UUID) *feature.Feature {
	r := w.r
	f := &feature.Feature{ID: id, Collection: []string{"posts", "wells"}[r.IntN(2)], Name: names[r.IntN(len(names))],
		Category: []string{"a", "b", ""}[r.IntN(3)], CreatedAt: time.UnixMicro(r.Int64N(1e15)).UTC(),
		UpdatedAt: time.UnixMicro(r.Int64N(1e15)).UTC()}
	values := map[string]any{}
	switch r.IntN(4) {
	case 0:
		values["depth"] = float64(r.IntN(40))
	case 1:
		values["depth"] = []string{"deep", "Deeper", "10"}[r.IntN(3)]
	}
	var err error
	f.Attributes, err = feature.NewAttributes(values)
	require.NoError(w.t, err)
	switch at := w.somewhere(); r.IntN(8) {
	case 0: // not known yet
	case 1:
		f.Geometry, err = feature.NewCircle(at, 1+float64(r.IntN(500_000)))
	case 2:
		f.Geometry, err = feature.NewLine([]geo.Point{at, w.somewhere()}, []float64{1, 2.5})
	default:
		f.Geometry = feature.At(at)
	}
	require.NoError(w.t, err)
	if r.IntN(6) == 0 {
		m, now := r.Float64()*100, time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
		f.ElevationM, f.FixedAt, f.Source, f.AddressTyped = &m, &now, "test", "Mill Lane 2"
		f.AddressFound = []byte(`{"label":"Mill Lane 2"}`)
	}
	return f
}

// change takes in some creations, changes and deletions, each under a number of its own or all under one.
func (w *world) change(n int) {
	w.t.Helper()
	var log []store.Logged
	for range n {
		w.no++
		l := store.Logged{No: w.no, Topic: store.Features}
		k := w.r.IntN(10)
		id := uuid.Must(uuid.NewV7())
		if k >= 6 && len(w.ids) > 20 {
			id = w.ids[w.r.IntN(len(w.ids))]
		} else {
			w.ids = append(w.ids, id)
		}
		l.Entity = id.String()
		if k < 9 {
			l.After = w.feature(id)
			l.After.Version = w.no
			w.truth[id] = l.After
		} else {
			delete(w.truth, id)
		}
		log = append(log, l)
	}
	require.NoError(w.t, w.c.Apply(log))
}

// check holds what a catalog answers to a scan of everything, seen by a view.
func (w *world) check(s *Snapshot, v View) {
	w.t.Helper()
	seen := func(f *feature.Feature) bool { return v.Sees(f.Collection) }
	counts := map[string]int{}
	for id, f := range w.truth {
		if seen(f) {
			counts[f.Collection]++
		}
		row, ok := s.Get(v, id)
		require.Equal(w.t, seen(f), ok)
		if ok && w.r.IntN(50) == 0 {
			got, err := row.Feature()
			require.NoError(w.t, err)
			require.Equal(w.t, f, got)
			require.JSONEq(w.t, "{"+string(f.AppendMembers(nil))+"}", "{"+string(row.AppendMembers(nil))+"}")
		}
	}
	require.Equal(w.t, counts, s.Counts(v))
	for range 6 {
		w.checkNear(s, v)
		w.checkPage(s, v)
		w.checkMarks(s, v)
		w.checkList(v)
	}
}

func (w *world) checkNear(s *Snapshot, v View) {
	q := Near{At: w.somewhere(), WithinM: math.Pow(10, 1+w.r.Float64()*6.3), Limit: 1 + w.r.IntN(60)}
	q.BeyondM = q.WithinM * w.r.Float64() * 0.7
	if w.r.IntN(2) == 0 {
		q.Categories = []string{"a"}
	}
	type near struct {
		id uuid.UUID
		m  float64
	}
	var want, got []near
	for id, f := range w.truth {
		if f.Geometry.Form() != feature.Point || !v.Sees(f.Collection) || q.Categories != nil && f.Category != "a" {
			continue
		}
		if d := geodesy.Distance(q.At, f.Geometry.Point()); d >= q.BeyondM && d <= q.WithinM {
			want = append(want, near{id, d})
		}
	}
	slices.SortFunc(want, func(a, b near) int { return cmp.Or(cmp.Compare(a.m, b.m), bytes.Compare(a.id[:], b.id[:])) })
	require.Equal(w.t, len(want), s.CountNear(v, q))
	want = want[:min(q.Limit, len(want))]
	for _, h := range s.Near(v, q) {
		got = append(got, near{h.ID(), h.DistanceM})
	}
	require.Len(w.t, got, len(want))
	for i := range want {
		require.Equal(w.t, want[i].id, got[i].id)
		require.InDelta(w.t, want[i].m, got[i].m, 1e-6)
	}
}

func (w *world) checkPage(s *Snapshot, v View) {
	q := Page{Collection: "posts", Limit: 1 + w.r.IntN(30)}
	if w.r.IntN(3) == 0 {
		q.Where = map[string]string{"depth": "10"}
	}
	if w.r.IntN(3) == 0 {
		q.Name = &names[0]
	}
	if w.r.IntN(3) == 0 {
		q.Box = &geo.Box{South: -20, North: 30, West: 100, East: -90}
	}
	if len(w.ids) > 0 {
		q.After = w.ids[w.r.IntN(len(w.ids))]
	}
	var want, got []uuid.UUID
	for id, f := range w.truth {
		if f.Collection != "posts" || !v.Sees("posts") || bytes.Compare(id[:], q.After[:]) <= 0 ||
			q.Where != nil && f.Attributes.Get("depth").Text != "10" || q.Name != nil && f.Name != *q.Name ||
			q.Box != nil && !f.Geometry.Intersects(*q.Box) {
			continue
		}
		want = append(want, id)
	}
	slices.SortFunc(want, compareIDs)
	want = want[:min(q.Limit, len(want))]
	for _, r := range s.Page(v, q) {
		got = append(got, r.ID())
	}
	require.Equal(w.t, want, got)
}

func (w *world) checkMarks(s *Snapshot, v View) {
	z := w.r.IntN(18)
	id := tile.At(w.somewhere(), z)
	want := map[[2]int]int{}
	for _, f := range w.truth {
		if f.Geometry.Form() != feature.Point || !v.Sees(f.Collection) {
			continue
		}
		x, y := mercator.Project(f.Geometry.Point())
		n := math.Ldexp(1, z+markDepth)
		column, row := int(math.Min(n-1, x*n)), int(math.Min(n-1, y*n))
		if column>>markDepth == id.X && row>>markDepth == id.Y {
			want[[2]int{column, row}]++
		}
	}
	got := map[[2]int]int{}
	for _, m := range s.Marks(v, id, nil, nil) {
		x, y := mercator.Project(m.At)
		n := math.Ldexp(1, z+markDepth)
		got[[2]int{int(math.Min(n-1, x*n)), int(math.Min(n-1, y*n))}] += m.Count
		if m.Count == 1 {
			require.Equal(w.t, w.truth[m.Row.ID()].Geometry.Point(), m.At)
		} else {
			near := geo.Box{South: m.Cell.South - 1e-6, West: m.Cell.West - 1e-6, North: m.Cell.North + 1e-6,
				East: m.Cell.East + 1e-6}
			require.True(w.t, near.Contains(m.At), "%v in %v", m.At, m.Cell)
		}
	}
	require.Equal(w.t, want, got)
}

// fold is what takes case, accents and line ends off the names above.
var fold = strings.NewReplacer("å", "a", "ü", "u", "\n", " ")

func folded(v any) string {
	if v == nil {
		return ""
	}
	return fold.Replace(strings.ToLower(fmt.Sprint(v)))
}

func (w *world) checkList(v View) {
	r := w.r
	q := List{
		Sort:       []string{"name", "depth", "category", "lat", "version", "updated_at", "kind"}[r.IntN(7)],
		Descending: r.IntN(2) == 0,
		Offset:     r.IntN(60),
		Limit:      1 + r.IntN(60),
	}
	if r.IntN(2) == 0 {
		q.Text = []string{"ARSUND", "mill  sp", "10", "nothing like it", "under", "lane"}[r.IntN(6)]
	}
	if r.IntN(3) == 0 {
		q.Categories = []string{"b"}
	}
	if r.IntN(5) == 0 {
		q.Kinds = []string{"path", "area"}
	}
	if r.IntN(4) == 0 {
		placed := r.IntN(2) == 0
		q.Placed = &placed
	}
	if r.IntN(4) == 0 {
		q.Where = map[string]string{"depth": []string{"", "10", "deep"}[r.IntN(3)]}
	}
	if r.IntN(4) == 0 {
		q.Box = &geo.Box{South: -20, North: 30, West: 100, East: -90}
	}
	if r.IntN(6) == 0 && len(w.ids) > 30 {
		q.IDs = append(w.ids[:30:30], w.ids[0], uuid.New())
	}
	want := w.scan(v, q)
	got, total := w.c.List(v, q)
	require.Equal(w.t, len(want), total, "%+v", q)
	want = want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
	require.Len(w.t, got, len(want))
	for i := range got {
		require.Equal(w.t, want[i], got[i].ID(), "%+v: row %d", q, i)
	}
}

// scan answers a question for a list by looking at everything.
func (w *world) scan(v View, q List) []uuid.UUID {
	var out []uuid.UUID
	for id, f := range w.truth {
		depth := f.Attributes.Get("depth").Text
		if !v.Sees(f.Collection) || q.Categories != nil && f.Category != q.Categories[0] ||
			q.Placed != nil &&
				*q.Placed != f.Geometry.IsKnown() || q.Kinds != nil && !slices.Contains(q.Kinds, f.Kind().String()) ||
			q.Box != nil && !f.Geometry.Intersects(*q.Box) || q.IDs != nil && !slices.Contains(q.IDs, id) {
			continue
		}
		if want, ok := q.Where["depth"]; ok && want != depth {
			continue
		}
		all := strings.Join([]string{folded(f.Name), folded(f.Category), folded(depth), folded(f.AddressTyped)}, "\n")
		if slices.ContainsFunc(
			strings.Fields(folded(q.Text)),
			func(word string) bool { return !strings.Contains(all, word) },
		) {
			continue
		}
		out = append(out, id)
	}
	// rank is 0 for numbers, 1 for texts, 2 for nothing.
	key := func(f *feature.Feature) (rank int, n float64, s string) {
		text := ""
		switch q.Sort {
		case "name":
			text = f.Name
		case "category":
			text = f.Category
		case "kind":
			text = f.Kind().String()
		case "updated_at":
			return 0, float64(f.UpdatedAt.UnixMicro()), ""
		case "lat":
			if f.Geometry.Form() == feature.Point {
				return 0, f.Geometry.Point().Lat(), ""
			}
		case "depth":
			v := f.Attributes.Get("depth")
			if v.Type == feature.Number {
				return 0, v.Number, ""
			}
			text = v.Text
		}
		if text != "" {
			return 1, 0, folded(text)
		}
		return 2, 0, ""
	}
	slices.SortFunc(out, func(a, b uuid.UUID) int {
		f, g := w.truth[a], w.truth[b]
		r1, n1, s1 := key(f)
		r2, n2, s2 := key(g)
		c := cmp.Or(cmp.Compare(r1, r2), cmp.Compare(n1, n2), cmp.Compare(s1, s2))
		if q.Descending && r1 < 2 && r2 < 2 {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(f.Name, g.Name), compareIDs(a, b))
	})
	return out
}

var bothViews = []View{Everything(), Only("wells")}

// Features come and go at random; after each lot everything that a catalog answers is what a scan of a plain map finds:
// in the base, in the runs behind it, after the base was built anew, and in a catalog that is loaded later.
func TestAnswersAreThoseOfAScan(t *testing.T) {
	w := newWorld(t, 11)
	for lot := range 14 {
		w.change(1 + w.r.IntN(150))
		for _, v := range bothViews {
			w.check(w.c.Now(), v)
		}
		if lot%4 == 3 {
			w.c.Rebuild()
			assert.Len(t, w.c.Now().runs, 1)
			w.check(w.c.Now(), Everything())
		}
	}
	before := w.c
	w.c = New()
	require.NoError(t, w.c.Load(w.contents()))
	for _, v := range bothViews {
		w.check(w.c.Now(), v)
	}
	assert.Equal(t, before.Now().Counts(Everything()), w.c.Now().Counts(Everything()))
	assert.Empty(t, w.c.Now().Counts(View{}), "the zero view sees nothing")
}

// What is changed while a base is being built is in the snapshot that it is swapped into.
func TestChangesWhileTheBaseIsBuilt(t *testing.T) {
	w := newWorld(t, 12)
	w.change(3000)
	for range 6 {
		done := make(chan struct{})
		go func() { w.c.Rebuild(); close(done) }()
		for range 5 {
			w.change(40)
		}
		<-done
		w.check(w.c.Now(), Everything())
	}
}

// A few places that change all the time take no more and more room: chunks of which little holds are written anew and
// go.
func TestWhatHasGoneIsGivenBack(t *testing.T) {
	c := New()
	require.NoError(t, c.Load(Contents{Features: func(func(*feature.Feature) error) error { return nil }}))
	ids := make([]uuid.UUID, 100)
	for i := range ids {
		ids[i] = uuid.Must(uuid.NewV7())
	}
	no := uint64(0)
	for range 40 {
		log := make([]store.Logged, 5000)
		for i := range log {
			id := ids[i%len(ids)]
			log[i] = store.Logged{No: no + uint64(i) + 1, Topic: store.Features, Entity: id.String(),
				After: &feature.Feature{
					ID:         id,
					Collection: "posts",
					Name:       fmt.Sprint(no, i),
					Geometry:   feature.At(geo.MustPoint(1, float64(i%100))),
				}}
		}
		no += uint64(len(log))
		for part := range slices.Chunk(log, 50) { // each an item of its own
			require.NoError(t, c.Apply(part))
		}
		c.Rebuild()
	}
	s := c.Now()
	require.GreaterOrEqual(t, len(s.chunks), 4)
	for _, k := range s.chunks[:len(s.chunks)-1] {
		assert.Nil(t, k)
	}
	assert.Equal(t, 100, s.Counts(Everything())["posts"])
	assert.Len(t, s.Near(Everything(), Near{At: geo.MustPoint(1, 0), WithinM: math.Inf(1), Limit: 200}), 100)
}

// Whoever asks while others write finds each snapshot whole: as many places near as are counted.
func TestManyAskWhileOthersWrite(t *testing.T) {
	w := newWorld(t, 13)
	ctx, stop := context.WithCancel(context.Background())
	var running sync.WaitGroup
	running.Go(func() { w.c.Run(ctx) })
	for range 4 {
		running.Go(func() {
			for ctx.Err() == nil {
				s := w.c.Now()
				rows, total := w.c.List(Everything(), List{Sort: "depth", Limit: 5})
				assert.LessOrEqual(t, len(rows), total)
				placed := 0
				for _, m := range s.Marks(Everything(), tile.ID{}, nil, nil) {
					placed += m.Count
				}
				near := s.Near(Everything(), Near{At: geo.MustPoint(0, 0), WithinM: math.Inf(1), Limit: 1 << 20})
				assert.Len(t, near, placed)
			}
		})
	}
	for range 60 {
		w.change(100)
	}
	stop()
	running.Wait()
	w.check(w.c.Now(), Everything())
}

// A log that does not follow is told, what is known already is passed over.
func TestALogMustFollow(t *testing.T) {
	w := newWorld(t, 14)
	entry := func(no uint64) []store.Logged {
		id := uuid.Must(uuid.NewV7())
		return []store.Logged{
			{No: no, Topic: store.Features, Entity: id.String(), After: &feature.Feature{ID: id, Collection: "posts"}},
		}
	}
	require.ErrorIs(t, w.c.Apply(entry(2)), ErrGap)
	first := entry(1)
	require.NoError(t, w.c.Apply(first))
	require.NoError(t, w.c.Apply(first))
	require.NoError(t, w.c.Apply(append(first, entry(2)...)))
	assert.Equal(t, uint64(2), w.c.Now().No())
	assert.Equal(t, 2, w.c.Now().Counts(Everything())["posts"])
	assert.Error(
		t,
		w.c.Apply([]store.Logged{{No: 3, Topic: store.Features, Entity: "none", After: &feature.Feature{}}}),
	)
}

// Work that is done in two halves goes wrong for whoever asked for it, not for the process.
func TestHalvesGoWrongForTheCaller(t *testing.T) {
	for _, bad := range []int{0, 5} {
		assert.PanicsWithValue(t, "broken", func() {
			inHalves(10, func(_, from, _ int) {
				if from == bad {
					panic("broken")
				}
			})
		})
	}
}

// Where the log is gone everything is loaded anew, also while a base is being built of what was there before.
func TestLoadingAnewWhileTheBaseIsBuilt(t *testing.T) {
	w := newWorld(t, 15)
	w.change(2000)
	for range 10 {
		done := make(chan struct{})
		go func() { w.c.Rebuild(); close(done) }()
		require.NoError(t, w.c.Load(w.contents()))
		w.change(20)
		<-done
		w.check(w.c.Now(), Everything())
	}
	broken := w.contents()
	broken.Features = func(yield func(*feature.Feature) error) error { return yield(nil) }
	assert.Panics(t, func() { _ = w.c.Load(broken) }, "for whoever loads, not for the process")
	away := errors.New("the database is away")
	broken.Features = func(yield func(*feature.Feature) error) error {
		return errors.Join(yield(&feature.Feature{Collection: "another", Category: "another"}), away)
	}
	require.ErrorIs(t, w.c.Load(broken), away)
	w.change(50)
	w.check(w.c.Now(), Everything()) // as if nothing had been loaded
}
