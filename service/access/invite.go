package access

import (
	"context"
	"crypto/rand"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"viandante/service/fault"
	"viandante/store"
)

const (
	// InviteTime is how long an invitation is good.
	InviteTime = 10 * time.Minute
	// mostInvites bounds those that are open; the oldest give way.
	mostInvites = 100
)

// invitation lets in once whoever has its code.
type invitation struct {
	session store.Credential
	until   time.Time
}

// Invite returns a code with which somebody signs in once, on a device of his own, with the rights that the actor has
// now. It is good for ten minutes, in this process.
func (g *Gate) Invite(a Actor) (code string, until time.Time, err error) {
	if a.IsMember() { // his rights are no scopes: they end with his party
		return "", until, fault.New(fault.Forbidden, "whoever was invited to a party invites nobody")
	}
	if a.Workspace == uuid.Nil || a.Scopes == 0 {
		return "", until, errUnknown
	}
	code, until = rand.Text(), g.now().Add(InviteTime)
	g.mu.Lock()
	defer g.mu.Unlock()
	for c, i := range g.invited {
		if g.now().After(i.until) {
			delete(g.invited, c)
		}
	}
	for len(g.invited) >= mostInvites {
		oldest := ""
		for c, i := range g.invited {
			if oldest == "" || i.until.Before(g.invited[oldest].until) {
				oldest = c
			}
		}
		delete(g.invited, oldest)
	}
	g.invited[code] = invitation{store.Credential{Workspace: a.Workspace, Name: a.Name, Token: a.Token,
		Scopes: strings.Join(a.Scopes.Names(), " "), Collections: a.Collections}, until}
	return code, until, nil
}

// SignInInvited begins a session for whoever has the code of an invitation, which is used up by that.
func (g *Gate) SignInInvited(
	ctx context.Context, code string,
) (secret string, until time.Time, name string, err error) {
	g.mu.Lock()
	i, ok := g.invited[code]
	delete(g.invited, code)
	g.mu.Unlock()
	if !ok || g.now().After(i.until) {
		return "", until, "", fault.New(fault.Unauthorized,
			"this link has been used, or is older than ten minutes: take a new one where you are signed in")
	}
	if i.session.Token == uuid.Nil {
		return g.begin(ctx, i.session)
	}
	row, err := g.store.TokenOf(ctx, i.session.Token) // the session has its limits, and ends with it
	if errors.Is(err, store.ErrNotFound) {
		err = errUnknown
	}
	if err != nil {
		return "", until, "", err
	}
	return g.begin(ctx, session(row))
}
