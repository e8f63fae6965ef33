// Package access knows who asks: it turns the secret of a token or a session into an Actor, signs people in and out,
// and remembers what it has looked up.
package access

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/store"
)

// Actor is who asks: the workspace he is in, the credential he came with, the name that the change log keeps, and what
// he may do.
type Actor struct {
	Workspace uuid.UUID
	// ID is the credential's, the nil UUID for the program itself.
	ID   uuid.UUID
	Name string
	// Token is what the credential's secret belongs to, the nil UUID for none; Scopes are what it is for.
	Token       uuid.UUID
	Scopes      Scope
	Read, Write bool
	// Collections are the only ones whose features he sees; nil for all.
	Collections []string
	// Member and Party are those of a guest: somebody who was invited to a party, and sees nothing else.
	Member, Party uuid.UUID
}

// Store returns the actor as the change log knows him.
func (a Actor) Store() store.Actor { return store.Actor{ID: a.ID, Name: a.Name} }

// MayRead returns why the actor may not read, or nil.
func (a Actor) MayRead() error {
	if !a.Read {
		return fault.New(fault.Forbidden, "this token may not read; it needs the scope read")
	}
	return nil
}

// MayWrite returns why the actor may not write, or nil.
func (a Actor) MayWrite() error {
	if !a.Write {
		return fault.New(fault.Forbidden, "this token may not write; it needs the scope write")
	}
	return nil
}

// Sees tells whether features of a collection are in the actor's view.
func (a Actor) Sees(collection string) bool {
	return a.Collections == nil || slices.Contains(a.Collections, collection)
}

// Demo is what a demo installation lets in without a token.
type Demo struct {
	Workspace  uuid.UUID
	Standpoint geo.Point
}

const (
	// SessionTime is how long somebody stays signed in.
	SessionTime = 12 * time.Hour
	// KnownFor is how long a credential that was looked up is taken for good: so long one that was withdrawn by another
	// process may still be used.
	KnownFor = 3 * time.Second
	// GoodWithout is how long a credential that was looked up goes on being good while the database is away.
	GoodWithout = 15 * time.Minute
	mostHeld    = 10_000
)

// Credential is what a secret gives access to.
type Credential struct {
	store.Credential
}

// IsSession tells whether it is a page's session, not an app's token.
func (c Credential) IsSession() bool { return c.Kind == store.Session }

// OriginAllowed tells whether the token may be used from pages of an origin.
func (c Credential) OriginAllowed(origin string) bool {
	return slices.Contains(strings.Fields(c.Origins), origin)
}

// Actor returns who comes with the credential.
func (c Credential) Actor() Actor {
	if strings.HasPrefix(c.Scopes, store.MemberPrefix) {
		a, _ := asMember(c, c.Scopes) // what is no member may do nothing
		return a
	}
	return asToken(c)
}

// Gate lets in whoever has a credential. It remembers those that it looked up a moment ago, so that an app that asks
// often costs no exchange with the database each time; what is unknown is always looked up. It is safe for use by many
// goroutines.
type Gate struct {
	store *store.Store
	now   func() time.Time
	mu    sync.Mutex
	held  map[string]held
	// invited are the invitations that nobody has used yet, by their codes.
	invited  map[string]invitation
	counters *counters
	// streams are to be ended when a token is changed.
	streams map[uuid.UUID]map[*func()]struct{}
}

type held struct {
	Credential
	until, without time.Time
}

// NewGate returns a gate; now is the clock.
func NewGate(s *store.Store, now func() time.Time) *Gate {
	return &Gate{store: s, now: now, held: map[string]held{}, invited: map[string]invitation{}, counters: newCounters(),
		streams: map[uuid.UUID]map[*func()]struct{}{}}
}

var errUnknown = fault.New(fault.Unauthorized, "a valid token is needed: send `Authorization: Bearer TOKEN`; "+
	"the demo's token lies in the file demo.token of its data directory")

// Unknown is the error for no credential or a bad one.
func Unknown() error { return errUnknown }

// Look returns what a secret gives access to, Unknown where it gives none.
func (g *Gate) Look(ctx context.Context, secret string) (Credential, error) {
	now := g.now()
	g.mu.Lock()
	known, ok := g.held[secret]
	g.mu.Unlock()
	ok = ok && (known.ExpiresAt == nil || now.Before(*known.ExpiresAt))
	if ok && now.Before(known.until) {
		return known.Credential, nil
	}
	row, err := g.store.Credential(ctx, secret)
	if ok && errors.Is(err, store.ErrUnavailable) && now.Before(known.without) {
		return known.Credential, nil
	}
	if err == nil && row.ExpiresAt != nil && !now.Before(*row.ExpiresAt) { // by this clock, too
		err = store.ErrNotFound
	}
	if errors.Is(err, store.ErrNotFound) {
		g.mu.Lock()
		defer g.mu.Unlock()
		delete(g.held, secret)
		return Credential{}, errUnknown
	} else if err != nil {
		return Credential{}, err
	}
	g.hold(secret, row)
	return Credential{row}, nil
}

// hold remembers what was looked up.
func (g *Gate) hold(key string, row store.Credential) {
	now := g.now()
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.held) >= mostHeld {
		clear(g.held)
	}
	g.held[key] = held{Credential{row}, now.Add(KnownFor), now.Add(GoodWithout)}
}

// Forget looks up anew what belongs to a token, and ends the streams that are open with it: call it when the token has
// changed. The nil UUID stands for all that is remembered.
func (g *Gate) Forget(token uuid.UUID) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for key, h := range g.held {
		if h.Token == token || token == uuid.Nil {
			delete(g.held, key)
		}
	}
	for end := range g.streams[token] {
		(*end)()
	}
	delete(g.streams, token)
}

// Open has a function called when a token is changed or revoked: what was begun with it ends. Call what is returned
// when it has ended by itself.
func (g *Gate) Open(token uuid.UUID, end func()) (closed func()) {
	if token == uuid.Nil {
		return func() {}
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.streams[token] == nil {
		g.streams[token] = map[*func()]struct{}{}
	}
	g.streams[token][&end] = struct{}{}
	return func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		delete(g.streams[token], &end)
		if len(g.streams[token]) == 0 {
			delete(g.streams, token)
		}
	}
}

// SignIn begins a session with a token's rights and returns its secret and when it ends.
func (g *Gate) SignIn(ctx context.Context, token string) (secret string, until time.Time, name string, err error) {
	row, err := g.store.Credential(ctx, token)
	if errors.Is(err, store.ErrNotFound) || err == nil && row.Kind != store.Token {
		return "", until, "", errUnknown
	} else if err != nil {
		return "", until, "", err
	}
	return g.begin(ctx, session(row))
}

// SignInDemo begins a session of the demo.
func (g *Gate) SignInDemo(ctx context.Context, d Demo) (secret string, until time.Time, name string, err error) {
	return g.begin(ctx, store.Credential{Workspace: d.Workspace, Name: "demo", Scopes: AllScopes})
}

func (g *Gate) begin(ctx context.Context, session store.Credential) (string, time.Time, string, error) {
	return g.beginFor(ctx, session, SessionTime)
}

func (g *Gate) beginFor(
	ctx context.Context, session store.Credential, forTime time.Duration,
) (string, time.Time, string, error) {
	random := make([]byte, 32)
	rand.Read(random)
	secret, until := hex.EncodeToString(random), g.now().Add(forTime).UTC()
	if session.ExpiresAt != nil && session.ExpiresAt.Before(until) {
		until = *session.ExpiresAt // it ends with its token
	}
	session.Kind, session.ExpiresAt = store.Session, &until
	return secret, until, session.Name, g.store.AddCredential(ctx, secret, session)
}

// SignOut ends a session.
func (g *Gate) SignOut(ctx context.Context, secret string) error {
	if err := g.store.DropCredential(ctx, secret); err != nil {
		return err
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.held, secret)
	return nil
}
