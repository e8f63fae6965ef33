package server

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// imageryLayers answers GET /v1/imagery/layers.
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
	id, err := idInPath(c)
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
	return c.JSON(
		http.StatusCreated,
		map[string]any{"picture": hash, "media_type": info.MediaType, "width_px": info.Width, "height_px": info.Height},
	)
}

func (s *server) picture(c *echo.Context) error {
	p, err := s.Service.Picture(c.Request().Context(), actor(c), c.Param("hash"), true)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	h.Set(
		"Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox",
	) // a drawing that is opened by itself
	return c.Blob(http.StatusOK, p.MediaType, p.Data)
}
