package catalog

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/lexicon"
)

// Row is a feature as a snapshot has it.
type Row struct {
	k *chunk
	g *group
	i int
}

func (s *Snapshot) row(item uint32) Row {
	k, i := s.at(item)
	return Row{k, &s.groups[k.group[i]], i}
}

// Get returns a feature of the view.
func (s *Snapshot) Get(v View, id uuid.UUID) (Row, bool) {
	item, ok := s.find(id)
	if !ok || !v.Sees(s.groupOf(item).collection) {
		return Row{}, false
	}
	return s.row(item), true
}

// ID returns the feature's id.
func (r Row) ID() uuid.UUID { return r.k.ids[r.i] }

// Collection returns the id of the feature's collection.
func (r Row) Collection() string { return r.g.collection }

// Category returns the id of the feature's category, "" for none.
func (r Row) Category() string { return r.g.category }

// Kind returns what the feature is.
func (r Row) Kind() feature.Kind { return r.g.kind }

// Version returns the number of the change that the feature was written by.
func (r Row) Version() uint64 { return r.k.version[r.i] }

// Name returns the feature's name.
func (r Row) Name() string {
	quoted, _, _ := r.k.record(r.i)
	for _, c := range quoted {
		if c == '\\' {
			var name string
			_ = json.Unmarshal(quoted, &name) // it was marshalled by us
			return name
		}
	}
	return string(quoted[1 : len(quoted)-1])
}

// Point returns the position of a place; not valid while it is unknown, and for paths and areas.
func (r Row) Point() geo.Point { return r.k.at[r.i].Point() }

// Geometry returns where the feature is.
func (r Row) Geometry() feature.Geometry {
	if p := r.Point(); p.IsValid() {
		return feature.At(p)
	}
	_, geometry, _ := r.k.record(r.i)
	return readGeometry(geometry)
}

// AppendMembers appends all properties as members of a JSON object, as feature.Feature does.
func (r Row) AppendMembers(dst []byte) []byte {
	name, _, further := r.k.record(r.i)
	dst = append(append(dst, `"`+feature.PropName+`":`...), name...)
	dst = append(dst, r.g.members...)
	if len(further) > 0 {
		dst = append(append(dst, ','), further[1:len(further)-1]...)
	}
	return feature.AppendVersion(dst, r.k.version[r.i], instant(r.k.created[r.i]), instant(r.k.updated[r.i]))
}

// Feature returns the feature whole, as it was written.
func (r Row) Feature() (*feature.Feature, error) {
	f := &feature.Feature{
		ID:         r.ID(),
		Collection: r.g.collection,
		Name:       r.Name(),
		Category:   r.g.category,
		Geometry:   r.Geometry(),
		Version:    r.Version(),
		CreatedAt:  instant(r.k.created[r.i]),
		UpdatedAt:  instant(r.k.updated[r.i]),
	}
	_, _, further := r.k.record(r.i)
	if len(further) == 0 {
		return f, nil
	}
	var own map[string]json.RawMessage
	if err := json.Unmarshal(further, &own); err != nil {
		return nil, err
	}
	var fixed string
	for name, into := range map[string]any{feature.PropElevation: &f.ElevationM, feature.PropAccuracy: &f.AccuracyM,
		feature.PropSource: &f.Source, feature.PropFixedAt: &fixed, feature.PropAddressTyped: &f.AddressTyped} {
		if text, there := own[name]; there {
			if err := json.Unmarshal(text, into); err != nil {
				return nil, err
			}
			delete(own, name)
		}
	}
	if fixed != "" {
		at, err := time.Parse(time.RFC3339Nano, fixed)
		if err != nil {
			return nil, err
		}
		f.FixedAt = &at
	}
	if text, there := own[feature.PropAddressFound]; there {
		f.AddressFound = text
		delete(own, feature.PropAddressFound)
	}
	if len(own) == 0 {
		return f, nil
	}
	text, err := json.Marshal(own)
	if err == nil {
		f.Attributes, err = feature.ParseAttributes(text)
	}
	return f, err
}

// appendSearched appends what a feature is found by, folded, each on a line, with a zero byte at the end: its name, its
// category's id, and the texts and numbers among its attributes. What is in a text may not hold a line's end: it would
// be taken for the next.
func appendSearched(dst []byte, f *feature.Feature) []byte {
	line := func(s string) {
		from := len(dst)
		dst = append(dst, lexicon.Fold(s)...)
		for i := from; i < len(dst); i++ {
			if dst[i] == '\n' || dst[i] == 0 {
				dst[i] = ' '
			}
		}
		dst = append(dst, '\n')
	}
	line(f.Name)
	line(f.Category)
	for _, v := range f.Attributes.All() {
		if v.Type == feature.Text || v.Type == feature.Number {
			line(v.Text)
		}
	}
	if f.AddressTyped != "" {
		line(f.AddressTyped)
	}
	return append(dst, 0)
}
