package server

import (
	"net/http"
	"strings"

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

func (s *server) collection(c *echo.Context) error {
	k, err := s.collectionInPath(c)
	if err != nil {
		return err
	}
	return sendVersioned(c, http.StatusOK, k.Version, k)
}

func (s *server) putCollection(c *echo.Context) error {
	var body struct {
		Title       string           `json:"title"`
		Description string           `json:"description"`
		Attributes  store.Attributes `json:"attributes"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	k := store.Collection{ID: c.Param("collection"), Title: body.Title, Description: body.Description, Attributes: body.Attributes}
	k, isNew, err := s.Service.PutCollection(c.Request().Context(), actor(c), k, m)
	if err != nil {
		return err
	}
	return sendVersioned(c, created(isNew), k.Version, k)
}

func (s *server) deleteCollection(c *echo.Context) error {
	id, err := collectionOf(c)
	if err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	if err := s.Service.DeleteCollection(c.Request().Context(), actor(c), id, m); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *server) categories(c *echo.Context) error {
	list, err := s.Service.Categories(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"categories": list})
}

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

func (s *server) category(c *echo.Context) error {
	k, err := s.Service.Category(c.Request().Context(), actor(c), strings.ToValidUTF8(c.Param("category"), "\uFFFD"))
	if err != nil {
		return err
	}
	return sendVersioned(c, http.StatusOK, k.Version, k)
}

func (s *server) putCategory(c *echo.Context) error {
	var k store.Category
	if err := s.decode(c, maxSmall, &k); err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	k.ID = c.Param("category")
	k, isNew, err := s.Service.PutCategory(c.Request().Context(), actor(c), k, m)
	if err != nil {
		return err
	}
	return sendVersioned(c, created(isNew), k.Version, k)
}

func (s *server) deleteCategory(c *echo.Context) error {
	m, err := condition(c)
	if err != nil {
		return err
	}
	id := strings.ToValidUTF8(c.Param("category"), "\uFFFD")
	if err := s.Service.DeleteCategory(c.Request().Context(), actor(c), id, m); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *server) history(c *echo.Context) error {
	id, err := itemID(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	limit := q.limit()
	if err := q.check(); err != nil {
		return err
	}
	collection, err := collectionOf(c)
	if err != nil {
		return err
	}
	past, err := s.Service.History(c.Request().Context(), actor(c), collection, id, limit)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"history": past})
}

func (s *server) bin(c *echo.Context) error {
	q := newQuery(c)
	limit := q.limit()
	if err := q.check(); err != nil {
		return err
	}
	binned, err := s.Service.Bin(c.Request().Context(), actor(c), limit)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"bin": binned})
}

func (s *server) doubts(c *echo.Context) error {
	q := newQuery(c)
	at := q.point("at", true)
	if err := q.check(); err != nil {
		return err
	}
	doubts, err := s.Service.Doubts(c.Request().Context(), actor(c), at)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"doubts": doubts})
}
