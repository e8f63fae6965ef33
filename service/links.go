package service

import (
	"context"
	"math"
	"slices"
	"strings"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/service/onward"
	"viandante/store"
)

// LinkTemplate is another app that onward links open.
type LinkTemplate = onward.App

var linkKind = kind[LinkTemplate]{topic: store.Links, name: "link template", most: 200, check: checkLink}

func checkLink(_ context.Context, _ *Service, _ Actor, t *LinkTemplate) error {
	if err := checkName(&t.Name); err != nil {
		return err
	}
	return t.Check()
}

// LinkTemplates returns those that are kept.
func (v *Service) LinkTemplates(ctx context.Context, a Actor) ([]Kept[LinkTemplate], error) {
	return list(ctx, v, a, linkKind)
}

// LinkTemplate returns one of them.
func (v *Service) LinkTemplate(ctx context.Context, a Actor, id uuid.UUID) (Kept[LinkTemplate], error) {
	return one(ctx, v, a, linkKind, id)
}

// PutLinkTemplate saves one.
func (v *Service) PutLinkTemplate(
	ctx context.Context, a Actor, id uuid.UUID, body LinkTemplate, match Match,
) (Kept[LinkTemplate], bool, error) {
	return put(ctx, v, a, linkKind, id, body, match)
}

// DeleteLinkTemplate deletes one.
func (v *Service) DeleteLinkTemplate(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, linkKind, id, match)
}

// Link is an onward link.
type Link struct {
	// ID is the template's, the nil UUID for links that any app reads.
	ID     uuid.UUID
	App    string
	Intent string
	URL    string
	// Default tells that it is taken unless somebody chooses.
	Default   bool
	Platforms []string
}

// LinkQuestion asks for onward links.
type LinkQuestion struct {
	onward.Target
	// Intent and Platform are the only ones, where they are given.
	Intent, Platform string
}

func (q *LinkQuestion) check() error {
	unknown := func(field, value string, among []string) error {
		if value == "" || slices.Contains(among, value) {
			return nil
		}
		return fault.Refuse(field, value,
			&geo.ParseError{Reason: "is not one of those there are", Hint: strings.Join(among, ", ")})
	}
	if err := unknown("intent", q.Intent, onward.Intents); err != nil {
		return err
	}
	if err := unknown("platform", q.Platform, onward.Platforms); err != nil {
		return err
	}
	if q.Text() == "" {
		return fault.New(fault.Impossible, "there is neither a position nor a name nor an address to lead to")
	}
	return nil
}

// Links returns the links to a target: those of the apps that are kept, then those that any app reads. Of each intent
// one is the default.
func (v *Service) Links(ctx context.Context, a Actor, q LinkQuestion) ([]Link, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	if err := q.check(); err != nil {
		return nil, err
	}
	kept, err := v.LinkTemplates(ctx, a)
	if err != nil {
		return nil, err
	}
	kept = append(kept, Kept[LinkTemplate]{Body: onward.Geo}, Kept[LinkTemplate]{Body: onward.GeoName})
	return linksOf(kept, q)
}

func linksOf(kept []Kept[LinkTemplate], q LinkQuestion) ([]Link, error) {
	out := []Link{}
	for _, intent := range onward.Intents {
		if q.Intent != "" && intent != q.Intent {
			continue
		}
		first, chosen := len(out), false
		for _, k := range kept {
			there := len(k.Body.Platforms) == 0 || q.Platform == "" || slices.Contains(k.Body.Platforms, q.Platform)
			if !there {
				continue
			}
			link, ok, err := k.Body.Link(intent, q.Target)
			if err != nil {
				return nil, err
			}
			if !ok {
				continue
			}
			isDefault := !chosen && q.Platform != "" && slices.Contains(k.Body.DefaultOn, q.Platform)
			chosen = chosen || isDefault
			out = append(out, Link{k.ID, k.Body.Name, intent, link, isDefault, k.Body.Platforms})
		}
		for i := first; i < len(out) && !chosen; i++ {
			if out[i].App == onward.Geo.Name || i+1 == len(out) {
				out[i].Default, chosen = true, true
			}
		}
	}
	return out, nil
}

// PreviewLinks returns the links that a template would make, or what is wrong with it.
func (v *Service) PreviewLinks(ctx context.Context, a Actor, t LinkTemplate, q LinkQuestion) ([]Link, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	if t.Name == "" {
		t.Name = "preview"
	}
	if err := checkLink(ctx, v, a, &t); err != nil {
		return nil, err
	}
	if err := q.check(); err != nil {
		return nil, err
	}
	return linksOf([]Kept[LinkTemplate]{{Body: t}}, q)
}

// LinksOf returns the links to a stored feature: to where it is, or to the middle of a path or an area.
func (v *Service) LinksOf(
	ctx context.Context, a Actor, collection string, id uuid.UUID, q LinkQuestion,
) ([]Link, LinkQuestion, error) {
	f, err := v.Feature(ctx, a, collection, id)
	if err != nil {
		return nil, q, err
	}
	q.Name, q.ID, q.At = f.Feature.Name, id.String(), middle(f.Feature.Geometry)
	q.UncertaintyM = math.NaN()
	if m := f.Feature.AccuracyM; m != nil {
		q.UncertaintyM = *m
	}
	for _, address := range []string{f.Feature.AddressTyped, f.Feature.Attributes.Get("address").Text} {
		if address != "" {
			q.Address = address
			break
		}
	}
	links, err := v.Links(ctx, a, q)
	return links, q, err
}

func middle(g feature.Geometry) geo.Point {
	if p := g.Point(); p.IsValid() {
		return p
	}
	box, known := g.Bounds()
	if !known {
		return geo.Point{}
	}
	return box.Middle()
}
