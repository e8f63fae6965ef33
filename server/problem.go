package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/feature"
	"viandante/service"
	"viandante/service/fault"
)

// problem is an error as RFC 9457 has it.
type problem struct {
	Type      string        `json:"type"`
	Title     string        `json:"title"`
	Status    int           `json:"status"`
	Detail    string        `json:"detail"`
	RequestID string        `json:"request_id"`
	Errors    []fault.Field `json:"errors,omitempty"`
	Current   any           `json:"current,omitempty"`
}

// problems gives each kind of error its status, its stable type and its title.
var problems = map[fault.Kind]struct {
	status      int
	name, title string
}{
	fault.Unauthorized: {http.StatusUnauthorized, "no-token", "No or bad token"},
	fault.Away:         {http.StatusServiceUnavailable, "database-away", "The database does not answer"},
	fault.Busy:         {http.StatusServiceUnavailable, "busy", "Others are writing"},
	fault.TooMany:      {http.StatusTooManyRequests, "too-many", "Too many calls"},
	fault.Full:         {http.StatusInsufficientStorage, "disk-full", "The disk is full"},
	fault.Invalid:      {http.StatusBadRequest, "invalid-value", "A value is wrong"},
	fault.Forbidden:    {http.StatusForbidden, "not-allowed", "Not allowed"},
	fault.NotFound:     {http.StatusNotFound, "not-found", "Not found"},
	fault.Conflict:     {http.StatusConflict, "conflict", "Somebody was first"},
	fault.Stale:        {http.StatusPreconditionFailed, "changed-meanwhile", "Changed by somebody else"},
	fault.NeedsMatch:   {http.StatusPreconditionRequired, "if-match-missing", "If-Match is missing"},
	fault.Impossible:   {http.StatusUnprocessableEntity, "impossible", "Understood, but impossible"},
	fault.Unready:      {http.StatusServiceUnavailable, "not-ready", "Not ready yet"},
	fault.Upstream:     {http.StatusBadGateway, "source-fails", "A source outside fails"},
	fault.Gone:         {http.StatusGone, "no-longer-kept", "No longer kept"},
	fault.TooLarge:     {http.StatusRequestEntityTooLarge, "too-large", "Too large"},
}

const typePrefix = "urn:viandante:problem:"

func (s *server) problem(c *echo.Context, err error) {
	if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && r.Committed {
		return
	}
	id, _ := c.Get("request_id").(string)
	p := problem{RequestID: id}
	var se *fault.Error
	var he *httpError
	var coder interface{ StatusCode() int }
	set := func(status int, name, title, detail string) {
		p.Status, p.Type, p.Title, p.Detail = status, typePrefix+name, title, detail
	}
	err = service.Explain(err)
	switch {
	case errors.As(err, &se):
		k := problems[se.Kind]
		if f, is := se.Current.(*feature.Feature); is {
			se.Current = present(f)
		}
		if se.Kind == fault.Unauthorized {
			c.Response().Header().Set("WWW-Authenticate", `Bearer realm="viandante"`)
		}
		p.Type, p.Title, p.Status, p.Detail, p.Errors, p.Current = typePrefix+k.name, k.title, k.status, se.Detail,
			se.Fields, se.Current
	case errors.Is(err, context.Canceled):
		set(499, "cancelled", "Cancelled", "the request was cancelled")
	case errors.As(err, &he):
		set(he.status, "http-"+strconv.Itoa(he.status), http.StatusText(he.status), he.detail)
		p.Errors = he.fields
	case errors.As(err, &coder) && coder.StatusCode() < 500:
		status := coder.StatusCode()
		if status == http.StatusMethodNotAllowed || status == http.StatusNotFound {
			status = s.notAllowed(c, status)
		}
		set(status, "http-"+strconv.Itoa(status), http.StatusText(status), explained(c, status))
	default:
		s.Log.Error(
			"request failed",
			"request_id",
			id,
			"method",
			c.Request().Method,
			"path",
			c.Request().URL.Path,
			"error",
			err,
		)
		set(
			http.StatusInternalServerError,
			"internal",
			"Something went wrong here",
			"the server's log has the reason under the request id",
		)
	}
	s.metrics.problems.WithLabelValues(strings.TrimPrefix(p.Type, typePrefix)).Inc()
	if p.Status == http.StatusServiceUnavailable {
		c.Response().Header().Set("Retry-After", "1")
	}
	c.Response().Header().Set(echo.HeaderContentType, "application/problem+json")
	if err := c.JSON(p.Status, p); err != nil {
		s.Log.Debug("an error could not be told", "request_id", id, "error", err)
	}
}

// notAllowed returns the status for a method that a path does not have, and says which it has: the page has every path,
// but those of the API are their own.
func (s *server) notAllowed(c *echo.Context, status int) int {
	path := c.Request().URL.Path
	allow := s.methods(path)
	if slices.Contains(allow, c.Request().Method) || allow == nil && status == http.StatusNotFound {
		return status
	}
	if allow == nil && (strings.HasPrefix(path, "/v1/") || strings.HasPrefix(path, "/ogc/")) {
		return http.StatusNotFound
	}
	if allow == nil {
		allow = []string{http.MethodGet}
	}
	if slices.Contains(allow, http.MethodGet) {
		allow = append(allow, http.MethodHead)
	}
	c.Response().Header().Set("Allow", strings.Join(append(allow, http.MethodOptions), ", "))
	return http.StatusMethodNotAllowed
}

// methods returns the methods of the routes that a path belongs to, the page's apart.
func (s *server) methods(path string) (out []string) {
	have := strings.Split(path, "/")
	for _, r := range s.routes {
		want := strings.Split(r.Path, "/")
		if len(want) != len(have) {
			continue
		}
		same := true
		for i := range want {
			same = same && (want[i] == have[i] || strings.HasPrefix(want[i], ":"))
		}
		if same && !slices.Contains(out, r.Method) && r.Method != echo.RouteNotFound {
			out = append(out, r.Method)
		}
	}
	return out
}

func explained(c *echo.Context, status int) string {
	switch r := c.Request(); status {
	case http.StatusNotFound:
		return "there is nothing at " + strconv.QuoteToASCII(r.URL.Path)
	case http.StatusMethodNotAllowed:
		return "this call takes " + c.Response().Header().Get("Allow") + ", not " + strconv.QuoteToASCII(r.Method)
	}
	return http.StatusText(status)
}

// recovered makes an error of a panic, so that it ends one request and nothing else.
func (s *server) recovered(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) (err error) {
		defer func() {
			p := recover()
			if p == nil {
				return
			}
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.metrics.panics.Inc()
			err = fmt.Errorf("panic: %v\n%s", p, debug.Stack())
		}()
		return next(c)
	}
}

// identify gives each request an id, which errors and the log carry.
func (s *server) identify(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		id := uuid.NewString()
		c.Set("request_id", id)
		// A semicolon is data in a query (WHATWG URL); package url would drop the parameter that has one.
		if u := c.Request().URL; strings.Contains(u.RawQuery, ";") {
			u.RawQuery = strings.ReplaceAll(u.RawQuery, ";", "%3B")
		}
		h := c.Response().Header()
		h.Set("X-Request-Id", id)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		return next(c)
	}
}
