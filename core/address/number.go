package address

import (
	"sort"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/lexicon"
	"viandante/core/region"
)

// numberAsked is a house number that tokens may be.
type numberAsked struct {
	key    string // as numberKey gives it
	lead   int    // the number that it begins with
	tokens tokenSet
}

// numberSuffixes are words that belong to a house number before them.
var numberSuffixes = map[string]bool{"bis": true, "ter": true, "quater": true}

// numberKey brings a house number into one form: "12 A" and "12a" are 12a, "12-3" and "12/3" are 12/3.
func numberKey(number string) string {
	if plainNumber(number) {
		return number
	}
	var key strings.Builder
	for i, w := range lexicon.Words(number) {
		if i > 0 && w[0] >= '0' && w[0] <= '9' {
			key.WriteByte('/')
		}
		key.WriteString(w)
	}
	return key.String()
}

func plainNumber(s string) bool {
	for i := range len(s) {
		if (s[i] < '0' || s[i] > '9') && (s[i] < 'a' || s[i] > 'z') {
			return false
		}
	}
	return true
}

// askedNumbers lists the house numbers that tokens may be.
func (rd *reader) askedNumbers() {
	rd.numbers, rd.numberTokens = rd.numbers[:0], 0
	add := func(key string, set tokenSet) {
		rd.numberTokens |= set
		rd.numbers = append(rd.numbers, numberAsked{key, region.LeadingNumber(key), set})
	}
	for i := range rd.tokens {
		t := &rd.tokens[i]
		if !t.number || t.kinds&asNumber == 0 {
			continue
		}
		set := tokenSet(1) << i
		if i > 0 && rd.tokens[i-1].silent {
			set |= 1 << (i - 1)
		}
		if i+1 < len(rd.tokens) {
			next := &rd.tokens[i+1]
			switch {
			case next.before == ',' || next.kinds&asNumber == 0:
			case next.number && next.before != ' ':
				add(t.text+"/"+next.text, set|1<<(i+1))
			case len(next.text) == 1 && !next.digits || numberSuffixes[next.text]:
				add(t.text+next.text, set|1<<(i+1))
			}
		}
		add(t.text, set)
	}
}

// houseFound is the answer to a house number in a street.
type houseFound struct {
	first uint32 // the address
	count uint32 // how many bear the number
	cost  float64
	// between two houses the position was interpolated, so far of the way from the one to the other.
	between [2]uint32
	share   float64
	at      geo.Point
}

// house finds a number in the run of a street's addresses.
func (x *index) house(st *region.Street, n numberAsked) (houseFound, bool) {
	run := func(lead int) uint32 { // the first address whose number is at least lead
		return st.First + uint32(sort.Search(int(st.Count), func(i int) bool {
			return x.r.HouseLead(st.First+uint32(i)) >= lead
		}))
	}
	end := st.First + st.Count
	from := run(n.lead)
	best := houseFound{cost: numberUnknown}
	for i := from; i < end; i++ {
		if x.r.HouseLead(i) != n.lead {
			break
		}
		number, cost := x.r.HouseNumber(i), numberNear
		if numberKey(number) == n.key {
			cost = 0
		} else if low, high, ok := numberRange(number); ok && low <= n.lead && n.lead <= high {
			cost = numberInRange
		}
		switch {
		case cost < best.cost:
			best = houseFound{first: i, count: 1, cost: cost}
		case cost == best.cost && cost == 0:
			best.count++
		}
	}
	if best.count > 0 || n.lead == 0 {
		return best, best.count > 0
	}
	for i := from; i > st.First && from-i < 8; i-- { // a range that began before
		if low, high, ok := numberRange(x.r.HouseNumber(i - 1)); ok && low <= n.lead && n.lead <= high {
			return houseFound{first: i - 1, count: 1, cost: numberInRange}, true
		}
	}
	return x.between(st, n.lead, from)
}

// mayBecome tells whether the street has a house number that begins with the digits of one that is being typed.
func (x *index) mayBecome(st *region.Street, lead int) bool {
	for low, high := lead, lead; low > 0 && low < 100_000; low, high = 10*low, 10*high+9 {
		i := sort.Search(int(st.Count), func(i int) bool { return x.r.HouseLead(st.First+uint32(i)) >= low })
		if i < int(st.Count) && x.r.HouseLead(st.First+uint32(i)) <= high {
			return true
		}
	}
	return false
}

// mostApart is how far two house numbers may be from each other, and their houses in metres, for one between them to be
// interpolated.
const (
	mostApart  = 40
	mostApartM = 600.0
)

// between interpolates a number between the nearest lower and the nearest higher one on its side of the street, that is
// of its parity; from is the first address with a higher number.
func (x *index) between(st *region.Street, lead int, from uint32) (houseFound, bool) {
	side := func(i uint32) (int, bool) {
		n := x.r.HouseLead(i)
		return n, n > 0 && (n-lead)%2 == 0
	}
	var low, high uint32
	var lowN, highN int
	for i := from; i > st.First && lowN == 0; i-- {
		if n, ok := side(i - 1); ok {
			low, lowN = i-1, n
		}
	}
	for i := from; i < st.First+st.Count && highN == 0; i++ {
		if n, ok := side(i); ok {
			high, highN = i, n
		}
	}
	if lowN == 0 || highN == 0 || highN-lowN > mostApart {
		return houseFound{}, false
	}
	a, b := x.r.Address(low).At, x.r.Address(high).At
	if geodesy.Distance(a, b) > mostApartM {
		return houseFound{}, false
	}
	share := float64(lead-lowN) / float64(highN-lowN)
	at, err := geo.NewPoint(a.Lat()+share*(b.Lat()-a.Lat()), a.Lng()+share*wrapped(b.Lng()-a.Lng()))
	if err != nil {
		return houseFound{}, false
	}
	return houseFound{first: low, count: 1, cost: numberBetween, between: [2]uint32{low, high}, share: share, at: at},
		true
}

// wrapped brings a difference of longitudes into -180 to 180.
func wrapped(degrees float64) float64 {
	switch {
	case degrees > 180:
		return degrees - 360
	case degrees < -180:
		return degrees + 360
	}
	return degrees
}

// numberRange reads a house number such as 11-15.
func numberRange(number string) (low, high int, ok bool) {
	head, tail, cut := strings.Cut(number, "-")
	if !cut {
		if head, tail, cut = strings.Cut(number, "–"); !cut {
			return 0, 0, false
		}
	}
	low, high = region.LeadingNumber(strings.TrimSpace(head)), region.LeadingNumber(strings.TrimSpace(tail))
	return low, high, low > 0 && high > low && high-low <= mostApart
}
