package server

import (
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service/access"
)

func (s *server) tokenCalls(v1 *echo.Group) {
	v1.GET("/tokens", s.tokens)
	v1.POST("/tokens", s.makeToken)
	v1.POST("/tokens/:id/rotate", s.rotateToken)
	v1.DELETE("/tokens/:id", s.revokeToken)
	v1.GET("/tokens/:id/use", s.useOfToken)
}

// tokenOut is a token as it is told of.
func tokenOut(t access.TokenInfo) map[string]any {
	return map[string]any{"id": t.ID, "name": t.Name, "scopes": t.Scopes, "collections": t.Collections,
		"origins": t.Origins, "created_at": t.CreatedAt.UTC(), "expires_at": t.ExpiresAt, "revoked_at": t.RevokedAt,
		"per_minute": t.PerMinute, "per_day": t.PerDay, "hint": t.Hint, "made_by": t.MadeBy,
		"old_secret_until": t.OldUntil}
}

func (s *server) tokens(c *echo.Context) error {
	list, err := s.Gate.TokensOf(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(list))
	for i, t := range list {
		out[i] = tokenOut(t)
	}
	return c.JSON(http.StatusOK, map[string]any{"tokens": out})
}

// made answers with a token and its secret, which nobody is told again.
func made(c *echo.Context, t access.TokenInfo, secret string) error {
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusCreated, map[string]any{"token": tokenOut(t), "secret": secret})
}

func (s *server) makeToken(c *echo.Context) error {
	var body struct {
		Name        string     `json:"name"`
		Scopes      []string   `json:"scopes"`
		Collections []string   `json:"collections"`
		Origins     []string   `json:"origins"`
		ExpiresAt   *time.Time `json:"expires_at"`
		PerMinute   int        `json:"per_minute"`
		PerDay      int        `json:"per_day"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	t, secret, err := s.Gate.MakeToken(c.Request().Context(), actor(c), access.TokenDraft(body))
	if err != nil {
		return err
	}
	return made(c, t, secret)
}

func (s *server) rotateToken(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	overlap := time.Duration(0)
	if text := q.text("overlap", 40); text != "" {
		if overlap, err = geo.ParseDuration(text); err != nil {
			q.refuse("overlap", text, err)
		}
	}
	if err := q.check(); err != nil {
		return err
	}
	t, secret, err := s.Gate.RotateToken(c.Request().Context(), actor(c), id, overlap)
	if err != nil {
		return err
	}
	return made(c, t, secret)
}

func (s *server) revokeToken(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	if err := s.Gate.RevokeToken(c.Request().Context(), actor(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *server) useOfToken(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	days := 30
	if text := q.text("days", 5); text != "" {
		if days, err = strconv.Atoi(text); err != nil || days < 1 || days > 366 {
			q.refuse("days", text, &geo.ParseError{Reason: "is not a number of days", Hint: "1 to 366"})
		}
	}
	if err := q.check(); err != nil {
		return err
	}
	list, err := s.Gate.UseOf(c.Request().Context(), actor(c), id, days)
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(list))
	for i, u := range list {
		out[i] = map[string]any{"day": u.Day.Format(time.DateOnly), "call": u.Call, "answered": u.Answered,
			"refused": u.Refused}
	}
	return c.JSON(http.StatusOK, map[string]any{"use": out})
}
