package service

import (
	"context"
	"errors"
	"regexp"
	"strings"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/store"
)

// Emergency is whom to call in need.
type Emergency struct {
	Name      string `json:"name"`
	Telephone string `json:"telephone"`
	// Note says what to tell, or when.
	Note string `json:"note,omitempty"`
}

var emergencyKind = kind[Emergency]{topic: store.Emergency, name: "contact", most: 1, check: checkEmergency}

// emergencyID is the id of the one contact of a workspace.
var emergencyID = uuid.MustParse("00000000-0000-7000-8000-000000000112")

// dialled is what a telephone can be given: digits with the signs that people write between them, + in front for an
// international number.
var dialled = regexp.MustCompile(`^\+?[0-9*#][0-9*# ().\-/]{1,30}$`)

func checkEmergency(_ context.Context, _ *Service, _ Actor, e *Emergency) error {
	if err := checkName(&e.Name); err != nil {
		return err
	}
	e.Telephone = strings.TrimSpace(e.Telephone)
	if !dialled.MatchString(e.Telephone) {
		return fault.Refuse("telephone", e.Telephone,
			&geo.ParseError{Reason: "is not a number that can be called", Hint: "e.g. 112 or +999 40 100"})
	}
	if len(e.Note) > 1000 {
		return fault.Refuse("note", feature.Clip(e.Note), errors.New("has more than 1,000 bytes"))
	}
	return nil
}

// Emergency returns the contact; NotFound where none is named.
func (v *Service) Emergency(ctx context.Context, a Actor) (Kept[Emergency], error) {
	k, err := one(ctx, v, a, emergencyKind, emergencyID)
	if fault.Is(err, fault.NotFound) {
		err = fault.New(fault.NotFound, "no contact for emergencies is named: PUT /v1/emergency")
	}
	return k, err
}

// PutEmergency names the contact.
func (v *Service) PutEmergency(
	ctx context.Context, a Actor, body Emergency, match Match,
) (Kept[Emergency], bool, error) {
	return put(ctx, v, a, emergencyKind, emergencyID, body, match)
}

// DeleteEmergency forgets it.
func (v *Service) DeleteEmergency(ctx context.Context, a Actor, match Match) error {
	return drop(ctx, v, a, emergencyKind, emergencyID, match)
}
