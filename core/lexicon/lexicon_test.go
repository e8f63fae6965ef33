package lexicon

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// distance is the reference: the whole matrix of optimal string alignment.
func distance(a, b string) int {
	d := make([][]int, len(a)+1)
	for i := range d {
		d[i] = make([]int, len(b)+1)
		d[i][0] = i
	}
	for j := range d[0] {
		d[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			d[i][j] = min(d[i-1][j]+1, d[i][j-1]+1, d[i-1][j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d[i][j] = min(d[i][j], d[i-2][j-2]+1)
			}
		}
	}
	return d[len(a)][len(b)]
}

func someWords(rng *rand.Rand, n, most int) []string {
	var words []string
	for range n {
		var w strings.Builder
		for range 1 + rng.IntN(most) {
			w.WriteByte("abcde"[rng.IntN(5)])
		}
		words = append(words, w.String())
	}
	slices.Sort(words)
	return slices.Compact(words)
}

func TestTheTrieHoldsItsWords(t *testing.T) {
	for seed := range uint64(5) {
		words := someWords(rand.New(rand.NewPCG(seed, 1)), 800, 9)
		x := Build(words)
		require.True(t, x.Check(len(words)))
		require.Equal(t, len(words), x.Words())
		for i, w := range words {
			n, ok := x.Exact(w)
			require.True(t, ok, w)
			require.Equal(t, uint32(i), n)
			require.Equal(t, w, x.Word(n))
			for k := range w {
				low, high := x.Prefix(w[:k+1])
				for j, other := range words {
					if strings.HasPrefix(other, w[:k+1]) != (uint32(j) >= low && uint32(j) < high) {
						t.Fatal(w[:k+1], other, low, high)
					}
				}
			}
		}
		_, ok := x.Exact("zz")
		assert.False(t, ok)
	}
}

func TestWordsWithinErrorsAreThoseOfAScan(t *testing.T) {
	for seed := range uint64(3) {
		rng := rand.New(rand.NewPCG(seed, 2))
		words := someWords(rng, 250, 8)
		x := Build(words)
		for _, query := range append(someWords(rng, 40, 10), "", "a", strings.Repeat("abc", 40)) {
			query = Cut(query)
			for k := range 3 {
				want, got := map[int]int{}, map[int]int{}
				for i, w := range words {
					if d := distance(query, w); d <= k {
						want[i] = d
					}
				}
				x.Near(query, k, false, func(low, high uint32, errors int) {
					require.Equal(t, low+1, high)
					got[int(low)] = errors
				})
				require.Equal(t, want, got, "seed %d %q %d", seed, query, k)

				begins, ranges := map[int]int{}, map[int]int{}
				for i, w := range words {
					for end := range len(w) + 1 {
						if d := distance(query, w[:end]); d <= k {
							if old, ok := begins[i]; !ok || d < old {
								begins[i] = d
							}
						}
					}
				}
				x.Near(query, k, true, func(low, high uint32, errors int) {
					for i := low; i < high; i++ {
						if old, ok := ranges[int(i)]; !ok || errors < old {
							ranges[int(i)] = errors
						}
					}
				})
				require.Equal(t, begins, ranges, "seed %d prefix %q %d", seed, query, k)
			}
		}
	}
}

func TestAnEmptyLexiconAnswers(t *testing.T) {
	x := Build(nil)
	assert.True(t, x.Check(0))
	_, ok := x.Exact("a")
	assert.False(t, ok)
	x.Near("abc", 2, false, func(uint32, uint32, int) { t.Error("a word of none") })
}

func TestABrokenTrieIsNoticed(t *testing.T) {
	words := someWords(rand.New(rand.NewPCG(1, 1)), 200, 6)
	rng := rand.New(rand.NewPCG(3, 3))
	for range 2000 {
		x := Build(words)
		n := &x.Nodes[rng.IntN(len(x.Nodes))]
		*[]*uint32{&n.Child, &n.Low, &n.High, &n.Ends}[rng.IntN(4)] = rng.Uint32() >> rng.IntN(32)
		if x.Check(len(words)) { // then nothing leaves the arrays and everything ends
			x.Near("abcd", 2, false, func(low, high uint32, _ int) { require.LessOrEqual(t, int(high), len(words)+1) })
			for w := range words {
				x.Word(uint32(w))
			}
		}
	}
	assert.False(t, Lexicon{}.Check(0))
}

func TestFold(t *testing.T) {
	for in, want := range map[string]string{
		"Straße der Möwen": "strasse der mowen", "SÃO TOMÉ": "sao tome", "Net Menders' Square": "net menders square",
		"d’Été": "dete", "Łódź": "lodz", "Ørsted": "orsted", "plain": "plain", "Улица Мира": "ulitsa mira",
		"Οδός": "odos", "ﬁn": "fin", "a\xffb": "a b", "x – y": "x   y",
	} {
		assert.Equal(t, want, Fold(in), in)
	}
	assert.Equal(t, []string{"mill", "lane", "12", "3"}, Words("Mill-Lane, 12/3"))
	assert.Empty(t, Words(" .,;- \x00\u202e"))
	for _, s := range []string{"Straße der Möwen", "Net Menders' Square", "São Tomé", "Mill-Lane 3"} {
		assert.Len(t, Spoken(s), len(Words(s)), s)
	}
}

func TestAbbreviationsWorkBothWays(t *testing.T) {
	a := ParseAbbreviations(AbbreviationTable)
	all := func(w string) (out []string) {
		a.Alternatives(w, func(s string) { out = append(out, s) })
		return out
	}
	assert.Subset(t, all("st"), []string{"street", "saint", "sankt"})
	assert.Contains(t, all("street"), "st")
	assert.Contains(t, all("rd"), "road")
	assert.Contains(t, all("hafenstr"), "hafenstrasse")
	assert.Contains(t, all("hafenstrasse"), "hafenstr")
	assert.Empty(t, all("varrowby"))
	assert.Empty(t, ParseAbbreviations("nothing\n= x\nen = y\nen st =\n").full)
}

func FuzzNear(f *testing.F) {
	words := someWords(rand.New(rand.NewPCG(9, 9)), 300, 7)
	x := Build(words)
	f.Add("abc", 1)
	f.Fuzz(func(t *testing.T, s string, k int) {
		k = ((k % 3) + 3) % 3
		x.Near(s, k, false, func(low, _ uint32, errors int) {
			if d := distance(Cut(s), words[low]); d != errors {
				t.Fatal(fmt.Sprint(s, words[low], d, errors))
			}
		})
	})
}
