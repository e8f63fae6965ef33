package server

import (
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/service/fault"
)

// page serves the built user interface; what is no file of it is a view of the page, which finds its way by itself.
func (s *server) page(c *echo.Context) error {
	name := strings.TrimPrefix(path.Clean(c.Request().URL.Path), "/")
	h := c.Response().Header()
	data, err := fs.ReadFile(s.Page, name)
	switch {
	case err == nil && strings.HasPrefix(name, "assets/"):
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	case strings.HasPrefix(name, "assets/") || strings.HasPrefix(name, "v1/") || strings.HasPrefix(name, "ogc/"):
		return &fault.Error{Kind: fault.NotFound, Detail: "there is nothing at " + c.Request().URL.Path}
	default:
		if err != nil {
			name = "index.html"
			if data, err = fs.ReadFile(s.Page, name); err != nil {
				return fault.New(fault.NotFound, "the page was not built into this program; build it with `make build`")
			}
		}
		h.Set("Cache-Control", "no-cache")
		h.Set(
			"Content-Security-Policy",
			"default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; img-src 'self' data: blob:; style-src 'self' "+
				"'unsafe-inline'; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'",
		)
	}
	kind := mime.TypeByExtension(path.Ext(name))
	if kind == "" {
		kind = "application/octet-stream"
	}
	return c.Blob(http.StatusOK, kind, data)
}
