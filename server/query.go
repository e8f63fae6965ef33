package server

import (
	"errors"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service/fault"
)

// query reads the parameters of a request and gathers what is wrong with them, so that one answer names all of it.
type query struct {
	values url.Values
	known  []string
	wrong  []fault.Field
}

func newQuery(c *echo.Context) *query { return &query{values: c.QueryParams()} }

func (q *query) refuse(name, value string, err error) {
	q.wrong = append(q.wrong, fault.Refuse(name, value, err).Fields...)
}

// text returns a parameter, "" when it is not given.
func (q *query) text(name string, most int) string {
	q.known = append(q.known, name)
	v := q.values[name]
	switch {
	case len(v) == 0:
		return ""
	case len(v) > 1:
		q.refuse(name, strings.Join(v, " "), errors.New("is given more than once"))
	case !utf8.ValidString(v[0]):
		q.refuse(name, strconv.Quote(v[0]), errors.New("is not valid UTF-8"))
	case len(v[0]) > most:
		q.refuse(name, v[0], fmt.Errorf("is longer than %d bytes", most))
	}
	return v[0]
}

func (q *query) list(name string, most int) []string {
	q.known = append(q.known, name)
	v := q.values[name]
	if len(v) > most {
		q.refuse(name, "", fmt.Errorf("is given %d times, at most %d are possible", len(v), most))
	}
	return v
}

// point returns a parameter lat,lng; not valid when it is not given.
func (q *query) point(name string, required bool) geo.Point {
	s := q.text(name, 200)
	if s == "" {
		if required {
			q.refuse(
				name,
				"",
				&geo.ParseError{
					Reason: "is missing",
					Hint:   "lat,lng in decimal degrees, e.g. " + name + "=-38.1402,-26.0517",
				},
			)
		}
		return geo.Point{}
	}
	p, err := geo.ParsePoint(s)
	if err != nil {
		q.refuse(name, s, err)
	}
	return p
}

// length returns a length in metres, or the given default.
func (q *query) length(name string, otherwise float64) float64 {
	s := q.text(name, 100)
	if s == "" {
		return otherwise
	}
	v, err := geo.ParseLength(s)
	if err != nil {
		q.refuse(name, s, err)
	}
	return v
}

func (q *query) number(name string) float64 {
	s := q.text(name, 100)
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		q.refuse(name, s, &geo.ParseError{Reason: "is not a number", Hint: "e.g. " + name + "=45"})
	}
	return v
}

// numberOr returns a number, or the given default.
func (q *query) numberOr(name string, otherwise float64) float64 {
	if len(q.values[name]) == 0 {
		q.known = append(q.known, name)
		return otherwise
	}
	return q.number(name)
}

// angleOr returns an angle in degrees, or the given default.
func (q *query) angleOr(name string, otherwise float64) float64 {
	s := q.text(name, 100)
	if s == "" {
		return otherwise
	}
	v, err := geo.ParseAngle(s)
	if err != nil {
		q.refuse(name, s, err)
	}
	return v
}

// where returns the attributes that are asked for with the text of their values.
func (q *query) where() map[string]string {
	out := map[string]string{}
	for _, text := range q.list("where", 20) {
		name, value, ok := strings.Cut(text, ":")
		if !ok || name == "" {
			q.refuse("where", text, &geo.ParseError{Reason: "is not an attribute and its value",
				Hint: "where=condition:sound, or where=condition: for those without one"})
		}
		out[name] = value
	}
	return out
}

// number64 returns the number of a change or an event, nil for none.
func (q *query) number64(name, text string) *uint64 {
	if text == "" {
		return nil
	}
	no, err := strconv.ParseUint(text, 10, 64)
	if err != nil {
		q.refuse(name, text, &geo.ParseError{Reason: "is not a change's number", Hint: "the id of the last event seen"})
	}
	return &no
}

// box returns the parameter bbox, nil when it is not given.
func (q *query) box() *geo.Box {
	text := q.text("bbox", 200)
	if text == "" {
		return nil
	}
	b, err := geo.ParseBox(text)
	if err != nil {
		q.refuse("bbox", text, err)
	}
	return &b
}

// offset returns how many of a list are passed over.
func (q *query) offset() int {
	text := q.text("offset", 20)
	if text == "" {
		return 0
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 || n > maxOffset {
		q.refuse("offset", text, &geo.ParseError{Reason: "is not how many to pass over", Hint: "0 or more"})
	}
	return n
}

// ids returns a parameter that may be given several times.
func (q *query) ids(name string, most int) (out []uuid.UUID) {
	for _, text := range q.list(name, most) {
		id, err := uuid.Parse(text)
		if err != nil {
			q.refuse(name, text, &geo.ParseError{Reason: "is not an id", Hint: "a UUID"})
		}
		out = append(out, id)
	}
	return out
}

const defaultLimit, maxLimit = 50, 10_000

func (q *query) limit() int {
	s := q.text("limit", 20)
	if s == "" {
		return defaultLimit
	}
	v, err := strconv.Atoi(s)
	if err != nil || v < 1 || v > maxLimit {
		q.refuse("limit", s, &geo.ParseError{Reason: "is not a number from 1 to 10000", Hint: "default 50"})
		return defaultLimit
	}
	return v
}

// check returns an error when anything was wrong, or when a parameter came that the call does not know: a misspelt
// filter must not be taken for none.
func (q *query) check() error {
	for name := range q.values {
		if !slices.Contains(q.known, name) {
			known := slices.Clone(q.known)
			slices.Sort(known)
			q.refuse(
				name,
				q.values.Get(name),
				&geo.ParseError{
					Reason: "is not a parameter of this call",
					Hint:   "it knows " + strings.Join(known, ", "),
				},
			)
		}
	}
	if len(q.wrong) == 0 {
		return nil
	}
	slices.SortStableFunc(q.wrong, func(a, b fault.Field) int { return strings.Compare(a.Field, b.Field) })
	return &fault.Error{Kind: fault.Invalid, Detail: q.wrong[0].Field + " " + q.wrong[0].Reason, Fields: q.wrong}
}
