package access

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

// gate returns a gate with a token in its database, and the clock that it reads.
func gate(t *testing.T) (*Gate, *store.Store, uuid.UUID, *time.Time) {
	t.Helper()
	db := storetest.Open(t)
	workspace := uuid.Must(uuid.NewV7())
	require.NoError(t, db.CreateWorkspace(ctx, workspace, "test"))
	require.NoError(t, db.AddCredential(ctx, "secret", store.Credential{Workspace: workspace, Kind: store.Token,
		Name: "app", Scopes: "read", Origins: "https://app.example https://other.example"}))
	now := time.Now()
	return NewGate(db, func() time.Time { return now }), db, workspace, &now
}

func TestWhoComesWithACredential(t *testing.T) {
	g, _, workspace, _ := gate(t)
	c, err := g.Look(ctx, "secret")
	require.NoError(t, err)
	a := c.Actor()
	assert.Equal(t, Actor{Workspace: workspace, ID: a.ID, Name: "app", Token: c.Token, Scopes: Read, Read: true}, a)
	assert.NotEqual(t, uuid.Nil, a.ID, "the log knows the credential by an id")
	assert.Equal(t, store.Actor{ID: a.ID, Name: "app"}, a.Store())
	assert.NoError(t, a.MayRead())
	assert.True(t, fault.Is(a.MayWrite(), fault.Forbidden))
	assert.True(t, c.OriginAllowed("https://other.example"))
	assert.False(t, c.OriginAllowed("https://app.example.evil"))
	assert.False(t, c.IsSession())
	for _, secret := range []string{"", "Secret", "secret "} {
		_, err = g.Look(ctx, secret)
		assert.True(t, fault.Is(err, fault.Unauthorized), "%q", secret)
	}
	assert.True(t, a.Sees("anything"))
	a.Collections = []string{"posts"}
	assert.True(t, a.Sees("posts") && !a.Sees("wells"))
}

// A credential that another process withdraws is good for a moment more, one that runs out is not.
func TestACredentialIsTakenForGoodForAMoment(t *testing.T) {
	g, db, workspace, now := gate(t)
	until := now.Add(time.Second)
	require.NoError(t, db.AddCredential(ctx, "short", store.Credential{Workspace: workspace, Kind: store.Token,
		ExpiresAt: &until}))
	for _, secret := range []string{"secret", "short"} {
		_, err := g.Look(ctx, secret)
		require.NoError(t, err)
	}
	require.NoError(t, db.DropCredential(ctx, "secret"))
	_, err := g.Look(ctx, "secret")
	require.NoError(t, err)
	*now = now.Add(2 * time.Second)
	_, err = g.Look(ctx, "secret")
	require.NoError(t, err)
	*now = now.Add(KnownFor)
	_, err = g.Look(ctx, "secret")
	assert.True(t, fault.Is(err, fault.Unauthorized))
}

// While the database is away, whoever was known goes on being known for a quarter of an hour; nobody else is let in.
func TestTheDatabaseIsAway(t *testing.T) {
	g, _, _, now := gate(t)
	_, err := g.Look(ctx, "secret")
	require.NoError(t, err)
	defer storetest.Freeze(t)()
	*now = now.Add(10 * time.Minute)
	_, err = g.Look(ctx, "secret")
	require.NoError(t, err)
	_, err = g.Look(ctx, "another")
	require.ErrorIs(t, err, store.ErrUnavailable)
	*now = now.Add(GoodWithout)
	_, err = g.Look(ctx, "secret")
	require.ErrorIs(t, err, store.ErrUnavailable)
}

func TestSessions(t *testing.T) {
	g, _, workspace, now := gate(t)
	secret, until, name, err := g.SignIn(ctx, "secret")
	require.NoError(t, err)
	assert.Equal(t, "app", name)
	assert.Len(t, secret, 64)
	assert.Equal(t, now.Add(SessionTime).UTC(), until)
	c, err := g.Look(ctx, secret)
	require.NoError(t, err)
	assert.True(t, c.IsSession())
	assert.False(t, c.Actor().Write, "with the token's rights and no more")
	for _, bad := range []string{"", "unknown", secret} { // a session is no token to sign in with
		_, _, _, err = g.SignIn(ctx, bad)
		assert.True(t, fault.Is(err, fault.Unauthorized), "%q", bad)
	}
	require.NoError(t, g.SignOut(ctx, secret))
	_, err = g.Look(ctx, secret)
	assert.True(t, fault.Is(err, fault.Unauthorized), "at once")
	secret, _, name, err = g.SignInDemo(ctx, Demo{Workspace: workspace, Standpoint: geo.MustPoint(1, 2)})
	require.NoError(t, err)
	assert.Equal(t, "demo", name)
	c, err = g.Look(ctx, secret)
	require.NoError(t, err)
	assert.True(t, c.Actor().Read && c.Actor().Write)
	*now = now.Add(SessionTime + time.Hour)
	_, err = g.Look(ctx, secret)
	assert.True(t, fault.Is(err, fault.Unauthorized))
}

func TestAnInvitationLetsInOnce(t *testing.T) {
	g, _, workspace, now := gate(t)
	app, err := g.Look(ctx, "secret")
	require.NoError(t, err)
	code, until, err := g.Invite(app.Actor())
	require.NoError(t, err)
	assert.Equal(t, now.Add(InviteTime), until)
	secret, _, name, err := g.SignInInvited(ctx, code)
	require.NoError(t, err)
	assert.Equal(t, "app", name)
	c, err := g.Look(ctx, secret)
	require.NoError(t, err)
	assert.True(t, c.IsSession() && c.Workspace == workspace && !c.Actor().Write, "with the rights of who invited")
	_, _, _, err = g.SignInInvited(ctx, code)
	assert.True(t, fault.Is(err, fault.Unauthorized), "once")
	code, _, err = g.Invite(app.Actor())
	require.NoError(t, err)
	*now = now.Add(InviteTime + time.Second)
	_, _, _, err = g.SignInInvited(ctx, code)
	assert.True(t, fault.Is(err, fault.Unauthorized), "not for ever")
	_, _, err = g.Invite(Actor{Workspace: workspace})
	assert.Error(t, err, "who may nothing invites nobody")
	for range mostInvites + 20 {
		_, _, err = g.Invite(app.Actor())
		require.NoError(t, err)
	}
	assert.Len(t, g.invited, mostInvites)
}

// Who is invited comes with the token's limits, ends with it, and is let in only while it is good.
func TestAnInvitationHasTheLimitsOfItsToken(t *testing.T) {
	g, db, workspace, now := gate(t)
	until := now.Add(time.Hour).UTC().Truncate(time.Microsecond)
	require.NoError(t, db.AddCredential(ctx, "few", store.Credential{Workspace: workspace, Kind: store.Token,
		Name: "few", Scopes: "read", ExpiresAt: &until, PerMinute: 2}))
	app, err := g.Look(ctx, "few")
	require.NoError(t, err)
	code, _, err := g.Invite(app.Actor())
	require.NoError(t, err)
	secret, ends, _, err := g.SignInInvited(ctx, code)
	require.NoError(t, err)
	assert.Equal(t, until, ends)
	session, err := g.Look(ctx, secret)
	require.NoError(t, err)
	for _, c := range []Credential{app, session} {
		_, err = g.Admit(ctx, c, "GET /v1/features")
		require.NoError(t, err)
	}
	_, err = g.Admit(ctx, session, "GET /v1/features")
	assert.True(t, fault.Is(err, fault.TooMany), "%v", err)

	code, _, err = g.Invite(app.Actor())
	require.NoError(t, err)
	row, err := db.TokenOf(ctx, app.Token)
	require.NoError(t, err)
	_, err = db.Change(ctx, workspace, store.Actor{}, func(c *store.Change) error { return c.RevokeToken(row) })
	require.NoError(t, err)
	_, _, _, err = g.SignInInvited(ctx, code)
	assert.True(t, fault.Is(err, fault.Unauthorized), "%v", err)
}

// A guest of a party gets no code that would let in somebody with more rights than he has.
func TestAGuestInvitesNobody(t *testing.T) {
	g := NewGate(nil, time.Now)
	guest := Actor{Workspace: uuid.Must(uuid.NewV7()), Scopes: Read, Read: true, Collections: []string{},
		Member: uuid.Must(uuid.NewV7()), Party: uuid.Must(uuid.NewV7())}
	_, _, err := g.Invite(guest)
	assert.True(t, fault.Is(err, fault.Forbidden), "%v", err)
	reader := guest
	reader.Member, reader.Party = uuid.Nil, uuid.Nil
	_, _, err = g.Invite(reader)
	assert.NoError(t, err)
	for scope, member := range map[string]bool{
		store.MemberScope(guest.Member, guest.Party): true,
		"member:" + guest.Member.String():            false,
		"member:nobody:nowhere":                      false,
		"read member:" + guest.Member.String():       false,
	} {
		a := Credential{store.Credential{Workspace: guest.Workspace, Kind: store.Session, Scopes: scope}}.Actor()
		assert.Equal(t, member, a.IsMember(), scope)
		assert.False(t, a.Write, scope)
	}
}
