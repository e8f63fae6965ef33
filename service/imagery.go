package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"viandante/codec/wmts"
	"viandante/core/feature"
	"viandante/core/tile"
	"viandante/imagery"
	"viandante/service/fault"
	"viandante/store"
)

// Imagery is a source of tiles that are laid over the ground.
type Imagery struct {
	Name string `json:"name"`
	// Template is the address of a tile, with {z}, {x} and {y}, or {-y} where rows are counted from the south.
	Template string `json:"template"`
	// Matrices are the source's names of the zooms from MinZoom on; none where they are the numbers.
	Matrices []string `json:"matrices"`
	MinZoom  int      `json:"min_zoom"`
	MaxZoom  int      `json:"max_zoom"`
	// TileSize is the side of a tile in pixels: 256 or 512.
	TileSize    int     `json:"tile_size"`
	Attribution string  `json:"attribution"`
	Opacity     float64 `json:"opacity"`
}

var sources = kind[Imagery]{topic: store.Imagery, name: "source of imagery", most: 100, check: checkImagery}

func checkImagery(_ context.Context, _ *Service, _ Actor, i *Imagery) error {
	if err := checkName(&i.Name); err != nil {
		return err
	}
	if _, err := imagery.CheckURL(imagery.Address(i.Template, nil, 0, 0, 0, 0)); err != nil {
		return fault.Refuse("template", feature.Clip(i.Template), err)
	}
	for _, part := range []string{"{z}", "{x}"} {
		if !strings.Contains(i.Template, part) {
			return fault.Refuse(
				"template",
				feature.Clip(i.Template),
				fmt.Errorf("has no %s: an address such as http://127.0.0.1:9000/{z}/{x}/{y}.png", part),
			)
		}
	}
	if strings.Contains(i.Template, "{y}") == strings.Contains(i.Template, "{-y}") {
		return fault.Refuse(
			"template",
			feature.Clip(i.Template),
			errors.New("must have {y}, or {-y} where rows are counted from the south"),
		)
	}
	if len(i.Template) > 2000 {
		return fault.Refuse("template", feature.Clip(i.Template), errors.New("is longer than 2000 bytes"))
	}
	if i.TileSize == 0 {
		i.TileSize = 256
	}
	if i.TileSize != 256 && i.TileSize != 512 {
		return fault.Refuse("tile_size", fmt.Sprint(i.TileSize), errors.New("must be 256 or 512"))
	}
	if i.MinZoom < 0 || i.MaxZoom > 24 || i.MinZoom > i.MaxZoom {
		return fault.Refuse(
			"max_zoom",
			fmt.Sprint(i.MaxZoom),
			fmt.Errorf("with min_zoom %d, 0 ≤ min_zoom ≤ max_zoom ≤ 24 must hold", i.MinZoom),
		)
	}
	if i.Matrices == nil {
		i.Matrices = []string{}
	}
	if n := len(i.Matrices); n > 0 && n != i.MaxZoom-i.MinZoom+1 ||
		slices.ContainsFunc(i.Matrices, func(m string) bool { return m == "" || len(m) > 200 }) {
		return fault.Refuse("matrices", "", fmt.Errorf("must name the zooms from %d to %d", i.MinZoom, i.MaxZoom))
	}
	if !(i.Opacity >= 0 && i.Opacity <= 1) {
		return fault.Refuse("opacity", fmt.Sprint(i.Opacity), errors.New("must be from 0 to 1"))
	}
	if len(i.Attribution) > 300 {
		return fault.Refuse("attribution", feature.Clip(i.Attribution), errors.New("is longer than 300 bytes"))
	}
	return nil
}

// Imagery returns the sources of imagery. Their addresses, which may hold a key, are for those who may change them.
func (v *Service) Imagery(ctx context.Context, a Actor) ([]Kept[Imagery], error) {
	all, err := list(ctx, v, a, sources)
	if !a.Write {
		for i := range all {
			all[i].Body.Template = ""
		}
	}
	return all, err
}

// OneImagery returns one of them; its address as Imagery does.
func (v *Service) OneImagery(ctx context.Context, a Actor, id uuid.UUID) (Kept[Imagery], error) {
	k, err := one(ctx, v, a, sources, id)
	if !a.Write {
		k.Body.Template = ""
	}
	return k, err
}

// PutImagery adds a source of imagery, or changes it.
func (v *Service) PutImagery(
	ctx context.Context,
	a Actor,
	id uuid.UUID,
	body Imagery,
	match Match,
) (Kept[Imagery], bool, error) {
	return put(ctx, v, a, sources, id, body, match)
}

// DeleteImagery takes a source of imagery away.
func (v *Service) DeleteImagery(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, sources, id, match)
}

// ImageryLayers reads a WMTS capabilities document and returns the layers in it that can be drawn.
func (v *Service) ImageryLayers(ctx context.Context, a Actor, address string) ([]wmts.Layer, error) {
	if err := a.MayWrite(); err != nil {
		return nil, err
	}
	layers, err := v.imagery.Layers(ctx, address)
	var e *imagery.Error
	if errors.As(err, &e) {
		return nil, fault.Refuse("url", feature.Clip(address), e)
	}
	return layers, err
}

// ImageryTile fetches a tile of a source. Nothing, and no error, where the source has none.
func (v *Service) ImageryTile(ctx context.Context, a Actor, id uuid.UUID, t tile.ID) ([]byte, string, error) {
	k, err := one(ctx, v, a, sources, id)
	if err != nil {
		return nil, "", err
	}
	s := k.Body
	if t.Z < s.MinZoom || t.Z > s.MaxZoom || t.X < 0 || t.Y < 0 || t.X >= 1<<t.Z || t.Y >= 1<<t.Z {
		return nil, "", fault.Refuse(
			"tile",
			fmt.Sprintf("%d/%d/%d", t.Z, t.X, t.Y),
			fmt.Errorf("the source has tiles of the zooms %d to %d", s.MinZoom, s.MaxZoom),
		)
	}
	data, mediaType, err := v.imagery.Tile(
		ctx,
		s.Template,
		imagery.Address(s.Template, s.Matrices, s.MinZoom, t.Z, t.X, t.Y),
		s.TileSize,
	)
	var e *imagery.Error
	switch {
	case errors.Is(err, imagery.ErrNoTile):
		return nil, "", nil
	case errors.As(err, &e):
		return nil, "", fault.New(fault.Upstream, "%s: %s", s.Name, e.Reason)
	}
	return data, mediaType, err
}
