package server

import (
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/access"
	"viandante/service/fault"
)

const cookieName = "viandante"

// checkHost refuses requests under a name that is not ours, so that a page of somebody else's cannot have its own name
// point to loopback and read from here.
func (s *server) checkHost(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.Trim(host, "[]")
		if isLoopback(host) || slices.ContainsFunc(s.Hosts, func(h string) bool { return strings.EqualFold(h, host) }) {
			return next(c)
		}
		return &fault.Error{
			Kind: fault.Forbidden,
			Detail: "this server does not answer under the name " + strconv.QuoteToASCII(host[:min(len(host), 100)]) +
				"; VIANDANTE_HOSTS lists the names it may have besides those of loopback",
		}
	}
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// proxied tells whether a request was passed on by a proxy: then whoever asks is not on this machine, whatever its peer
// is.
func proxied(r *http.Request) bool {
	for _, name := range []string{"Forwarded", "Via", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto",
		"X-Real-Ip"} {
		if r.Header.Get(name) != "" {
			return true
		}
	}
	return false
}

// preflight answers for all origins what a browser asks before it asks; the request itself is held to the token's
// origins.
func preflight(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		origin := c.Request().Header.Get("Origin")
		h := c.Response().Header()
		h.Add("Vary", "Origin")
		if c.Request().Method != http.MethodOptions || origin == "" {
			return next(c)
		}
		h.Set("Access-Control-Allow-Origin", origin)
		h.Set("Access-Control-Allow-Methods", "GET, POST, PUT, PATCH, DELETE")
		h.Set(
			"Access-Control-Allow-Headers",
			"Authorization, Content-Type, Content-Encoding, If-Match, If-None-Match, Idempotency-Key, Last-Event-ID, "+
				"Viandante-Change",
		)
		h.Set("Access-Control-Max-Age", "600")
		return c.NoContent(http.StatusNoContent)
	}
}

// bearer returns the token of an Authorization header; the scheme's name has no case (RFC 9110, 11.1).
func bearer(r *http.Request) (string, bool) {
	scheme, token, found := strings.Cut(r.Header.Get("Authorization"), " ")
	return strings.TrimSpace(token), found && strings.EqualFold(scheme, "Bearer")
}

// whoAsks returns the credential that a request comes with.
func (s *server) whoAsks(c *echo.Context) (access.Credential, error) {
	r := c.Request()
	if cred, ok, err := s.bySignature(c); ok {
		return cred, err
	}
	secret, isToken := bearer(r)
	if !isToken {
		cookie, err := c.Cookie(cookieName)
		if err != nil {
			return access.Credential{}, access.Unknown()
		}
		secret = cookie.Value
	}
	cred, err := s.Gate.Look(r.Context(), secret)
	if err != nil {
		return access.Credential{}, err
	}
	if isToken == cred.IsSession() {
		return access.Credential{}, access.Unknown()
	}
	if err := checkOrigin(r, cred, isToken); err != nil {
		return access.Credential{}, err
	}
	if origin := r.Header.Get("Origin"); origin != "" && isToken {
		c.Response().Header().Set("Access-Control-Allow-Origin", origin)
		c.Response().
			Header().
			Set("Access-Control-Expose-Headers", "ETag, Location, RateLimit, RateLimit-Policy, Retry-After, "+
				"Viandante-Change, X-Request-Id")
	}
	return cred, nil
}

func actor(c *echo.Context) service.Actor {
	a, _ := c.Get("actor").(service.Actor)
	return a
}

// checkOrigin holds a token to its origins, and a cookie to the page's own.
func checkOrigin(r *http.Request, cred access.Credential, isToken bool) error {
	origin := r.Header.Get("Origin")
	switch {
	case isToken && (origin == "" || cred.OriginAllowed(origin) || ownOrigin(r, origin)):
		return nil
	case isToken:
		return &fault.Error{Kind: fault.Forbidden, Detail: "this token may not be used from pages of " + origin}
	}
	if origin != "" && !ownOrigin(r, origin) || r.Header.Get("Sec-Fetch-Site") == "cross-site" {
		return fault.New(fault.Forbidden, "the page's session may only be used from the page itself")
	}
	return nil
}

func ownOrigin(r *http.Request, origin string) bool {
	u, err := url.Parse(origin)
	return err == nil && u.Host == r.Host
}

// sessionState is what the page is told of its session.
type sessionState struct {
	SignedIn   bool    `json:"signed_in"`
	Demo       bool    `json:"demo"`
	Name       string  `json:"name,omitempty"`
	Standpoint *string `json:"standpoint"`
	// Member and Party are those of a guest.
	Member *uuid.UUID `json:"member,omitempty"`
	Party  *uuid.UUID `json:"party,omitempty"`
}

// demoFor tells whether a request is from a person at this machine, who is let into the demo at one click: it comes
// over loopback, under a name of loopback's, and no proxy has passed it on.
func (s *server) demoFor(c *echo.Context) bool {
	r := c.Request()
	peer, _, err := net.SplitHostPort(r.RemoteAddr)
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	return s.Demo != nil && err == nil && isLoopback(peer) && isLoopback(strings.Trim(host, "[]")) && !proxied(r)
}

func (s *server) state(c *echo.Context, name string, in bool, as service.Actor) error {
	out := sessionState{SignedIn: in, Demo: s.demoFor(c), Name: name}
	if as.IsMember() {
		out.Member, out.Party = &as.Member, &as.Party
	}
	if s.Demo != nil && s.Demo.Standpoint.IsValid() {
		text := s.Demo.Standpoint.String()
		out.Standpoint = &text
	}
	return c.JSON(http.StatusOK, out)
}

func (s *server) session(c *echo.Context) error {
	c.Response().Header().Set("Cache-Control", "no-store")
	if cookie, err := c.Cookie(cookieName); err == nil {
		cred, err := s.Gate.Look(c.Request().Context(), cookie.Value)
		if err == nil && cred.IsSession() {
			return s.state(c, cred.Name, true, cred.Actor())
		} else if err != nil && !fault.Is(err, fault.Unauthorized) {
			return err
		}
	}
	return s.state(c, "", false, service.Actor{})
}

func (s *server) signIn(c *echo.Context) error {
	r := c.Request()
	if origin := r.Header.Get("Origin"); origin != "" && !ownOrigin(r, origin) {
		return fault.New(fault.Forbidden, "signing in is for the page itself")
	}
	var body struct {
		Token string `json:"token"`
		// Code is an invitation's.
		Code string `json:"code"`
	}
	if err := s.decode(c, maxSignIn, &body); err != nil {
		return err
	}
	var value, name string
	var until time.Time
	var err error
	switch {
	case body.Token != "":
		value, until, name, err = s.Gate.SignIn(r.Context(), body.Token)
	case body.Code != "":
		value, until, name, err = s.Gate.SignInInvited(r.Context(), body.Code)
	case s.demoFor(c):
		value, until, name, err = s.Gate.SignInDemo(r.Context(), s.Demo.Demo)
	default:
		err = access.Unknown()
	}
	if err != nil {
		return err
	}
	setCookie(c, value, until)
	return s.state(c, name, true, service.Actor{})
}

func setCookie(c *echo.Context, value string, until time.Time) {
	c.SetCookie(&http.Cookie{Name: cookieName, Value: value, Path: "/", Expires: until, HttpOnly: true,
		SameSite: http.SameSiteStrictMode, Secure: c.Request().TLS != nil})
}

// join answers POST /session/party: with a code alone what party an invitation is to; with a name, too, whoever comes
// with it joins and is signed in as its member.
func (s *server) join(c *echo.Context) error {
	if origin := c.Request().Header.Get("Origin"); origin != "" && !ownOrigin(c.Request(), origin) {
		return fault.New(fault.Forbidden, "joining is for the page itself")
	}
	var body struct {
		Code string `json:"code"`
		Name string `json:"name"`
	}
	if err := s.decode(c, maxSignIn, &body); err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	ctx := c.Request().Context()
	if body.Name == "" {
		p, err := s.Service.PartyInvited(ctx, s.Gate, body.Code)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"party": p.Name, "keep_track_s": p.KeepTrackS,
			"gone_after_s": p.GoneAfterS})
	}
	secret, until, m, err := s.Service.Join(ctx, s.Gate, body.Code, body.Name)
	if err != nil {
		return err
	}
	setCookie(c, secret, until)
	return s.state(c, m.Name, true, service.Actor{Member: m.ID, Party: m.Party})
}

func (s *server) signOut(c *echo.Context) error {
	if origin := c.Request().Header.Get("Origin"); origin != "" && !ownOrigin(c.Request(), origin) {
		return fault.New(fault.Forbidden, "signing out is for the page itself")
	}
	if cookie, err := c.Cookie(cookieName); err == nil {
		if err := s.Gate.SignOut(c.Request().Context(), cookie.Value); err != nil {
			return err
		}
	}
	c.SetCookie(
		&http.Cookie{Name: cookieName, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode},
	)
	return c.NoContent(http.StatusNoContent)
}

// changeHeader carries the number of a change: with an answer, that of a change that is in it; with a request, that of
// one that must be in its answer.
const changeHeader = "Viandante-Change"

// numbered holds a request to the number that it comes with, and gives the answer to a change its number.
func (s *server) numbered(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if text := r.Header.Get(changeHeader); text != "" {
			no, err := strconv.ParseUint(text, 10, 64)
			if err != nil {
				return fault.Refuse(changeHeader, strconv.QuoteToASCII(text),
					&geo.ParseError{Reason: "is not a change's number", Hint: "as it came with the answer to a change"})
			}
			if err := s.Service.AtLeast(r.Context(), actor(c), no); err != nil {
				return err
			}
		}
		if r.Method == http.MethodGet || r.Method == http.MethodHead {
			return next(c)
		}
		if w, err := echo.UnwrapResponse(c.Response()); err == nil {
			w.Before(func() {
				if w.Status < 300 {
					w.Header().Set(changeHeader, strconv.FormatUint(s.Service.Seen(actor(c)), 10))
				}
			})
		}
		return next(c)
	}
}
