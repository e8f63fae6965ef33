package service

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/store"
)

// View is a saved view of the map.
type View struct {
	Name string `json:"name"`
	// Key is the digit that switches to it, 0 for none. A key belongs to one view at a time.
	Key int `json:"key"`
	// Opening says that the page opens with it, unless its link names another. One view at a time is.
	Opening bool `json:"opening"`
	// Center is lng, lat.
	Center      *geo.Pair `json:"center"`
	Zoom        float64   `json:"zoom"`
	RotationDeg float64   `json:"rotation_deg"`
	Ground      string    `json:"ground"`
	Lettering   string    `json:"lettering"`
	// Hidden are the categories that are switched off; "" stands for places without one.
	Hidden []string `json:"hidden"`
	// Names says when places' names are shown: always, pointed or never.
	Names string `json:"names"`
	// Overlays and Imagery are the ids of what is laid over the ground.
	Overlays []string `json:"overlays"`
	Imagery  []string `json:"imagery"`
}

var views = kind[View]{
	topic: store.Views,
	name:  "view",
	most:  200,
	check: checkView,
	after: func(body, other *View) bool {
		changed := false
		if body.Opening && other.Opening {
			other.Opening, changed = false, true
		}
		if body.Key != 0 && body.Key == other.Key {
			other.Key, changed = 0, true
		}
		return changed
	},
}

func checkView(_ context.Context, _ *Service, _ Actor, w *View) error {
	if err := checkName(&w.Name); err != nil {
		return err
	}
	if w.Center == nil {
		return fault.Refuse("center", "", &geo.ParseError{Reason: "is missing", Hint: "[lng, lat]"})
	}
	if _, err := geo.FromLngLat(w.Center[:]); err != nil {
		return fault.Refuse("center", "", err)
	}
	if !(w.Zoom >= 0 && w.Zoom <= 24) {
		return fault.Refuse("zoom", fmt.Sprint(w.Zoom), errors.New("must be from 0 to 24"))
	}
	if math.IsNaN(w.RotationDeg) || math.IsInf(w.RotationDeg, 0) {
		return fault.Refuse("rotation_deg", fmt.Sprint(w.RotationDeg), errors.New("must be a number of degrees"))
	}
	w.RotationDeg = math.Mod(math.Mod(w.RotationDeg, 360)+360, 360)
	if w.Key < 0 || w.Key > 9 {
		return fault.Refuse("key", fmt.Sprint(w.Key), errors.New("must be from 1 to 9, or 0 for none"))
	}
	if w.Names == "" {
		w.Names = "pointed"
	}
	if !slices.Contains([]string{"always", "pointed", "never"}, w.Names) {
		return fault.Refuse("names", feature.Clip(w.Names), errors.New("must be always, pointed or never"))
	}
	for name, text := range map[string]*string{"ground": &w.Ground, "lettering": &w.Lettering} {
		if *text == "" {
			*text = "plain"
		}
		if len(*text) > 40 {
			return fault.Refuse(name, feature.Clip(*text), errors.New("is not the name of a style"))
		}
	}
	for name, list := range map[string]*[]string{"hidden": &w.Hidden, "overlays": &w.Overlays, "imagery": &w.Imagery} {
		if *list == nil {
			*list = []string{}
		}
		if len(*list) > 200 || slices.ContainsFunc(*list, func(s string) bool { return len(s) > 64 }) {
			return fault.Refuse(name, "", errors.New("has more than 200 entries, or one longer than 64 bytes"))
		}
	}
	return nil
}

// Views returns the saved views.
func (v *Service) Views(ctx context.Context, a Actor) ([]Kept[View], error) {
	return list(ctx, v, a, views)
}

// View returns one of them.
func (v *Service) View(ctx context.Context, a Actor, id uuid.UUID) (Kept[View], error) {
	return one(ctx, v, a, views, id)
}

// PutView saves a view. It takes its key and the opening from the view that had them.
func (v *Service) PutView(
	ctx context.Context,
	a Actor,
	id uuid.UUID,
	body View,
	match Match,
) (Kept[View], bool, error) {
	return put(ctx, v, a, views, id, body, match)
}

// DeleteView deletes a saved view.
func (v *Service) DeleteView(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, views, id, match)
}
