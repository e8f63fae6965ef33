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

// memberTime is how long somebody stays signed in as a member of a party, unless he leaves.
const memberTime = 30 * 24 * time.Hour

// partyScope is the scope of an invitation to a party.
const partyScope = "party:"

// asMember returns who comes with a member's credential: he reads the ground and his party, sees no feature, and speaks
// for himself only.
func asMember(c Credential, scope string) (Actor, bool) {
	member, party, found := strings.Cut(strings.TrimPrefix(scope, store.MemberPrefix), ":")
	m, err := uuid.Parse(member)
	p, wrong := uuid.Parse(party)
	if !found || err != nil || wrong != nil {
		return Actor{}, false
	}
	return Actor{Workspace: c.Workspace, ID: c.ID, Name: c.Name, Read: true, Scopes: Read | Geocode | Route | Live,
		Collections: []string{}, Member: m, Party: p}, true
}

// IsMember tells that the actor is a guest: a member of a party, and nothing else.
func (a Actor) IsMember() bool { return a.Member != uuid.Nil }

// SeesParty tells whether a party is in the actor's view.
func (a Actor) SeesParty(id uuid.UUID) bool { return !a.IsMember() || a.Party == id }

// MayBe returns why the actor may not speak for a member, or nil.
func (a Actor) MayBe(member uuid.UUID) error {
	if !a.IsMember() {
		if a.Scopes&Live != 0 {
			return nil
		}
		return a.MayWrite()
	}
	if a.Member != member {
		return fault.New(fault.Forbidden, "whoever was invited may speak for himself only, as the member %s", a.Member)
	}
	return nil
}

// InviteToParty returns a code with which one person joins a party until a time, after this process has ended, too.
func (g *Gate) InviteToParty(
	ctx context.Context, a Actor, party uuid.UUID, forTime time.Duration,
) (code string, until time.Time, err error) {
	code, until = rand.Text(), g.now().Add(forTime).UTC()
	return code, until, g.store.AddCredential(ctx, code, store.Credential{Workspace: a.Workspace,
		Kind: store.Invitation, Name: a.Name, Scopes: partyScope + party.String(), ExpiresAt: &until})
}

// Invited returns to which workspace and party an invitation is, while it is open.
func (g *Gate) Invited(ctx context.Context, code string) (Actor, error) {
	row, err := g.store.Invitation(ctx, code)
	return invited(row, err, g.now())
}

func invited(row store.Credential, err error, now time.Time) (Actor, error) {
	party, wrong := uuid.Parse(strings.TrimPrefix(row.Scopes, partyScope))
	switch {
	case errors.Is(err, store.ErrNotFound), err == nil && wrong != nil:
		return Actor{}, fault.New(fault.Unauthorized,
			"this is no invitation of ours: open the whole link as it was sent, or ask for another")
	case err != nil:
		return Actor{}, err
	case row.Kind != store.Invitation:
		return Actor{}, fault.New(fault.Unauthorized,
			"this invitation has been used: each is for one person; ask for another")
	case row.ExpiresAt != nil && !now.Before(*row.ExpiresAt):
		return Actor{}, fault.New(fault.Unauthorized, "this invitation ended on %s: ask for another",
			row.ExpiresAt.UTC().Format("2 January 2006 at 15:04 UTC"))
	}
	return Actor{Workspace: row.Workspace, Read: true, Collections: []string{}, Party: party}, nil
}

// Join uses an invitation up and begins a session of a new member of its party.
func (g *Gate) Join(ctx context.Context, code, name string) (secret string, until time.Time, a Actor, err error) {
	row, err := g.store.UseInvitation(ctx, code, g.now())
	if a, err = invited(row, err, g.now()); err != nil {
		return "", until, a, err
	}
	if a.Member, err = uuid.NewV7(); err != nil {
		return "", until, a, err
	}
	a.Name = name
	secret, until, _, err = g.beginFor(ctx, store.Credential{Workspace: a.Workspace, Name: name,
		Scopes: store.MemberScope(a.Member, a.Party)}, memberTime)
	return secret, until, a, err
}
