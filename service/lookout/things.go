package lookout

import (
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/watch"
	"viandante/service/catalog"
)

// thingOf is a place as watches look at it; nil for none, and for what has no position.
func thingOf(f *feature.Feature) *watch.Thing {
	if f == nil || !f.Geometry.Point().IsValid() || f.Kind() != feature.Place {
		return nil
	}
	return &watch.Thing{ID: f.ID, Name: f.Name, Place: true, Group: f.Collection, Category: f.Category,
		At: f.Geometry.Point()}
}

// ThingOfRow is a stored place as watches look at it.
func ThingOfRow(r catalog.Row) watch.Thing {
	return watch.Thing{ID: r.ID(), Name: r.Name(), Place: true, Group: r.Collection(), Category: r.Category(),
		At: r.Point()}
}

// places answers the engine from a catalog.
type places struct{ catalog *catalog.Catalog }

// mostRound is how many places round somebody are looked at.
const mostRound = 20_000

func (p places) Near(centre geo.Point, withinM float64, w *watch.Watch, yield func(watch.Thing)) {
	s := p.catalog.Now()
	if s == nil {
		return
	}
	for _, h := range s.Near(catalog.Everything(), catalog.Near{At: centre, WithinM: withinM, Limit: mostRound,
		Collections: w.Collections, Categories: w.Categories}) {
		yield(ThingOfRow(h.Row))
	}
}
