package access

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/fault"
	"viandante/store"
)

// TokenDraft is a token that is to be made.
type TokenDraft struct {
	Name        string
	Scopes      []string
	Collections []string // nil for all
	Origins     []string
	ExpiresAt   *time.Time
	// PerMinute and PerDay are how many calls are answered, 0 for any number.
	PerMinute, PerDay int
}

// TokenInfo is what is told of a token; its secret is told once, to whoever made it.
type TokenInfo struct {
	ID          uuid.UUID
	Name        string
	Scopes      []string
	Collections []string
	Origins     []string
	CreatedAt   time.Time
	ExpiresAt   *time.Time
	RevokedAt   *time.Time
	PerMinute   int
	PerDay      int
	Hint        string
	MadeBy      string
	// OldUntil is until when the secret from before it was changed is good, too; nil for not at all.
	OldUntil *time.Time
}

const (
	mostTokens    = 1000
	mostOrigins   = 50
	mostAMinute   = 1_000_000
	mostADay      = 1_000_000_000
	mostOverlap   = 90 * 24 * time.Hour
	secretPrefix  = "vt_"
	hintLength    = 4
	mostLifetime  = 10 * 365 * 24 * time.Hour
	mostOfCollect = 200
)

func newSecret() string { return secretPrefix + strings.ToLower(rand.Text()) }

// check holds a draft to what can be, and to what its maker may hand on.
func (d *TokenDraft) check(a Actor, now time.Time) (Scope, error) {
	d.Name = strings.TrimSpace(d.Name)
	scopes, ok := ParseScopes(d.Scopes)
	past := d.ExpiresAt != nil && (!d.ExpiresAt.After(now) || d.ExpiresAt.After(now.Add(mostLifetime)))
	switch n := utf8.RuneCountInString(d.Name); {
	case n < 1 || n > 100 || !utf8.ValidString(d.Name):
		return 0, fault.Refuse("name", feature.Clip(d.Name), errors.New("must have 1 to 100 characters"))
	case !ok || scopes == 0:
		return 0, fault.Refuse("scopes", feature.Clip(strings.Join(d.Scopes, " ")), &geo.ParseError{
			Reason: "must be at least one scope", Hint: "of " + strings.Join(scopeNames, ", ")})
	case past:
		return 0, fault.Refuse("expires_at", d.ExpiresAt.Format(time.RFC3339),
			&geo.ParseError{Reason: "must lie ahead, " +
				"within ten years", Hint: "leave it out for no end"})
	case len(d.Origins) > mostOrigins || len(d.Collections) > mostOfCollect:
		return 0, fault.Refuse("origins", fmt.Sprint(len(d.Origins)), fmt.Errorf("must be at most %d, collections at "+
			"most %d",
			mostOrigins, mostOfCollect))
	case d.PerMinute < 0 || d.PerMinute > mostAMinute || d.PerDay < 0 || d.PerDay > mostADay:
		return 0, fault.Refuse("per_minute", fmt.Sprint(d.PerMinute), fmt.Errorf("must be 0, for any number, to %d, "+
			"per_day to %d", mostAMinute, mostADay))
	case scopes&^a.Scopes != 0:
		return 0, fault.New(fault.Forbidden, "who has the scopes %s cannot hand on %s", orNone(a.Scopes),
			strings.Join((scopes&^a.Scopes).Names(), ", "))
	case d.Collections == nil && a.Collections != nil:
		return 0, fault.New(fault.Forbidden, "who is for some collections only cannot hand on all of them")
	case scopes == Publish && d.Collections == nil:
		return 0, fault.Refuse("collections", "", &geo.ParseError{Reason: "are missing",
			Hint: "a publishing token stands in pages for everybody to read: name the collections that may be seen " +
				"with it"})
	}
	for _, c := range d.Collections {
		if !a.Sees(c) {
			return 0, fault.Missing("collection " + feature.Clip(c))
		}
	}
	for i, origin := range d.Origins {
		clean, err := cleanOrigin(origin)
		if err != nil {
			return 0, fault.Refuse("origins", feature.Clip(origin), err)
		}
		d.Origins[i] = clean
	}
	return scopes, nil
}

// cleanOrigin returns an origin as browsers send it (RFC 6454).
func cleanOrigin(text string) (string, error) {
	u, err := url.Parse(strings.TrimSuffix(strings.TrimSpace(text), "/"))
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.Path != "" || u.RawQuery != "" ||
		u.Fragment != "" || u.User != nil || strings.ContainsAny(u.Host, "*'\"; ,") {
		return "", &geo.ParseError{Reason: "is not the origin of pages",
			Hint: "e.g. https://app.example, without a path"}
	}
	return strings.ToLower(u.Scheme + "://" + u.Host), nil
}

// MakeToken makes a token and returns its secret, which is kept nowhere.
func (g *Gate) MakeToken(ctx context.Context, a Actor, d TokenDraft) (TokenInfo, string, error) {
	if err := a.Needs(Admin); err != nil {
		return TokenInfo{}, "", err
	}
	scopes, err := d.check(a, g.now())
	if err != nil {
		return TokenInfo{}, "", err
	}
	all, err := g.store.Tokens(ctx, a.Workspace)
	if err != nil {
		return TokenInfo{}, "", err
	}
	alive := slices.DeleteFunc(all, func(c store.Credential) bool { return c.RevokedAt != nil })
	if len(alive) >= mostTokens {
		return TokenInfo{}, "", fault.New(fault.Conflict, "there are %d tokens already: revoke one first", len(alive))
	}
	row := store.Credential{Workspace: a.Workspace, Kind: store.Token, Name: d.Name,
		Scopes: strings.Join(scopes.Names(), " "), Origins: strings.Join(d.Origins, " "), ExpiresAt: utc(d.ExpiresAt),
		Collections: d.Collections, PerMinute: d.PerMinute, PerDay: d.PerDay, MadeBy: a.Name, Signing: make([]byte, 32)}
	rand.Read(row.Signing)
	if row.Token, err = uuid.NewV7(); err != nil {
		return TokenInfo{}, "", err
	}
	secret, err := g.add(ctx, a, &row, nil)
	return info(row), secret, err
}

func utc(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	out := t.UTC().Truncate(time.Microsecond)
	return &out
}

// add keeps a token under a new secret; with a time, its secrets from before end then.
func (g *Gate) add(ctx context.Context, a Actor, row *store.Credential, oldUntil *time.Time) (string, error) {
	secret := newSecret()
	row.Hint = secret[len(secret)-hintLength:]
	var err error
	if row.ID, err = uuid.NewV7(); err != nil {
		return "", err
	}
	row.CreatedAt = g.now().UTC()
	_, err = g.store.Change(ctx, a.Workspace, a.Store(), func(c *store.Change) error {
		if oldUntil != nil {
			if err := c.EndToken(row.Token, *oldUntil); err != nil {
				return err
			}
		}
		return c.AddToken(secret, *row, nil)
	})
	g.Forget(row.Token)
	return secret, err
}

// RotateToken gives a token another secret; the one from before is good for so long beside it.
func (g *Gate) RotateToken(
	ctx context.Context, a Actor, id uuid.UUID, overlap time.Duration,
) (TokenInfo, string, error) {
	if overlap < 0 || overlap > mostOverlap {
		return TokenInfo{}, "", fault.Refuse("overlap", overlap.String(), errors.New("must be 0 to 90 days"))
	}
	row, err := g.token(ctx, a, id)
	if err != nil {
		return TokenInfo{}, "", err
	}
	until := g.now().Add(overlap).UTC().Truncate(time.Microsecond)
	secret, err := g.add(ctx, a, &row, &until)
	out := info(row)
	if overlap > 0 {
		out.OldUntil = &until
	}
	return out, secret, err
}

// RevokeToken ends a token and all that was begun with it, at once.
func (g *Gate) RevokeToken(ctx context.Context, a Actor, id uuid.UUID) error {
	row, err := g.token(ctx, a, id)
	if err != nil {
		return err
	}
	if row.Token == a.Token {
		return fault.New(fault.Conflict, "this is the token that you come with: revoke it with another, or from the "+
			"page")
	}
	_, err = g.store.Change(ctx, a.Workspace, a.Store(), func(c *store.Change) error { return c.RevokeToken(row) })
	g.Forget(id)
	return err
}

// token returns the newest secret's credential of a token of the actor's workspace.
func (g *Gate) token(ctx context.Context, a Actor, id uuid.UUID) (store.Credential, error) {
	if err := a.Needs(Admin); err != nil {
		return store.Credential{}, err
	}
	row, err := g.store.TokenOf(ctx, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && row.Workspace != a.Workspace {
		return row, fault.Missing("token " + id.String() + ", or it has ended")
	}
	return row, err
}

// TokensOf returns the tokens of the actor's workspace, the newest first.
func (g *Gate) TokensOf(ctx context.Context, a Actor) ([]TokenInfo, error) {
	if err := a.Needs(Admin); err != nil {
		return nil, err
	}
	rows, err := g.store.Tokens(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	out := []TokenInfo{}
	for _, r := range rows {
		i := slices.IndexFunc(out, func(t TokenInfo) bool { return t.ID == r.Token })
		if i < 0 {
			out = append(out, info(r))
		} else if r.RevokedAt == nil && r.ExpiresAt != nil && r.ExpiresAt.After(g.now()) && out[i].OldUntil == nil {
			out[i].OldUntil = r.ExpiresAt
		}
	}
	return out, nil
}

func info(c store.Credential) TokenInfo {
	out := TokenInfo{ID: c.Token, Name: c.Name, Scopes: strings.Fields(c.Scopes), Collections: c.Collections,
		Origins: strings.Fields(c.Origins), CreatedAt: c.CreatedAt, ExpiresAt: c.ExpiresAt, RevokedAt: c.RevokedAt,
		PerMinute: c.PerMinute, PerDay: c.PerDay, Hint: c.Hint, MadeBy: c.MadeBy}
	return out
}

// Public returns what is known of a token by its id, which is no secret; Unknown where there is none.
func (g *Gate) Public(ctx context.Context, id uuid.UUID) (Credential, error) {
	key := "id " + id.String()
	g.mu.Lock()
	known, ok := g.held[key]
	g.mu.Unlock()
	now := g.now()
	if ok && now.Before(known.until) && (known.ExpiresAt == nil || now.Before(*known.ExpiresAt)) {
		return known.Credential, nil
	}
	row, err := g.store.TokenOf(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		err = errUnknown
	}
	if err != nil {
		return Credential{}, err
	}
	g.hold(key, row)
	return Credential{row}, nil
}
