package address

import "math/bits"

// Costs add up to what a reading of a query asks one to believe. The unit is one typing error in a word of five letters
// or more; a reading with a cost higher by one is about e^β times less likely.
const (
	beta = 3.0

	abbreviated  = 0.03 // rd for road
	outOfOrder   = 0.04 // a word that does not follow the one before it in the name
	joinedTokens = 0.3  // har bour for harbour
	tornToken    = 0.3  // pewterway for pewter way
	unfinished   = 0.1  // the beginning of a word, of a query that is being typed
	secondError  = 1.2
	firstLetter  = 0.15 // more, where the first letter is another
	knownWord    = 0.2  // more, where what is written is a word of its own
	digitError   = 0.6  // more, where the word is a number

	ignoredKnown   = 2.5 // a word that the region knows, and the reading does not explain
	ignoredUnknown = 1.5
	ignoredAround  = 0.45 // each word of a part between commas that has nothing to do with a whole address
	mostAround     = 0.9

	numberNear     = 0.5 // 12 for 12a
	numberInRange  = 0.2 // 13 for 11-15
	numberBetween  = 0.7 // interpolated
	numberUnknown  = 0.9
	otherPostcode  = 0.3 // the house has another than the query says
	neighbourPlace = 0.8 // a street in the quarter next to the settlement that the query names

	landmarkCost = 0.3
	otherName    = 0.05
	nearCost     = 0.8  // at most, for what lies far from where the person looks
	keepWithin   = 2.2  // readings that cost so much more than the best are not kept
	keepTyping   = 1.5  // the same for a query that is being typed
	faultless    = 0.06 // below that the names are written as they are, or abbreviated
	hopeless     = 7.0  // and those that cost more than this are no readings
)

// errorCost is what so many errors in a word of n letters cost.
func errorCost(n, errors int) float64 {
	switch {
	case errors == 0:
		return 0
	case n >= 5:
		return 1 + secondError*float64(errors-1)
	case n == 4:
		return 1.25 * float64(errors)
	case n == 3:
		return 1.5 * float64(errors)
	}
	return 1.9 * float64(errors)
}

// allowedErrors is how many errors a word of n letters may have in a stage.
func allowedErrors(n, stage int) int {
	switch {
	case stage == 0 || n < 2:
		return 0
	case stage == 1 || n < 5:
		return 1
	}
	return 2
}

// What it costs that the query lacks a word of a name: little for a word that many names hold, such as street.
const (
	lackingAny  = 0.4
	lackingRare = 2.4 // more, for a word that one name holds alone
)

// ignoring is what it costs to leave a token unexplained.
func (t *token) ignoring() float64 {
	switch {
	case t.silent:
		return 0
	case t.known || t.digits:
		return ignoredKnown
	}
	return ignoredUnknown
}

// tokenSet is a set of tokens by their numbers.
type tokenSet uint32

func (s tokenSet) has(i int) bool { return s&(1<<i) != 0 }
func (s tokenSet) count() int     { return bits.OnesCount32(uint32(s)) }
