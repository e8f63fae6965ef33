package geo

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
)

// Pair is two or three numbers, as a position [lng, lat] or a pixel [x, y]. Anything else is refused, null as well.
type Pair [2]float64

// UnmarshalJSON reads a pair.
func (p *Pair) UnmarshalJSON(text []byte) error {
	var numbers []*float64
	if err := json.Unmarshal(text, &numbers); err != nil || len(numbers) < 2 || len(numbers) > 3 ||
		slices.Contains(numbers, nil) {
		return &ParseError{
			Input:  string(text[:min(len(text), 100)]),
			Reason: "is not a pair of numbers",
			Hint:   "e.g. [-26.0517, -38.1402]",
		}
	}
	*p = Pair{*numbers[0], *numbers[1]}
	return nil
}

// FromLngLat reads a position as GeoJSON has it, [lng, lat]; the error is a *ParseError that names a likely swap.
func FromLngLat(c []float64) (Point, error) {
	if len(c) < 2 || len(c) > 4 {
		return Point{}, &ParseError{
			Input:  fmt.Sprint(c),
			Reason: "is not a position",
			Hint:   "[lng, lat] in degrees, e.g. [-26.0517, -38.1402]",
		}
	}
	p, err := NewPoint(c[1], c[0])
	if err != nil {
		e := err.(*ParseError)
		e.Input = fmt.Sprint(c)
		if math.Abs(c[1]) > 90 && math.Abs(c[0]) <= 90 {
			e.Hint = fmt.Sprintf("GeoJSON is [lng, lat]: did you mean [%v, %v]?", c[1], c[0])
		}
		return Point{}, e
	}
	return p, nil
}
