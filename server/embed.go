package server

import (
	"io/fs"
	"net/http"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/service/fault"
)

// embed answers GET /embed: the page for a frame. Which pages may frame it its token says, whose id is in the query;
// the token itself is in the fragment, which is never sent.
func (s *server) embed(c *echo.Context) error {
	data, err := fs.ReadFile(s.Page, "embed.html")
	if err != nil {
		return fault.New(fault.NotFound, "the embedded map was not built into this program; build it with `make build`")
	}
	frames := "'self'"
	if text := c.QueryParam("token"); text != "" {
		id, err := uuid.Parse(text)
		if err == nil {
			if cred, err := s.Gate.Public(c.Request().Context(), id); err == nil {
				frames = strings.Join(append([]string{frames}, strings.Fields(cred.Origins)...), " ")
			} else if !fault.Is(err, fault.Unauthorized) {
				return err
			}
		}
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "no-cache")
	h.Set("Content-Security-Policy", strings.Join([]string{"default-src 'self'", "script-src 'self' 'wasm-unsafe-eval'",
		"img-src 'self' data: blob:", "style-src 'self' 'unsafe-inline'", "worker-src 'self' blob:",
		"form-action 'none'",
		"base-uri 'none'", "frame-ancestors " + frames}, "; "))
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	return c.HTMLBlob(http.StatusOK, data)
}
