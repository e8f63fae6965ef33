package server

import (
	"encoding/json"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/service"
)

// bulkChange is what is to become of one feature, as it comes.
type bulkChange struct {
	Collection string           `json:"collection"`
	ID         uuid.UUID        `json:"id"`
	Feature    *geojson.Feature `json:"feature"`
	Patch      json.RawMessage  `json:"patch"`
	Delete     bool             `json:"delete"`
	Version    uint64           `json:"version"`
}

// bulk answers POST /v1/bulk.
func (s *server) bulk(c *echo.Context) error {
	var body struct {
		Changes []bulkChange `json:"changes"`
	}
	if err := s.decodeAs(c, maxBulk, featureTypes, &body); err != nil {
		return err
	}
	list := make([]service.BulkChange, len(body.Changes))
	for i, b := range body.Changes {
		var err error
		if list[i], err = b.read(); err != nil {
			return service.InBulk(err, i, nil)
		}
	}
	o, err := once(c)
	if err != nil {
		return err
	}
	done, err := s.Service.Bulk(c.Request().Context(), actor(c), list, o)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, done)
}

func (b *bulkChange) read() (service.BulkChange, error) {
	out := service.BulkChange{Collection: b.Collection, ID: b.ID, Delete: b.Delete, Version: b.Version}
	if b.Feature != nil {
		draft, err := draftOf(b.Feature)
		if err != nil {
			return out, err
		}
		out.Feature = &draft
	}
	if len(b.Patch) > 0 && string(b.Patch) != "null" {
		patch, err := readPatch(b.Patch)
		if err != nil {
			return out, err
		}
		out.Patch = &patch
	}
	return out, nil
}
