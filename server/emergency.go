package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/service"
	"viandante/service/fault"
)

func (s *server) emergencyCalls(g *echo.Group) {
	g.GET("/emergency", func(c *echo.Context) error {
		out, err := s.Service.Emergency(c.Request().Context(), actor(c))
		if fault.Is(err, fault.NotFound) {
			return c.NoContent(http.StatusNoContent) // which is nothing wrong
		} else if err != nil {
			return err
		}
		return sendVersioned(c, http.StatusOK, out.Version, out.Body)
	})
	g.PUT("/emergency", func(c *echo.Context) error {
		var body service.Emergency
		if err := s.decode(c, maxSmall, &body); err != nil {
			return err
		}
		m, err := condition(c)
		if err != nil {
			return err
		}
		out, isNew, err := s.Service.PutEmergency(c.Request().Context(), actor(c), body, m)
		if err != nil {
			return err
		}
		return sendVersioned(c, created(isNew), out.Version, out.Body)
	})
	g.DELETE("/emergency", func(c *echo.Context) error {
		m, err := condition(c)
		if err != nil {
			return err
		}
		if err := s.Service.DeleteEmergency(c.Request().Context(), actor(c), m); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	})
}
