package server

import (
	"context"
	"net/http"
	"strconv"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/core/tile"
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

func keep[T any](s *server, g *echo.Group, path string, k keeper[T]) {
	g.GET(path, func(c *echo.Context) error {
		all, err := k.list(c.Request().Context(), actor(c))
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{k.name: all})
	})
	g.GET(path+"/:id", func(c *echo.Context) error {
		id, err := itemID(c)
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
		id, err := itemID(c)
		if err != nil {
			return err
		}
		var body T
		if err := s.decode(c, maxSmall, &body); err != nil {
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
		id, err := itemID(c)
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

// desk are the calls for what the page lays out: views, pictures over the ground, imagery, places by the tile.
func (s *server) desk(g *echo.Group) {
	v := s.Service
	keep(s, g, "/views", keeper[service.View]{"views", v.Views, v.View, v.PutView, v.DeleteView})
	keep(s, g, "/overlays", keeper[service.Overlay]{"overlays", v.Overlays, v.Overlay, v.PutOverlay, v.DeleteOverlay})
	g.GET("/imagery/layers", s.imageryLayers)
	keep(s, g, "/imagery", keeper[service.Imagery]{"imagery", v.Imagery, v.OneImagery, v.PutImagery, v.DeleteImagery})
	g.GET("/imagery/:id/:z/:x/:y", s.imageryTile)
	g.POST("/pictures", s.addPicture)
	g.GET("/pictures/:hash", s.picture)
	g.GET("/places/tiles/:z/:x/:y", s.marks)
	g.GET("/building", s.building)
}

// tileID reads which tile is asked for.
func tileID(c *echo.Context) (tile.ID, error) {
	var v [3]int
	for i, name := range []string{"z", "x", "y"} {
		n, err := strconv.Atoi(c.Param(name))
		if err != nil {
			return tile.ID{}, service.Refuse(name, c.Param(name), &geo.ParseError{Reason: "is not a whole number", Hint: "tiles are named z/x/y"})
		}
		v[i] = n
	}
	return tile.ID{Z: v[0], X: v[1], Y: v[2]}, nil
}

func (s *server) imageryLayers(c *echo.Context) error {
	q := newQuery(c)
	address := q.text("url", 2000)
	if err := q.check(); err != nil {
		return err
	}
	layers, err := s.Service.ImageryLayers(c.Request().Context(), actor(c), address)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"layers": layers})
}

func (s *server) imageryTile(c *echo.Context) error {
	id, err := itemID(c)
	if err != nil {
		return err
	}
	t, err := tileID(c)
	if err != nil {
		return err
	}
	data, mediaType, err := s.Service.ImageryTile(c.Request().Context(), actor(c), id, t)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=3600")
	if data == nil {
		return c.NoContent(http.StatusNoContent)
	}
	return c.Blob(http.StatusOK, mediaType, data)
}

func (s *server) addPicture(c *echo.Context) error {
	data, err := s.readPicture(c)
	if err != nil {
		return err
	}
	hash, info, err := s.Service.AddPicture(c.Request().Context(), actor(c), data)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, map[string]any{"picture": hash, "media_type": info.MediaType, "width_px": info.Width, "height_px": info.Height})
}

func (s *server) picture(c *echo.Context) error {
	p, err := s.Service.Picture(c.Request().Context(), actor(c), c.Param("hash"), true)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox") // a drawing that is opened by itself
	return c.Blob(http.StatusOK, p.MediaType, p.Data)
}

func (s *server) marks(c *echo.Context) error {
	t, err := tileID(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	collections, categories := q.list("collection", 100), q.list("category", 500)
	if err := q.check(); err != nil {
		return err
	}
	marks, err := s.Service.Marks(c.Request().Context(), actor(c), t, collections, categories)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.JSON(http.StatusOK, map[string]any{"marks": marks})
}

func (s *server) building(c *echo.Context) error {
	q := newQuery(c)
	at := q.point("at", true)
	if err := q.check(); err != nil {
		return err
	}
	f, err := s.Service.Building(actor(c), at)
	if err != nil {
		return err
	}
	if f == nil {
		return c.NoContent(http.StatusNoContent)
	}
	return features(c, http.StatusOK, f)
}
