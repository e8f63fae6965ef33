package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/codec/picture"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/placement"
	"viandante/service/fault"
	"viandante/store"
)

// Overlay is a picture laid over the ground.
type Overlay struct {
	Name string `json:"name"`
	// Picture is the hash of a kept picture.
	Picture  string `json:"picture"`
	WidthPx  int    `json:"width_px"`
	HeightPx int    `json:"height_px"`
	// Control are the two or three control points that place it.
	Control []ControlPoint `json:"control"`
	// Opacity is from 0 to 1.
	Opacity float64 `json:"opacity"`
	// Corners are where its corners lie, lng, lat, clockwise from the upper left; they follow from the control points.
	Corners [][2]float64 `json:"corners"`
}

// ControlPoint is a pixel of a picture and where it lies, lng, lat.
type ControlPoint struct {
	Pixel *geo.Pair `json:"pixel"`
	At    *geo.Pair `json:"at"`
}

var overlays = kind[Overlay]{topic: store.Overlays, name: "overlay", most: 200, check: checkOverlay}

func checkOverlay(ctx context.Context, v *Service, a Actor, o *Overlay) error {
	if err := checkName(&o.Name); err != nil {
		return err
	}
	if !(o.Opacity >= 0 && o.Opacity <= 1) {
		return fault.Refuse("opacity", fmt.Sprint(o.Opacity), errors.New("must be from 0 to 1"))
	}
	p, err := v.Picture(ctx, a, o.Picture, false)
	if err != nil {
		return fault.Refuse(
			"picture",
			feature.Clip(o.Picture),
			errors.New("is not the hash of a picture that is kept: send the picture to /v1/pictures first"),
		)
	}
	o.WidthPx, o.HeightPx = p.Width, p.Height
	controls := make([]placement.Control, len(o.Control))
	for i, c := range o.Control {
		if c.Pixel == nil || c.At == nil {
			return fault.Refuse(
				fmt.Sprintf("control[%d]", i),
				"",
				errors.New("must have a pixel [x, y] and where it lies, at [lng, lat]"),
			)
		}
		at, err := geo.FromLngLat(c.At[:])
		if err != nil {
			return fault.Refuse(fmt.Sprintf("control[%d].at", i), "", err)
		}
		if !(c.Pixel[0] >= -1e6 && c.Pixel[0] <= 1e6 && c.Pixel[1] >= -1e6 && c.Pixel[1] <= 1e6) {
			return fault.Refuse(
				fmt.Sprintf("control[%d].pixel", i),
				fmt.Sprint(*c.Pixel),
				errors.New("is not a pixel x, y"),
			)
		}
		controls[i] = placement.Control{X: c.Pixel[0], Y: c.Pixel[1], At: at}
	}
	fitted, err := placement.Fit(controls)
	if err != nil {
		return fault.Refuse("control", "", err)
	}
	corners, err := fitted.Corners(float64(p.Width), float64(p.Height))
	if err != nil {
		return fault.Refuse("control", "", err)
	}
	o.Corners = nil
	for _, c := range corners {
		o.Corners = append(o.Corners, [2]float64{c.Lng(), c.Lat()})
	}
	return nil
}

// Overlays returns the pictures laid over the ground.
func (v *Service) Overlays(ctx context.Context, a Actor) ([]Kept[Overlay], error) {
	return list(ctx, v, a, overlays)
}

// Overlay returns one of them.
func (v *Service) Overlay(ctx context.Context, a Actor, id uuid.UUID) (Kept[Overlay], error) {
	return one(ctx, v, a, overlays, id)
}

// PutOverlay lays a picture over the ground, or moves it.
func (v *Service) PutOverlay(
	ctx context.Context,
	a Actor,
	id uuid.UUID,
	body Overlay,
	match Match,
) (Kept[Overlay], bool, error) {
	return put(ctx, v, a, overlays, id, body, match)
}

// DeleteOverlay takes a picture away.
func (v *Service) DeleteOverlay(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, overlays, id, match)
}

// AddPicture keeps a picture and returns its hash. The same bytes again are the same picture.
func (v *Service) AddPicture(ctx context.Context, a Actor, data []byte) (string, picture.Info, error) {
	if err := a.MayWrite(); err != nil {
		return "", picture.Info{}, err
	}
	info, err := v.checkPicture(ctx, data)
	var refused *picture.Error
	if errors.As(err, &refused) {
		return "", info, &fault.Error{Kind: fault.Invalid, Detail: "the picture " + refused.Error(),
			Fields: []fault.Field{{Field: "body", Reason: "the picture " + refused.Reason, Hint: refused.Hint}}}
	} else if err != nil {
		return "", info, err
	}
	hash := sha256.Sum256(data)
	err = v.store.AddPicture(
		ctx,
		a.Workspace,
		hash,
		store.Picture{MediaType: info.MediaType, Width: info.Width, Height: info.Height, Data: data},
	)
	return hex.EncodeToString(hash[:]), info, err
}

// checkPicture unpacks one picture at a time: a small file may be a large picture.
func (v *Service) checkPicture(ctx context.Context, data []byte) (picture.Info, error) {
	select {
	case v.pictures <- struct{}{}:
		defer func() { <-v.pictures }()
	case <-ctx.Done():
		return picture.Info{}, ctx.Err()
	}
	return picture.Check(data)
}

// Picture returns a kept picture; without data only what it is.
func (v *Service) Picture(ctx context.Context, a Actor, hash string, data bool) (store.Picture, error) {
	if err := a.MayRead(); err != nil {
		return store.Picture{}, err
	}
	raw, err := hex.DecodeString(hash)
	if err != nil || len(raw) != 32 {
		return store.Picture{}, fault.Missing("picture " + feature.Clip(hash))
	}
	p, err := v.store.Picture(ctx, a.Workspace, [32]byte(raw), data)
	if errors.Is(err, store.ErrNotFound) {
		err = fault.Missing("picture " + hash)
	}
	return p, err
}
