package server

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// doubts answers GET /v1/doubts.
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
