package service

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"regexp"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/store"
)

// The properties of a feature that have a column of their own; every other one is an attribute.
const (
	propName         = "name"
	propCategory     = "category"
	propElevation    = "elevation_m"
	propAccuracy     = "accuracy_m"
	propSource       = "source"
	propFixedAt      = "fixed_at"
	propAddressTyped = "address_typed"
	propAddressFound = "address_found"
	// Read only: taken from a feature that was read and written back, and ignored.
	propVersion   = "version"
	propCreatedAt = "created_at"
	propUpdatedAt = "updated_at"
)

// unitSuffix matches the names that computed values have.
var unitSuffix = regexp.MustCompile(`_(m|km|deg|s|ms|kmh|mps|m2|rad)$`)

const (
	maxName       = 10_000
	maxAttributes = 200
	maxText       = 100_000
)

// present is the one door out: every feature that leaves the service goes through it.
func present(_ Actor, f *store.Feature) *geojson.Feature {
	props := map[string]any{}
	_ = json.Unmarshal(f.Attributes, &props) // it was marshalled by us
	props[propName] = f.Name
	set := func(name string, value any, ok bool) {
		if ok {
			props[name] = value
		}
	}
	set(propCategory, f.Category, f.Category != "")
	set(propElevation, f.ElevationM, f.ElevationM != nil)
	set(propAccuracy, f.AccuracyM, f.AccuracyM != nil)
	set(propSource, f.Source, f.Source != "")
	set(propFixedAt, f.FixedAt, f.FixedAt != nil)
	set(propAddressTyped, f.AddressTyped, f.AddressTyped != "")
	set(propAddressFound, f.AddressFound, f.AddressFound != nil)
	props[propVersion] = f.Version
	props[propCreatedAt] = f.CreatedAt.Format(time.RFC3339Nano)
	props[propUpdatedAt] = f.UpdatedAt.Format(time.RFC3339Nano)
	out := &geojson.Feature{Type: "Feature", ID: f.ID.String(), Properties: props, Geometry: geojson.Point(f.At)}
	if f.Geometry != nil {
		out.Geometry = &geojson.Geometry{}
		_ = json.Unmarshal(f.Geometry, out.Geometry) // it was marshalled by us
	}
	return out
}

// accept turns a feature from outside into one to store, held to what its collection defines.
func accept(in *geojson.Feature, schema store.Attributes, f *store.Feature) error {
	if in.Type != "Feature" {
		return Refuse("type", in.Type, errors.New("is not Feature"))
	}
	f.Kind, f.At, f.Geometry = store.Place, geo.Point{}, nil
	if in.Geometry != nil {
		at, height, err := in.Geometry.Check()
		if err != nil {
			return Refuse("geometry", "", err)
		}
		f.At = at
		if height != nil {
			f.ElevationM = height
		}
		if in.Geometry.Type != "Point" {
			f.Kind = map[string]string{"LineString": store.Path, "Polygon": store.Area}[in.Geometry.Type]
			if f.Geometry, err = json.Marshal(in.Geometry); err != nil {
				return err
			}
		}
	}
	attributes := map[string]any{}
	var wrong []FieldError
	refuse := func(name string, value any, reason, hint string) {
		wrong = append(wrong, FieldError{Field: "properties." + name, Value: clip(fmt.Sprint(value)), Reason: reason, Hint: hint})
	}
	text := func(name string, value any, most int) string {
		s, ok := value.(string)
		switch {
		case value == nil:
		case !ok:
			refuse(name, value, "is not a text", "")
		case !utf8.ValidString(s):
			refuse(name, value, "is not valid UTF-8", "")
		case utf8.RuneCountInString(s) > most:
			refuse(name, value, fmt.Sprintf("has %d characters", utf8.RuneCountInString(s)), fmt.Sprintf("at most %d", most))
		}
		return s
	}
	number := func(name string, value any) *float64 {
		if value == nil {
			return nil
		}
		v, ok := value.(float64)
		if !ok || math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e7 {
			refuse(name, value, "is not a number of metres", "")
			return nil
		}
		return &v
	}
	for name, value := range in.Properties {
		switch name {
		case propName:
			f.Name = text(name, value, maxName)
		case propCategory:
			f.Category = text(name, value, 64)
		case propElevation:
			f.ElevationM = number(name, value)
		case propAccuracy:
			f.AccuracyM = number(name, value)
			if f.AccuracyM != nil && *f.AccuracyM < 0 {
				refuse(name, value, "is negative", "metres, 0 or more")
			}
		case propSource:
			f.Source = text(name, value, 40)
		case propFixedAt:
			f.FixedAt = nil
			if s := text(name, value, 40); s != "" {
				at, err := time.Parse(time.RFC3339Nano, s)
				if err != nil {
					refuse(name, value, "is not a time", "RFC 3339 in UTC, e.g. 2026-05-01T12:00:00Z")
				}
				at = at.UTC().Truncate(time.Microsecond)
				f.FixedAt = &at
			}
		case propAddressTyped:
			f.AddressTyped = text(name, value, 1000)
		case propAddressFound:
			f.AddressFound = nil
			if value != nil {
				b, err := json.Marshal(value)
				if err != nil {
					return err
				}
				f.AddressFound = b
			}
		case propVersion, propCreatedAt, propUpdatedAt:
		default:
			switch {
			case name == "" || len(name) > 100 || !utf8.ValidString(name):
				refuse(clip(name), value, "is not a name for an attribute", "1 to 100 bytes")
			case unitSuffix.MatchString(name):
				refuse(name, value, "ends in a unit, as computed values do", "give the attribute another name, e.g. without "+name[strings.LastIndex(name, "_"):])
			default:
				if s, ok := value.(string); ok {
					text(name, s, maxText)
				}
				attributes[name] = value
			}
		}
	}
	if len(attributes) > maxAttributes {
		refuse("", len(attributes), "too many attributes", fmt.Sprintf("at most %d", maxAttributes))
	}
	wrong = append(wrong, checkValues(schema, attributes)...)
	if len(wrong) > 0 {
		return &Error{Kind: Invalid, Detail: wrong[0].Field + " " + wrong[0].Reason, Fields: wrong}
	}
	var err error
	f.Attributes, err = json.Marshal(attributes)
	return err
}

func clip(s string) string {
	if r := []rune(s); len(r) > 200 {
		return string(r[:200]) + "…"
	}
	return s
}

// Versioned is a feature with the version that its ETag is made of.
type Versioned struct {
	Feature *geojson.Feature
	Version uint64
	Created bool
}

// Feature returns one feature of a collection.
func (v *Service) Feature(ctx context.Context, a Actor, collection string, id uuid.UUID) (Versioned, error) {
	if err := a.mayRead(); err != nil {
		return Versioned{}, err
	}
	f, err := v.store.Feature(ctx, a.Workspace, collection, id)
	if errors.Is(err, store.ErrNotFound) {
		return Versioned{}, missing("feature " + id.String() + " in the collection " + clip(collection))
	} else if err != nil {
		return Versioned{}, err
	}
	return Versioned{present(a, f), f.Version, false}, nil
}

// Match is a condition on what is there before a change.
type Match struct {
	// Version must be the current one, unless it is 0.
	Version uint64
	// New demands that nothing is there, Any that something is, whatever its version.
	New, Any bool
	// exists is set where there must be something to change.
	exists bool
}

// Put creates a feature under an id of the caller's, or replaces it. Creating what is already there with the same
// content again is no change, so that a retry after an unknown outcome doubles nothing.
func (v *Service) Put(ctx context.Context, a Actor, collection string, id uuid.UUID, in *geojson.Feature, match Match) (Versioned, error) {
	return v.write(ctx, a, collection, id, match, func(before *store.Feature, schema store.Attributes) (*store.Feature, error) {
		f := &store.Feature{ID: id, Collection: collection}
		if err := accept(in, schema, f); err != nil {
			return nil, err
		}
		if before != nil {
			f.CreatedAt = before.CreatedAt
		}
		return f, nil
	})
}

// Patch changes a feature by a JSON merge patch (RFC 7396) on its GeoJSON.
func (v *Service) Patch(ctx context.Context, a Actor, collection string, id uuid.UUID, patch map[string]any, match Match) (Versioned, error) {
	if match.New {
		return Versioned{}, &Error{Kind: Invalid, Detail: "a merge patch changes what is there; create with PUT"}
	}
	match.exists = true
	return v.write(ctx, a, collection, id, match, func(before *store.Feature, schema store.Attributes) (*store.Feature, error) {
		f := *before
		whole := map[string]any{}
		text, err := json.Marshal(present(a, before))
		if err != nil {
			return nil, err
		}
		if err := json.Unmarshal(text, &whole); err != nil {
			return nil, err
		}
		text, err = json.Marshal(mergePatch(whole, patch))
		if err != nil {
			return nil, err
		}
		var in geojson.Feature
		if err := json.Unmarshal(text, &in); err != nil {
			return nil, Refuse("body", "", fmt.Errorf("does not leave a feature: %w", err))
		}
		f.Name, f.Category, f.ElevationM, f.AccuracyM, f.Source, f.FixedAt, f.AddressTyped, f.AddressFound = "", "", nil, nil, "", nil, "", nil
		return &f, accept(&in, schema, &f)
	})
}

// mergePatch is RFC 7396, except that a geometry is replaced as a whole: half of one is none.
func mergePatch(target, patch map[string]any) map[string]any {
	for k, value := range patch {
		inner, isObject := value.(map[string]any)
		switch {
		case value == nil && k != "geometry":
			delete(target, k)
		case isObject && k != "geometry":
			old, _ := target[k].(map[string]any)
			if old == nil {
				old = map[string]any{}
			}
			target[k] = mergePatch(old, inner)
		default:
			target[k] = value
		}
	}
	return target
}

// Post creates a feature under an id made here; with a key, the same request again gives the same feature.
func (v *Service) Post(ctx context.Context, a Actor, collection string, in *geojson.Feature, key string) (Versioned, error) {
	id, err := uuid.NewV7()
	if err != nil {
		return Versioned{}, err
	}
	if key == "" {
		return v.Put(ctx, a, collection, id, in, Match{New: true})
	}
	if len(key) > 200 {
		return Versioned{}, Refuse("Idempotency-Key", key, errors.New("is longer than 200 bytes"))
	}
	if err := a.mayWrite(); err != nil {
		return Versioned{}, err
	}
	text, err := json.Marshal(in)
	if err != nil {
		return Versioned{}, err
	}
	digest := sha256.Sum256(append([]byte(collection+"\x00"), text...))
	_, err = v.store.Change(ctx, a.Workspace, a.Name, func(c *store.Change) (err error) {
		id, err = c.Remember(ctx, key, digest, id)
		return err
	})
	if errors.Is(err, store.ErrKeyReused) {
		return Versioned{}, &Error{Kind: Conflict, Detail: err.Error() + "; use a new key for a new request"}
	} else if err != nil {
		return Versioned{}, err
	}
	return v.Put(ctx, a, collection, id, in, Match{New: true})
}

// Delete moves a feature to the bin.
func (v *Service) Delete(ctx context.Context, a Actor, collection string, id uuid.UUID, match Match) error {
	match.exists = true
	_, err := v.write(ctx, a, collection, id, match, nil)
	return err
}

// write changes one feature: make returns what it is to be, nil to delete it.
func (v *Service) write(ctx context.Context, a Actor, collection string, id uuid.UUID, match Match, make func(before *store.Feature, schema store.Attributes) (*store.Feature, error)) (Versioned, error) {
	if err := a.mayWrite(); err != nil {
		return Versioned{}, err
	}
	var out Versioned
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(c *store.Change) error {
		k, err := c.CurrentCollection(ctx, collection)
		if err != nil {
			return err
		} else if k == nil {
			return missing("collection " + clip(collection))
		}
		before, deleted, err := c.Current(ctx, id)
		if err != nil {
			return err
		}
		if before != nil && before.Collection != collection {
			return &Error{Kind: Conflict, Detail: "this id belongs to a feature of the collection " + before.Collection}
		}
		there := before
		if deleted {
			there = nil
		}
		if there == nil && (match.exists || match.Any || match.Version != 0) {
			return missing("feature " + id.String() + " in the collection " + collection)
		}
		var f *store.Feature
		if make != nil {
			if f, err = make(there, k.Attributes); err != nil {
				return err
			}
			if there != nil && same(there, f) {
				out = Versioned{present(a, there), there.Version, false}
				return nil
			}
		}
		if there != nil && (match.New || match.Version != 0 && match.Version != there.Version) {
			return &Error{Kind: Stale, Detail: fmt.Sprintf("%q was changed by somebody else since it was read", clip(there.Name)), Current: present(a, there)}
		}
		if there != nil && !match.Any && match.Version == 0 {
			return &Error{Kind: NeedsMatch, Detail: "changing a feature takes the header If-Match with the ETag that it was read with"}
		}
		if f == nil {
			return c.Delete(ctx, there)
		}
		if err := c.Write(ctx, there, f); err != nil {
			return err
		}
		out = Versioned{present(a, f), f.Version, there == nil}
		return nil
	})
	if err != nil {
		return Versioned{}, err
	}
	return out, v.caughtUp(ctx, a.Workspace, no)
}

// caughtUp makes sure that a write is in this process's index before it is answered.
func (v *Service) caughtUp(ctx context.Context, workspace uuid.UUID, no uint64) error {
	if no == 0 {
		return nil
	}
	x, err := v.index(ctx, workspace)
	if err != nil {
		return err
	}
	return x.catchUp(ctx, no)
}

// same tells whether two features differ in nothing but version and times.
func same(a, b *store.Feature) bool {
	x, y := *a, *b
	y.At = y.At.Rounded()
	x.Version, x.CreatedAt, x.UpdatedAt = y.Version, y.CreatedAt, y.UpdatedAt
	p, err1 := json.Marshal(&x)
	q, err2 := json.Marshal(&y)
	return err1 == nil && err2 == nil && string(p) == string(q)
}

// List returns a page of a collection, and the id to go on after, or the nil id at the end.
func (v *Service) List(ctx context.Context, a Actor, filter store.Filter) ([]*geojson.Feature, uuid.UUID, error) {
	if err := a.mayRead(); err != nil {
		return nil, uuid.Nil, err
	}
	limit := filter.Limit
	filter.Limit++
	rows, err := v.store.List(ctx, a.Workspace, filter)
	if err != nil {
		return nil, uuid.Nil, err
	}
	next := uuid.Nil
	if len(rows) > limit {
		rows = rows[:limit]
		next = rows[limit-1].ID
	}
	out := make([]*geojson.Feature, len(rows))
	for i, f := range rows {
		out[i] = present(a, f)
	}
	return out, next, nil
}

// Nearby is a question for the places around a position.
type Nearby struct {
	At               geo.Point
	BeyondM, WithinM float64 // +Inf for no bound
	Collections      []string
	Categories       []string
	Limit            int
}

// Nearby returns the places of the ring by distance, each with distance_m and bearing_deg, and whether there are more.
func (v *Service) Nearby(ctx context.Context, a Actor, q Nearby) ([]*geojson.Feature, bool, error) {
	if err := a.mayRead(); err != nil {
		return nil, false, err
	}
	if q.BeyondM > q.WithinM {
		return nil, false, Refuse("beyond", fmt.Sprint(q.BeyondM), fmt.Errorf("is more than within (%v m): the ring runs from beyond to within", q.WithinM))
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, false, err
	}
	has := func(list []string, value string) bool {
		for _, one := range list {
			if one == value {
				return true
			}
		}
		return len(list) == 0
	}
	found := x.now.Load().nearest(q.At, q.BeyondM, q.WithinM, q.Limit+1, func(f *store.Feature) bool {
		return has(q.Collections, f.Collection) && has(q.Categories, f.Category)
	})
	truncated := len(found) > q.Limit
	out := make([]*geojson.Feature, 0, min(len(found), q.Limit))
	for _, n := range found[:min(len(found), q.Limit)] {
		f := present(a, n.feature)
		line := geodesy.Measure(geodesy.Ellipsoid, q.At, n.feature.At)
		f.Properties["distance_m"] = line.DistanceM
		f.Properties["bearing_deg"] = Defined(line.InitialBearing)
		f.Properties["collection"] = n.feature.Collection
		out = append(out, f)
	}
	return out, truncated, nil
}

// Defined returns nil for what is not defined, so that it leaves as null.
func Defined(v float64) any {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return v
}
