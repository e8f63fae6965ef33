package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/service"
	"viandante/service/catalog"
	"viandante/service/fault"
)

const crs84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"

// base is the address under which the server was asked.
func base(c *echo.Context) string {
	scheme := "http"
	if c.Request().TLS != nil {
		scheme = "https"
	}
	return scheme + "://" + c.Request().Host
}

func (s *server) landing(c *echo.Context) error {
	b := base(c)
	return c.JSON(
		http.StatusOK,
		map[string]any{
			"title":       "Viandante",
			"description": "The stored places, paths and areas of this workspace.",
			"links": []geojson.Link{
				{Href: b + "/ogc", Rel: "self", Type: "application/json"},
				{Href: b + "/openapi.json", Rel: "service-desc", Type: "application/vnd.oai.openapi+json;version=3.1"},
				{Href: b + "/ogc/conformance", Rel: "conformance", Type: "application/json"},
				{Href: b + "/ogc/collections", Rel: "data", Type: "application/json"},
			},
		},
	)
}

func (s *server) conformance(c *echo.Context) error {
	const part1 = "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/"
	const part4 = "http://www.opengis.net/spec/ogcapi-features-4/1.0/conf/"
	return c.JSON(http.StatusOK, map[string]any{"conformsTo": []string{part1 + "core", part1 + "geojson",
		part4 + "create-replace-delete", part4 + "update", part4 + "optimistic-locking-etags"}})
}

func ogcCollection(c *echo.Context, k service.Collection) map[string]any {
	at := base(c) + "/ogc/collections/" + url.PathEscape(k.ID)
	return map[string]any{
		"id":          k.ID,
		"title":       k.Title,
		"description": k.Description,
		"itemType":    "feature",
		"crs":         []string{crs84},
		"links": []geojson.Link{
			{Href: at, Rel: "self", Type: "application/json"},
			{Href: at + "/items", Rel: "items", Type: geoJSONType, Title: k.Title},
		},
	}
}

func (s *server) ogcCollections(c *echo.Context) error {
	list, err := s.Service.Collections(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(list))
	for i, k := range list {
		out[i] = ogcCollection(c, k)
	}
	return c.JSON(
		http.StatusOK,
		map[string]any{
			"collections": out,
			"links":       []geojson.Link{{Href: base(c) + "/ogc/collections", Rel: "self", Type: "application/json"}},
		},
	)
}

func (s *server) ogcCollection(c *echo.Context) error {
	k, err := s.collectionAsked(c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, ogcCollection(c, k))
}

func (s *server) collectionAsked(c *echo.Context) (service.Collection, error) {
	id, err := collectionInPath(c)
	if err != nil {
		return service.Collection{}, err
	}
	return s.Service.Collection(c.Request().Context(), actor(c), id)
}

func (s *server) items(c *echo.Context) error {
	k, err := s.collectionAsked(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	ask := catalog.Page{Collection: k.ID, Limit: q.limit(), Where: map[string]string{}, Box: q.box()}
	if text := q.text("cursor", 100); text != "" {
		after, err := uuid.Parse(text)
		if err != nil {
			q.refuse("cursor", text, &geo.ParseError{Reason: "is not a cursor", Hint: "follow the link next"})
		}
		ask.After = after
	}
	for _, name := range []string{"name", "category"} {
		if q.values.Has(name) {
			value := q.text(name, 40_000)
			if name == "name" {
				ask.Name = &value
			} else {
				ask.Category = &value
			}
		}
	}
	for name := range q.values { // whatever is left filters by an attribute
		switch name {
		case "limit", "bbox", "cursor", "name", "category":
		case "datetime", "crs", "bbox-crs", "filter":
			q.refuse(
				name,
				q.values.Get(name),
				&geo.ParseError{Reason: "is not supported", Hint: "bbox, limit, and attributes by their names"},
			)
		default:
			ask.Where[name] = q.text(name, 10_000)
		}
	}
	q.known = append(q.known, "datetime", "crs", "bbox-crs", "filter")
	if err := q.check(); err != nil {
		return err
	}
	found, next, err := s.Service.List(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	a := newListing(len(found))
	for _, r := range found {
		a.row(r, nil)
	}
	links := []geojson.Link{{Href: base(c) + c.Request().URL.RequestURI(), Rel: "self", Type: geoJSONType}}
	if next != uuid.Nil {
		v := c.QueryParams()
		v.Set("cursor", next.String())
		v.Set("limit", strconv.Itoa(ask.Limit))
		links = append(
			links,
			geojson.Link{Href: base(c) + c.Request().URL.Path + "?" + v.Encode(), Rel: "next", Type: geoJSONType},
		)
	}
	text, err := json.Marshal(links)
	if err != nil {
		return err
	}
	return a.send(c, fmt.Sprintf(`"numberReturned":%d,"timeStamp":%q,"links":%s`, len(found),
		s.Now().UTC().Format(time.RFC3339), text))
}

func (s *server) send(c *echo.Context, v service.Versioned, err error) error {
	if err != nil {
		return err
	}
	same, err := unchanged(c, v.Version)
	switch {
	case err != nil:
		return err
	case same:
		return c.NoContent(http.StatusNotModified)
	}
	if v.Created {
		at := base(c) + "/ogc/collections/" + url.PathEscape(c.Param("collection")) + "/items/" + v.Feature.ID.String()
		c.Response().Header().Set("Location", at)
	}
	return c.Blob(created(v.Created), geoJSONType, appendVersioned(nil, v))
}

// collectionOf returns the collection in the path; what cannot be the id of one is none.
func collectionInPath(c *echo.Context) (string, error) {
	id := c.Param("collection")
	if !utf8.ValidString(id) || len(id) > 200 {
		return "", &fault.Error{
			Kind:   fault.NotFound,
			Detail: "there is no collection " + strconv.QuoteToASCII(id[:min(len(id), 100)]),
		}
	}
	return id, nil
}

func (s *server) item(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	v, err := s.Service.Feature(c.Request().Context(), actor(c), collection, id)
	return s.send(c, v, err)
}

func (s *server) createItem(c *echo.Context) error {
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	in, err := s.decodeDraft(c)
	if err != nil {
		return err
	}
	o, err := once(c)
	if err != nil {
		return err
	}
	v, err := s.Service.Post(c.Request().Context(), actor(c), collection, in, o)
	return s.send(c, v, err)
}

func (s *server) putItem(c *echo.Context) error {
	id, collection, err := target(c)
	if err != nil {
		return err
	}
	in, err := s.decodeDraft(c)
	if err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	v, err := s.Service.Put(c.Request().Context(), actor(c), collection, id, in, m)
	return s.send(c, v, err)
}

// target reads which feature a change is for.
func target(c *echo.Context) (id uuid.UUID, collection string, err error) {
	if id, err = idInPath(c); err != nil {
		return id, "", err
	}
	collection, err = collectionInPath(c)
	return id, collection, err
}

func (s *server) patchItem(c *echo.Context) error {
	id, collection, err := target(c)
	if err != nil {
		return err
	}
	data, err := s.readJSON(c, maxFeature, patchTypes)
	if err != nil {
		return err
	}
	patch, err := readPatch(data)
	if err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	v, err := s.Service.Patch(c.Request().Context(), actor(c), collection, id, patch, m)
	return s.send(c, v, err)
}

func (s *server) deleteItem(c *echo.Context) error {
	id, collection, err := target(c)
	if err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	if err := s.Service.Delete(c.Request().Context(), actor(c), collection, id, m); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
