package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
)

// Tokens is the topic of the change log that tells of tokens: of their ids, what they may do, never a secret.
const Tokens = "tokens"

const credentialColumns = `id, workspace, kind, name, scopes, origins, created_at, expires_at, token, collections,
	per_minute, per_day, hint, made_by, signing, revoked_at`

// credentialRow is a credential as the table has it.
type credentialRow struct {
	Credential
	Token       []byte         `db:"token"`
	Collections sql.NullString `db:"collections"`
}

func (r *credentialRow) credential() (Credential, error) {
	c := r.Credential
	copy(c.Token[:], r.Token)
	if !r.Collections.Valid {
		return c, nil
	}
	c.Collections = []string{}
	return c, json.Unmarshal([]byte(r.Collections.String), &c.Collections)
}

// arguments are the values of credentialColumns.
func (c *Credential) arguments(now time.Time) []any {
	var token, collections, signing any
	if c.Token != uuid.Nil {
		token = c.Token[:]
	}
	if c.Collections != nil {
		text, _ := json.Marshal(c.Collections) // texts always marshal
		collections = string(text)
	}
	if c.Signing != nil {
		signing = c.Signing
	}
	return []any{c.ID[:], c.Workspace[:], c.Kind, c.Name, c.Scopes, c.Origins, now, c.ExpiresAt, token, collections,
		c.PerMinute, c.PerDay, c.Hint, c.MadeBy, signing, c.RevokedAt}
}

// AddToken keeps a token under the hash of its secret, and tells of it.
func (c *Change) AddToken(secret string, t Credential, before any) error {
	hash := sha256.Sum256([]byte(secret))
	err := c.exec(`INSERT INTO credentials (hash, `+credentialColumns+`) VALUES (`+values(17, "?")+`)`,
		append([]any{hash[:]}, t.arguments(c.At)...)...)
	return errors.Join(err, c.log(Tokens, "", t.Token.String(), before, told{t.Name, t.Scopes}))
}

// told is what the change log is told of a token.
type told struct {
	Name   string `json:"name"`
	Scopes string `json:"scopes"`
}

// EndToken has the secrets that a token has now end at a time, unless they end before.
func (c *Change) EndToken(token uuid.UUID, at time.Time) error {
	return c.exec(`UPDATE credentials SET expires_at = LEAST(COALESCE(expires_at, ?), ?) WHERE workspace = ?
		AND token = ?
		AND kind = ?`, at, at, c.Workspace[:], token[:], Token)
}

// RevokeToken ends a token, and the sessions that were begun with it, at once.
func (c *Change) RevokeToken(t Credential) error {
	err := c.exec(`UPDATE credentials SET revoked_at = ? WHERE workspace = ? AND token = ? AND revoked_at IS NULL`,
		c.At,
		c.Workspace[:], t.Token[:])
	return errors.Join(err, c.log(Tokens, "", t.Token.String(), told{t.Name, t.Scopes}, nil))
}

func (s *Store) credentials(ctx context.Context, where string, args ...any) ([]Credential, error) {
	var rows []credentialRow
	err := s.all(ctx, &rows, `SELECT `+credentialColumns+` FROM credentials WHERE `+where, args...)
	out := make([]Credential, len(rows))
	for i := range rows {
		var wrong error
		out[i], wrong = rows[i].credential()
		err = errors.Join(err, wrong)
	}
	return out, err
}

// Tokens returns the tokens of a workspace, those that have ended, too: of each its newest secret first.
func (s *Store) Tokens(ctx context.Context, workspace uuid.UUID) ([]Credential, error) {
	return s.credentials(ctx, `workspace = ? AND kind = ? ORDER BY created_at DESC, id DESC`, workspace[:], Token)
}

// TokenOf returns the newest secret's credential of a token that has not been revoked; ErrNotFound where there is none.
func (s *Store) TokenOf(ctx context.Context, token uuid.UUID) (Credential, error) {
	found, err := s.credentials(ctx, `token = ? AND kind = ? AND revoked_at IS NULL AND (expires_at IS NULL OR
		expires_at > ?) ORDER BY created_at DESC, id DESC LIMIT 1`, token[:], Token, s.now().UTC())
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Credential{}, err
	}
	return found[0], nil
}

// Use is how often a token was used for a call on a day, and how often it was refused for its limits.
type Use struct {
	Token    uuid.UUID `db:"token"    json:"-"`
	Day      time.Time `db:"day"      json:"day"`
	Call     string    `db:"call"     json:"call"`
	Answered uint64    `db:"answered" json:"answered"`
	Refused  uint64    `db:"refused"  json:"refused"`
}

// AddUse counts on.
func (s *Store) AddUse(ctx context.Context, workspace uuid.UUID, list []Use) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for _, u := range list {
		args = append(args, workspace[:], u.Token[:], u.Day.Format(time.DateOnly), u.Call, u.Answered, u.Refused)
	}
	return s.exec(ctx, "INSERT INTO token_use (workspace, token, day, `call`, answered, refused) VALUES "+
		values(len(list), `(?, ?, ?, ?, ?, ?)`)+` ON DUPLICATE KEY UPDATE answered = answered + VALUES(answered),
		refused = refused + VALUES(refused)`, args...)
}

// UseOf returns how a token was used since a day.
func (s *Store) UseOf(ctx context.Context, workspace, token uuid.UUID, since time.Time) ([]Use, error) {
	out := []Use{}
	err := s.all(ctx, &out, "SELECT token, day, `call`, answered, refused FROM token_use WHERE workspace = ? "+
		"AND token = ? AND day >= ? ORDER BY day, `call`", workspace[:], token[:], since.Format(time.DateOnly))
	return out, err
}

// UsedOn returns how many calls of some tokens were answered on a day.
func (s *Store) UsedOn(ctx context.Context, day time.Time, tokens []uuid.UUID) (map[uuid.UUID]uint64, error) {
	out := map[uuid.UUID]uint64{}
	if len(tokens) == 0 {
		return out, nil
	}
	args := []any{day.Format(time.DateOnly)}
	for _, t := range tokens {
		args = append(args, t[:])
	}
	var rows []struct {
		Token uuid.UUID `db:"token"`
		N     uint64    `db:"n"`
	}
	err := s.all(ctx, &rows, `SELECT token, CAST(SUM(answered) AS UNSIGNED) AS n FROM token_use WHERE day = ? AND
		token IN (`+
		values(len(tokens), "?")+`) GROUP BY token`, args...)
	for _, r := range rows {
		out[r.Token] = r.N
	}
	return out, err
}
