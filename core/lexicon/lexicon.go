package lexicon

import (
	"slices"
	"sort"
)

// Lexicon is a sorted set of words, numbered in their order. Its parts are plain arrays that a region file holds as
// they are; node 0 is the root, and the children of a node follow each other in the order of their letters.
//
//	Labels  the last byte of each node's text
//	Nodes   for each node its first child, and the range of the words that begin with its text
type Lexicon struct {
	Labels []byte
	Nodes  []Node
}

// Node is a node of the trie. Its words are those from Low to below High; where it Ends one, that is the word Low.
type Node struct {
	Child     uint32 // the first child; the last is the one before the next node's first
	Low, High uint32
	Ends      uint32 // 1 where the text of the node is a word
}

// MaxWord is how long a word can be, in bytes. Longer ones are cut.
const MaxWord = 40

// Cut returns a word as it is kept: no longer than MaxWord.
func Cut(word string) string { return word[:min(len(word), MaxWord)] }

// Build makes the lexicon of sorted words, each there once.
func Build(words []string) Lexicon {
	type span struct{ low, high, depth int }
	x := Lexicon{}
	queue := []span{{0, len(words), 0}}
	x.Labels = append(x.Labels, 0)
	for at := 0; at < len(queue); at++ {
		s := queue[at]
		n := Node{Child: uint32(len(queue)), Low: uint32(s.low), High: uint32(s.high)}
		i := s.low
		if i < s.high && len(words[i]) == s.depth {
			n.Ends = 1
			i++
		}
		for i < s.high {
			label := words[i][s.depth]
			end := i + sort.Search(s.high-i, func(k int) bool { return words[i+k][s.depth] > label })
			queue = append(queue, span{i, end, s.depth + 1})
			x.Labels = append(x.Labels, label)
			i = end
		}
		x.Nodes = append(x.Nodes, n)
	}
	x.Nodes = append(x.Nodes, Node{Child: uint32(len(queue)), Low: uint32(len(words)), High: uint32(len(words))})
	x.Labels = append(x.Labels, 0)
	return x
}

// Check tells whether the arrays are a lexicon of so many words: no reading of it then leaves them.
func (x Lexicon) Check(words int) bool {
	if len(x.Labels) != len(x.Nodes) || len(x.Nodes) < 2 {
		return false
	}
	last := uint32(len(x.Nodes) - 1)
	for i := range last {
		n := &x.Nodes[i]
		next := x.Nodes[i+1].Child
		if n.Child <= i || n.Child > next || next > last || n.Low > n.High || int(n.High) > words || n.Ends > 1 ||
			n.Ends == 1 && n.Low == n.High {
			return false
		}
	}
	return true
}

// Words returns the number of words.
func (x Lexicon) Words() int { return int(x.Nodes[len(x.Nodes)-1].Low) }

// child returns the child of a node by a letter, or 0.
func (x Lexicon) child(node uint32, label byte) uint32 {
	from, to := x.Nodes[node].Child, x.Nodes[node+1].Child
	if k, ok := slices.BinarySearch(x.Labels[from:to], label); ok {
		return from + uint32(k)
	}
	return 0
}

// Exact returns the number of a word.
func (x Lexicon) Exact(word string) (uint32, bool) {
	node := uint32(0)
	for i := range len(word) {
		if node = x.child(node, word[i]); node == 0 {
			return 0, false
		}
	}
	n := &x.Nodes[node]
	return n.Low, n.Ends == 1
}

// Prefix returns the range of the words that begin with a text: from low to below high.
func (x Lexicon) Prefix(text string) (low, high uint32) {
	node := uint32(0)
	for i := range len(text) {
		if node = x.child(node, text[i]); node == 0 {
			return 0, 0
		}
	}
	return x.Nodes[node].Low, x.Nodes[node].High
}

// Word returns the text of a word by its number.
func (x Lexicon) Word(word uint32) string {
	var text []byte
	node := uint32(0)
	for len(text) < MaxWord {
		if n := &x.Nodes[node]; n.Ends == 1 && n.Low == word {
			break
		}
		from, to := x.Nodes[node].Child, x.Nodes[node+1].Child
		k := sort.Search(int(to-from), func(k int) bool { return x.Nodes[from+uint32(k)].High > word })
		if from+uint32(k) >= to {
			break
		}
		node = from + uint32(k)
		text = append(text, x.Labels[node])
	}
	return string(text)
}

// maxNodes bounds the walk of a lookup with errors.
const maxNodes = 60_000

// Near calls yield with words within k errors of a text, k at most 3: an error is a letter too many, too few, another,
// or two neighbours swapped, and no letter is changed twice (optimal string alignment). With prefix, it yields ranges
// of words that begin with something within k errors of it; a range within another is yielded again only where it is
// nearer. The order is that of the words.
func (x Lexicon) Near(text string, k int, prefix bool, yield func(low, high uint32, errors int)) {
	text = Cut(text)
	w := walk{x: x, text: text, k: k, prefix: prefix, yield: yield, left: maxNodes}
	for j := range w.rows[0][:len(text)+1] {
		w.rows[0][j] = uint8(j)
	}
	w.down(0, 0, k+1)
}

type walk struct {
	x      Lexicon
	text   string
	k      int
	prefix bool
	yield  func(low, high uint32, errors int)
	left   int
	rows   [MaxWord + 5][MaxWord + 1]uint8
	path   [MaxWord + 5]byte
}

// down visits a node whose text has depth letters, all in w.path, and whose row is filled; best is the least number of
// errors of a range that holds it.
func (w *walk) down(node uint32, depth, best int) {
	n := &w.x.Nodes[node]
	m := len(w.text)
	if errors := int(w.rows[depth][m]); errors <= w.k {
		switch {
		case w.prefix && errors < best:
			w.yield(n.Low, n.High, errors)
			best = errors
		case !w.prefix && n.Ends == 1:
			w.yield(n.Low, n.Low+1, errors)
		}
	}
	if depth >= m+w.k || depth > MaxWord || w.prefix && best == 0 {
		return
	}
	row, next := &w.rows[depth], &w.rows[depth+1]
	low, high := max(1, depth+1-w.k), min(m, depth+1+w.k)
	for c := n.Child; c < w.x.Nodes[node+1].Child; c++ {
		if w.left--; w.left < 0 {
			return
		}
		label := w.x.Labels[c]
		w.path[depth] = label
		beyond := uint8(w.k + 1)
		least := beyond
		if low == 1 {
			next[0] = uint8(depth + 1)
			least = min(least, next[0])
		} else {
			next[low-1] = beyond
		}
		for j := low; j <= high; j++ {
			v := row[j-1]
			if w.text[j-1] != label {
				v++
			}
			if j <= depth+w.k { // inside the band of the row above
				v = min(v, row[j]+1)
			}
			v = min(v, next[j-1]+1)
			if depth > 0 && j > 1 && label == w.text[j-2] && w.path[depth-1] == w.text[j-1] {
				v = min(v, w.rows[depth-1][j-2]+1)
			}
			v = min(v, beyond)
			next[j] = v
			least = min(least, v)
		}
		if high < m {
			next[m] = beyond
		}
		if int(least) <= w.k {
			w.down(c, depth+1, best)
		}
	}
}
