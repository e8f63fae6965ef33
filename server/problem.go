package server

import (
	"context"
	"errors"
	"net/http"
	"strconv"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/service"
)

// problem is an error as RFC 9457 has it.
type problem struct {
	Type      string               `json:"type"`
	Title     string               `json:"title"`
	Status    int                  `json:"status"`
	Detail    string               `json:"detail"`
	RequestID string               `json:"request_id"`
	Errors    []service.FieldError `json:"errors,omitempty"`
	Current   any                  `json:"current,omitempty"`
}

// problems gives each kind of error its status, its stable type and its title.
var problems = map[service.Kind]struct {
	status      int
	name, title string
}{
	service.Invalid:    {http.StatusBadRequest, "invalid-value", "A value is wrong"},
	service.Forbidden:  {http.StatusForbidden, "not-allowed", "Not allowed"},
	service.NotFound:   {http.StatusNotFound, "not-found", "Not found"},
	service.Conflict:   {http.StatusConflict, "conflict", "Somebody was first"},
	service.Stale:      {http.StatusPreconditionFailed, "changed-meanwhile", "Changed by somebody else"},
	service.NeedsMatch: {http.StatusPreconditionRequired, "if-match-missing", "If-Match is missing"},
	service.Impossible: {http.StatusUnprocessableEntity, "impossible", "Understood, but impossible"},
	service.Unready:    {http.StatusServiceUnavailable, "not-ready", "Not ready yet"},
	service.Upstream:   {http.StatusBadGateway, "source-fails", "A source outside fails"},
	service.Gone:       {http.StatusGone, "no-longer-kept", "No longer kept"},
}

const typePrefix = "urn:viandante:problem:"

// errUnauthorized is returned for no token or a bad one.
var errUnauthorized = errors.New("a valid token is needed: send `Authorization: Bearer TOKEN`; the demo's token lies in the file demo.token of its data directory")

func (s *server) problem(c *echo.Context, err error) {
	if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && r.Committed {
		return
	}
	id, _ := c.Get("request_id").(string)
	p := problem{RequestID: id}
	var se *service.Error
	var coder interface{ StatusCode() int }
	switch {
	case errors.As(err, &se):
		k := problems[se.Kind]
		p.Type, p.Title, p.Status, p.Detail, p.Errors, p.Current = typePrefix+k.name, k.title, k.status, se.Detail, se.Fields, se.Current
	case errors.Is(err, errUnauthorized):
		p.Type, p.Title, p.Status, p.Detail = typePrefix+"no-token", "No or bad token", http.StatusUnauthorized, err.Error()
		c.Response().Header().Set("WWW-Authenticate", `Bearer realm="viandante"`)
	case errors.Is(err, context.Canceled):
		p.Type, p.Title, p.Status, p.Detail = typePrefix+"cancelled", "Cancelled", 499, "the request was cancelled"
	case errors.As(err, &coder) && coder.StatusCode() < 500:
		p.Status = coder.StatusCode()
		p.Type, p.Title, p.Detail = typePrefix+"http-"+strconv.Itoa(p.Status), http.StatusText(p.Status), err.Error()
	default:
		s.Log.Error("request failed", "request_id", id, "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
		p.Type, p.Title, p.Status, p.Detail = typePrefix+"internal", "Something went wrong here", http.StatusInternalServerError, "the server's log has the reason under the request id"
	}
	if p.Status == http.StatusServiceUnavailable {
		c.Response().Header().Set("Retry-After", "1")
	}
	c.Response().Header().Set(echo.HeaderContentType, "application/problem+json")
	if err := c.JSON(p.Status, p); err != nil {
		s.Log.Debug("an error could not be told", "request_id", id, "error", err)
	}
}

// identify gives each request an id, which errors and the log carry.
func (s *server) identify(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		id := uuid.NewString()
		c.Set("request_id", id)
		h := c.Response().Header()
		h.Set("X-Request-Id", id)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		return next(c)
	}
}
