package server

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/service"
	"viandante/store"
)

const (
	cookieName   = "viandante"
	sessionHours = 12 * time.Hour
)

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
		return &service.Error{Kind: service.Forbidden, Detail: "this server does not answer under the name " + strconv.QuoteToASCII(host[:min(len(host), 100)]) +
			"; VIANDANTE_HOSTS lists the names it may have besides those of loopback"}
	}
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// proxied tells whether a request was passed on by a proxy: then whoever asks is not on this machine, whatever its peer is.
func proxied(r *http.Request) bool {
	for _, name := range []string{"Forwarded", "Via", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-Ip"} {
		if r.Header.Get(name) != "" {
			return true
		}
	}
	return false
}

// preflight answers for all origins what a browser asks before it asks; the request itself is held to the token's origins.
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
		h.Set("Access-Control-Allow-Headers", "Authorization, Content-Type, Content-Encoding, If-Match, If-None-Match, Idempotency-Key, Last-Event-ID")
		h.Set("Access-Control-Max-Age", "600")
		return c.NoContent(http.StatusNoContent)
	}
}

// knownFor is how long a credential that was looked up is taken for good: so long one that was withdrawn by another process
// may still be used.
const knownFor = 3 * time.Second

// goodWithout is how long a credential that was looked up goes on being good while the database is away.
const goodWithout = 15 * time.Minute

// credentials remembers those that were looked up a moment ago, so that an app that asks often costs no exchange with the
// database each time. What is unknown is always looked up.
type credentials struct {
	mu   sync.Mutex
	held map[string]heldCredential
}

type heldCredential struct {
	store.Credential
	until, without time.Time
}

const mostHeld = 10_000

func (k *credentials) credential(ctx context.Context, s *server, secret string) (store.Credential, error) {
	now := s.Now()
	k.mu.Lock()
	held, ok := k.held[secret]
	k.mu.Unlock()
	ok = ok && (held.ExpiresAt == nil || now.Before(*held.ExpiresAt))
	if ok && now.Before(held.until) {
		return held.Credential, nil
	}
	cred, err := s.Store.Credential(ctx, secret)
	if ok && errors.Is(err, store.ErrUnavailable) && now.Before(held.without) {
		return held.Credential, nil
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if err != nil {
		if errors.Is(err, store.ErrNotFound) {
			delete(k.held, secret)
		}
		return cred, err
	}
	if k.held == nil || len(k.held) >= mostHeld {
		k.held = map[string]heldCredential{}
	}
	k.held[secret] = heldCredential{cred, now.Add(knownFor), now.Add(goodWithout)}
	return cred, nil
}

func (k *credentials) forget(secret string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	delete(k.held, secret)
}

// authenticate finds out who asks: an app by its bearer token, the page by its cookie.
func (s *server) authenticate(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		a, err := s.whoAsks(c)
		if err != nil {
			return err
		}
		c.Set("actor", a)
		return next(c)
	}
}

// bearer returns the token of an Authorization header; the scheme's name has no case (RFC 9110, 11.1).
func bearer(r *http.Request) (string, bool) {
	scheme, token, found := strings.Cut(r.Header.Get("Authorization"), " ")
	return strings.TrimSpace(token), found && strings.EqualFold(scheme, "Bearer")
}

func (s *server) whoAsks(c *echo.Context) (service.Actor, error) {
	r := c.Request()
	secret, isToken := bearer(r)
	if !isToken {
		cookie, err := c.Cookie(cookieName)
		if err != nil {
			return service.Actor{}, errUnauthorized
		}
		secret = cookie.Value
	}
	cred, err := s.known.credential(r.Context(), s, secret)
	if errors.Is(err, store.ErrNotFound) || err == nil && isToken != (cred.Kind == store.Token) {
		return service.Actor{}, errUnauthorized
	} else if err != nil {
		return service.Actor{}, err
	}
	if err := checkOrigin(r, cred, isToken); err != nil {
		return service.Actor{}, err
	}
	if origin := r.Header.Get("Origin"); origin != "" && isToken {
		c.Response().Header().Set("Access-Control-Allow-Origin", origin)
		c.Response().Header().Set("Access-Control-Expose-Headers", "ETag, Location, Retry-After, X-Request-Id")
	}
	scopes := strings.Fields(cred.Scopes)
	return service.Actor{Workspace: cred.Workspace, Name: cred.Name, Read: slices.Contains(scopes, "read"), Write: slices.Contains(scopes, "write")}, nil
}

func actor(c *echo.Context) service.Actor {
	a, _ := c.Get("actor").(service.Actor)
	return a
}

// checkOrigin holds a token to its origins, and a cookie to the page's own.
func checkOrigin(r *http.Request, cred store.Credential, isToken bool) error {
	origin := r.Header.Get("Origin")
	switch {
	case isToken && (origin == "" || slices.Contains(strings.Fields(cred.Origins), origin) || ownOrigin(r, origin)):
		return nil
	case isToken:
		return &service.Error{Kind: service.Forbidden, Detail: "this token may not be used from pages of " + origin}
	}
	if origin != "" && !ownOrigin(r, origin) || r.Header.Get("Sec-Fetch-Site") == "cross-site" {
		return &service.Error{Kind: service.Forbidden, Detail: "the page's session may only be used from the page itself"}
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
}

// demoFor tells whether a request is from a person at this machine, who is let into the demo at one click: it comes over
// loopback, under a name of loopback's, and no proxy has passed it on.
func (s *server) demoFor(c *echo.Context) bool {
	r := c.Request()
	peer, _, err := net.SplitHostPort(r.RemoteAddr)
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	return s.Demo != nil && err == nil && isLoopback(peer) && isLoopback(strings.Trim(host, "[]")) && !proxied(r)
}

func (s *server) state(c *echo.Context, name string, in bool) error {
	out := sessionState{SignedIn: in, Demo: s.demoFor(c), Name: name}
	if s.Demo != nil && s.Demo.Standpoint.IsValid() {
		text := s.Demo.Standpoint.String()
		out.Standpoint = &text
	}
	return c.JSON(http.StatusOK, out)
}

func (s *server) session(c *echo.Context) error {
	c.Response().Header().Set("Cache-Control", "no-store")
	if cookie, err := c.Cookie(cookieName); err == nil {
		cred, err := s.known.credential(c.Request().Context(), s, cookie.Value)
		if err == nil && cred.Kind == store.Session {
			return s.state(c, cred.Name, true)
		} else if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
	}
	return s.state(c, "", false)
}

func (s *server) signIn(c *echo.Context) error {
	r := c.Request()
	if origin := r.Header.Get("Origin"); origin != "" && !ownOrigin(r, origin) {
		return &service.Error{Kind: service.Forbidden, Detail: "signing in is for the page itself"}
	}
	var body struct {
		Token string `json:"token"`
	}
	if err := s.decode(c, maxSignIn, &body); err != nil {
		return err
	}
	session := store.Credential{Kind: store.Session, Scopes: "read write"}
	switch {
	case body.Token != "":
		cred, err := s.Store.Credential(r.Context(), body.Token)
		if errors.Is(err, store.ErrNotFound) || err == nil && cred.Kind != store.Token {
			return errUnauthorized
		} else if err != nil {
			return err
		}
		session.Workspace, session.Name, session.Scopes = cred.Workspace, cred.Name, cred.Scopes
	case s.demoFor(c):
		session.Workspace, session.Name = s.Demo.Workspace, "demo"
	default:
		return errUnauthorized
	}
	secret := make([]byte, 32)
	rand.Read(secret)
	value, until := hex.EncodeToString(secret), s.Now().Add(sessionHours).UTC()
	session.ExpiresAt = &until
	if err := s.Store.AddCredential(r.Context(), value, session); err != nil {
		return err
	}
	c.SetCookie(&http.Cookie{Name: cookieName, Value: value, Path: "/", Expires: until, HttpOnly: true, SameSite: http.SameSiteStrictMode, Secure: r.TLS != nil})
	return s.state(c, session.Name, true)
}

func (s *server) signOut(c *echo.Context) error {
	if origin := c.Request().Header.Get("Origin"); origin != "" && !ownOrigin(c.Request(), origin) {
		return &service.Error{Kind: service.Forbidden, Detail: "signing out is for the page itself"}
	}
	if cookie, err := c.Cookie(cookieName); err == nil {
		if err := s.Store.DropCredential(c.Request().Context(), cookie.Value); err != nil {
			return err
		}
		s.known.forget(cookie.Value)
	}
	c.SetCookie(&http.Cookie{Name: cookieName, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode})
	return c.NoContent(http.StatusNoContent)
}
