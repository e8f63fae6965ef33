package server

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tile"
	"viandante/service/fault"
)

// regions answers GET /v1/regions.
func (s *server) regions(c *echo.Context) error {
	list, away, version, err := s.Service.Regions(actor(c))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"version": version, "regions": list, "away": away})
}

func (s *server) tile(c *echo.Context) error { return s.sendTile(c, false) }

func (s *server) heights(c *echo.Context) error { return s.sendTile(c, true) }

func (s *server) sendTile(c *echo.Context, heights bool) error {
	t, err := tileID(c)
	if err != nil {
		return err
	}
	data, err := s.Service.Tile(c.Request().Context(), actor(c), c.Param("version"), t, heights)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	if data == nil {
		return c.NoContent(http.StatusNoContent)
	}
	h.Set("Content-Encoding", "gzip")
	return c.Blob(http.StatusOK, "application/octet-stream", data)
}

// tileID reads which tile is asked for.
func tileID(c *echo.Context) (tile.ID, error) {
	var v [3]int
	for i, name := range []string{"z", "x", "y"} {
		n, err := strconv.Atoi(c.Param(name))
		if err != nil {
			return tile.ID{}, fault.Refuse(
				name,
				c.Param(name),
				&geo.ParseError{Reason: "is not a whole number", Hint: "tiles are named z/x/y"},
			)
		}
		v[i] = n
	}
	return tile.ID{Z: v[0], X: v[1], Y: v[2]}, nil
}

// building answers GET /v1/building.
func (s *server) building(c *echo.Context) error {
	q := newQuery(c)
	at := q.point("at", true)
	if err := q.check(); err != nil {
		return err
	}
	b, err := s.Service.Building(actor(c), at)
	if err != nil {
		return err
	}
	if b == nil {
		return c.NoContent(http.StatusNoContent)
	}
	outline, err := feature.NewPolygon(b.Rings, nil)
	if err != nil {
		return err
	}
	return features(c, http.StatusOK, &geojson.Feature{Type: "Feature", Properties: map[string]any{"name": b.Name},
		Geometry: geojson.GeometryOf(outline)})
}
