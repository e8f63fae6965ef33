package server

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/service/access"
	"viandante/service/fault"
)

// anyScope are all scopes: what takes one of them takes any token.
const anyScope = access.Read | access.Write | access.Geocode | access.Route | access.Live | access.Publish |
	access.Admin

// need is what a call takes: one of some scopes, and with whole somebody who is not for some collections only, for what
// belongs to no collection.
type need struct {
	scopes access.Scope
	whole  bool
}

// needs are the calls that take something else than read for reading and write for everything else, by the beginnings
// of their routes; the first that fits counts.
var needs = []struct {
	begins string
	need
}{
	{"/v1/tokens", need{access.Admin, true}},
	{"/v1/geocode", need{access.Geocode, false}},
	{"/v1/suggest", need{access.Geocode, false}},
	{"/v1/route", need{access.Route, false}},
	{"/v1/matrix", need{access.Route, false}},
	{"/v1/reach", need{access.Route, false}},
	{"/v1/profiles", need{anyScope, false}},
	{"/v1/parties/:id/members", need{access.Live, false}}, // an app tells where it is; reading is held apart
	{"/v1/parties", need{access.Live, true}},
	{"/v1/watches", need{access.Live, true}},
	{"/v1/tiles", need{anyScope, false}},
	{"/v1/regions", need{anyScope, false}},
	{"/v1/measure", need{anyScope, false}},
	{"/v1/nearby", need{access.Read, false}},
	{"/v1/proof", need{anyScope, false}},
	{"/v1/destination", need{anyScope, false}},
	{"/v1/shape", need{anyScope, false}},
	{"/v1/qr", need{anyScope, false}},
	{"/v1/code", need{anyScope, false}},
	{"/v1/building", need{access.Read | access.Geocode, false}},
	{"/v1/published", need{access.Read | access.Publish, false}},
	{"/v1/picture", need{access.Read | access.Publish, false}}, // pictures of categories as well
}

// needOf returns what a route takes.
func needOf(method, route string) need {
	reading := method == http.MethodGet || method == http.MethodHead
	for _, n := range needs {
		if !strings.HasPrefix(route, n.begins) {
			continue
		}
		switch {
		case n.begins == "/v1/picture" && !reading && !strings.HasPrefix(route, "/v1/picture-link"):
			return need{access.Write, false}
		case n.begins == "/v1/parties/:id/members" && reading:
			return need{access.Live, true}
		}
		return n.need
	}
	if reading {
		return need{access.Read, false}
	}
	return need{access.Write, false}
}

// isStream tells whether a route's answer goes on for as long as somebody reads it.
func isStream(route string) bool {
	return route == "/v1/changes" || route == "/v1/watches/events" || strings.HasSuffix(route, "/stream")
}

// authenticate finds out who asks, an app by its bearer token, the page by its cookie, and holds them to what the
// credential is good for: scopes, origins, calls by minute and day.
func (s *server) authenticate(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		cred, err := s.whoAsks(c)
		if err != nil {
			return err
		}
		a := cred.Actor()
		c.Set("actor", a)
		r, route := c.Request(), c.Path()
		limits, err := s.Gate.Admit(r.Context(), cred, r.Method+" "+route)
		tellLimits(c, limits)
		if err != nil {
			return err
		}
		n := needOf(r.Method, route)
		if err := a.Needs(n.scopes); err != nil {
			return err
		}
		if n.whole && a.IsLimited() && !a.IsMember() {
			return fault.New(fault.Forbidden, "this token is for some collections only, and this belongs to none")
		}
		if isStream(route) {
			ctx, end := context.WithCancel(r.Context())
			defer end()
			defer s.Gate.Open(cred.Token, end)()
			c.SetRequest(r.WithContext(ctx))
		}
		return next(c)
	}
}

// tellLimits says where a token stands (draft-ietf-httpapi-ratelimit-headers-10).
func tellLimits(c *echo.Context, limits []access.Limit) {
	if len(limits) == 0 {
		return
	}
	var policies, states []string
	wait := 0
	for _, l := range limits {
		resets := int(l.Resets.Seconds()) + 1
		policies = append(policies, fmt.Sprintf("%q;q=%d;w=%d", l.Name, l.Most, int(l.Window.Seconds())))
		states = append(states, fmt.Sprintf("%q;r=%d;t=%d", l.Name, l.Left, resets))
		if l.Reached && wait == 0 {
			wait = resets
		}
	}
	h := c.Response().Header()
	h.Set("RateLimit-Policy", strings.Join(policies, ", "))
	h.Set("RateLimit", strings.Join(states, ", "))
	if wait > 0 {
		h.Set("Retry-After", strconv.Itoa(wait))
	}
}
