package server

import (
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/core/feature"
	"viandante/service"
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
		service.Collection
		Count int `json:"count"`
	}
	out := make([]counted, len(list))
	for i, k := range list {
		out[i] = counted{k, counts[k.ID]}
	}
	return c.JSON(http.StatusOK, map[string]any{"collections": out})
}

func (s *server) collection(c *echo.Context) error {
	k, err := s.collectionAsked(c)
	if err != nil {
		return err
	}
	return sendVersioned(c, http.StatusOK, k.Version, k)
}

func (s *server) putCollection(c *echo.Context) error {
	var body struct {
		Title       string         `json:"title"`
		Description string         `json:"description"`
		Attributes  feature.Schema `json:"attributes"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	m, err := condition(c)
	if err != nil {
		return err
	}
	k := service.Collection{
		ID:          c.Param("collection"),
		Title:       body.Title,
		Description: body.Description,
		Attributes:  body.Attributes,
	}
	k, isNew, err := s.Service.PutCollection(c.Request().Context(), actor(c), k, m)
	if err != nil {
		return err
	}
	return sendVersioned(c, created(isNew), k.Version, k)
}

func (s *server) deleteCollection(c *echo.Context) error {
	id, err := collectionInPath(c)
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

func (s *server) category(c *echo.Context) error {
	k, err := s.Service.Category(c.Request().Context(), actor(c), strings.ToValidUTF8(c.Param("category"), "\uFFFD"))
	if err != nil {
		return err
	}
	return sendVersioned(c, http.StatusOK, k.Version, k)
}

func (s *server) putCategory(c *echo.Context) error {
	var k service.Category
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
