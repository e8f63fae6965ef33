// Package fault is how the service refuses: an error with its kind, the values that are wrong, and what would be right.
// server gives each kind its status.
package fault

import (
	"errors"
	"fmt"

	"viandante/core/feature"
	"viandante/core/geo"
)

// Kind says what is wrong with a request, in the service's terms.
type Kind int

// The kinds of error.
const (
	Invalid      Kind = iota + 1 // a value is wrong
	Unauthorized                 // no credential, or a bad one
	Forbidden                    // the actor may not
	NotFound                     // there is no such thing
	Conflict                     // somebody was first
	Stale                        // it has changed since it was read
	Impossible                   // understood, but it cannot be done
	Unready                      // not loaded yet
	Gone                         // older than what is kept
	NeedsMatch                   // a change must say which version it is of
	Upstream                     // somebody else's service does not do its part
	TooLarge                     // more than is taken
	Away                         // the database does not answer
	Busy                         // others are writing
	Full                         // there is no room to write
	TooMany                      // more calls than a token is good for
)

// Error is what a call of the service returns when it refuses.
type Error struct {
	Kind   Kind
	Detail string
	Fields []Field
	// Current is the thing as it is now, for Conflict and Stale, where it may be seen.
	Current any
}

// Field says what is wrong with one value and what would be right.
type Field = feature.Fault

func (e *Error) Error() string {
	msg := e.Detail
	for _, f := range e.Fields {
		msg += fmt.Sprintf("; %s: %s", f.Field, f.Reason)
	}
	return msg
}

// New returns an error of a kind.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Detail: fmt.Sprintf(format, args...)}
}

// Missing is the error for something that is not there.
func Missing(what string) *Error { return New(NotFound, "there is no %s", what) }

// Refuse returns the error for a value that is wrong. A *geo.ParseError brings its reason and hint along.
func Refuse(field, value string, err error) *Error {
	f := Field{Field: field, Value: value, Reason: err.Error()}
	var pe *geo.ParseError
	if errors.As(err, &pe) {
		f.Reason, f.Hint = pe.Reason, pe.Hint
		if value == "" {
			f.Value = pe.Input
		}
	}
	f.Value = feature.Clip(f.Value)
	return &Error{Kind: Invalid, Detail: fmt.Sprintf("%s %s", field, f.Reason), Fields: []Field{f}}
}

// Of returns the error for what a draft of a feature was refused for; other errors stay as they are.
func Of(err error) error {
	var refused *feature.Invalid
	if !errors.As(err, &refused) {
		return err
	}
	out := &Error{Kind: Invalid, Detail: refused.Error(), Fields: refused.Faults}
	if refused.TooLarge {
		out.Kind = TooLarge
	}
	return out
}

// Is tells whether an error is of a kind.
func Is(err error, kind Kind) bool {
	var e *Error
	return errors.As(err, &e) && e.Kind == kind
}
