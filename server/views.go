package server

import (
	"context"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/service"
)

// keeper are the calls for one kind of what is kept besides features.
type keeper[T any] struct {
	name string // of the list in an answer
	list func(context.Context, service.Actor) ([]service.Kept[T], error)
	one  func(context.Context, service.Actor, uuid.UUID) (service.Kept[T], error)
	put  func(context.Context, service.Actor, uuid.UUID, T, service.Match) (service.Kept[T], bool, error)
	drop func(context.Context, service.Actor, uuid.UUID, service.Match) error
}

// keep serves them under a path; limit is how many bytes one may have.
func keep[T any](s *server, g *echo.Group, path string, limit int64, k keeper[T]) {
	g.GET(path, func(c *echo.Context) error {
		all, err := k.list(c.Request().Context(), actor(c))
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{k.name: all})
	})
	g.GET(path+"/:id", func(c *echo.Context) error {
		id, err := idInPath(c)
		if err != nil {
			return err
		}
		out, err := k.one(c.Request().Context(), actor(c), id)
		if err != nil {
			return err
		}
		return sendVersioned(c, http.StatusOK, out.Version, out)
	})
	g.PUT(path+"/:id", func(c *echo.Context) error {
		id, err := idInPath(c)
		if err != nil {
			return err
		}
		var body T
		if err := s.decode(c, limit, &body); err != nil {
			return err
		}
		m, err := condition(c)
		if err != nil {
			return err
		}
		out, isNew, err := k.put(c.Request().Context(), actor(c), id, body, m)
		if err != nil {
			return err
		}
		return sendVersioned(c, created(isNew), out.Version, out)
	})
	g.DELETE(path+"/:id", func(c *echo.Context) error {
		id, err := idInPath(c)
		if err != nil {
			return err
		}
		m, err := condition(c)
		if err != nil {
			return err
		}
		if err := k.drop(c.Request().Context(), actor(c), id, m); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	})
}

// viewCalls are the calls for what the page lays out over the ground: views, pictures, imagery.
func (s *server) viewCalls(g *echo.Group) {
	v := s.Service
	keep(s, g, "/views", maxSmall, keeper[service.View]{"views", v.Views, v.View, v.PutView, v.DeleteView})
	keep(s, g, "/overlays", maxSmall,
		keeper[service.Overlay]{"overlays", v.Overlays, v.Overlay, v.PutOverlay, v.DeleteOverlay})
	g.GET("/imagery/layers", s.imageryLayers)
	keep(s, g, "/imagery", maxSmall,
		keeper[service.Imagery]{"imagery", v.Imagery, v.OneImagery, v.PutImagery, v.DeleteImagery})
	g.GET("/imagery/:id/:z/:x/:y", s.imageryTile)
	g.POST("/pictures", s.addPicture)
	g.GET("/pictures/:hash", s.picture)
}
