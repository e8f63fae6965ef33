package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/store"
)

func (s *server) collections(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Service.Collections(ctx, actor(c))
	if err != nil {
		return err
	}
	counts, err := s.Service.Counts(ctx, actor(c))
	if err != nil {
		return err
	}
	type counted struct {
		store.Collection
		Count int `json:"count"`
	}
	out := make([]counted, len(list))
	for i, k := range list {
		out[i] = counted{k, counts[k.ID]}
	}
	return c.JSON(http.StatusOK, map[string]any{"collections": out})
}

func (s *server) putCollection(c *echo.Context) error {
	var body struct {
		Title       string `json:"title"`
		Description string `json:"description"`
	}
	if err := decode(c, &body); err != nil {
		return err
	}
	k, created, err := s.Service.PutCollection(c.Request().Context(), actor(c), store.Collection{ID: c.Param("collection"), Title: body.Title, Description: body.Description})
	if err != nil {
		return err
	}
	status := http.StatusOK
	if created {
		status = http.StatusCreated
	}
	return c.JSON(status, k)
}

func (s *server) categories(c *echo.Context) error {
	list, err := s.Service.Categories(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"categories": list})
}

func (s *server) regions(c *echo.Context) error {
	list, version, err := s.Service.Regions(actor(c))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"version": version, "regions": list})
}

func (s *server) tile(c *echo.Context) error { return s.sendTile(c, false) }

func (s *server) heights(c *echo.Context) error { return s.sendTile(c, true) }

func (s *server) sendTile(c *echo.Context, heights bool) error {
	t, err := tileID(c)
	if err != nil {
		return err
	}
	data, err := s.Service.Tile(actor(c), c.Param("version"), t, heights)
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
