package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"time"

	"github.com/google/uuid"
)

// Credential lets somebody into a workspace: an app's token or a page's session.
type Credential struct {
	// ID names the credential in the change log; it is no secret.
	ID        uuid.UUID  `db:"id"`
	Workspace uuid.UUID  `db:"workspace"`
	Kind      string     `db:"kind"`
	Name      string     `db:"name"`
	Scopes    string     `db:"scopes"`
	Origins   string     `db:"origins"`
	ExpiresAt *time.Time `db:"expires_at"`
}

// Kinds of credential.
const (
	Token   = "token"
	Session = "session"
	// Invitation lets one person join a party, and is Used then.
	Invitation = "invitation"
	Used       = "used"
)

// AddCredential keeps a credential under the hash of its secret.
func (s *Store) AddCredential(ctx context.Context, secret string, c Credential) error {
	hash := sha256.Sum256([]byte(secret))
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	err = s.exec(
		ctx,
		`INSERT INTO credentials (id, hash, workspace, kind, name, scopes, origins, created_at, expires_at) VALUES (?,
			?, ?, ?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE scopes = VALUES(scopes), origins = VALUES(origins), expires_at = VALUES(expires_at)`,
		id[:],
		hash[:],
		c.Workspace[:],
		c.Kind,
		c.Name,
		c.Scopes,
		c.Origins,
		s.now().UTC(),
		c.ExpiresAt,
	)
	return err
}

// Credential returns what a secret gives access to; ErrNotFound when it is unknown or has expired.
func (s *Store) Credential(ctx context.Context, secret string) (Credential, error) {
	hash := sha256.Sum256([]byte(secret))
	var c Credential
	err := s.get(ctx, &c, `SELECT id, workspace, kind, name, scopes, origins, expires_at FROM credentials
		WHERE hash = ? AND (expires_at IS NULL OR expires_at > ?)`, hash[:], s.now().UTC())
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return c, err
}

// DropCredential forgets a credential.
func (s *Store) DropCredential(ctx context.Context, secret string) error {
	hash := sha256.Sum256([]byte(secret))
	err := s.exec(ctx, `DELETE FROM credentials WHERE hash = ?`, hash[:])
	return err
}

// MemberPrefix begins the scope of a credential that a member of a party has of his own.
const MemberPrefix = "member:"

// MemberScope is the scope of a member of a party.
func MemberScope(member, party uuid.UUID) string {
	return MemberPrefix + member.String() + ":" + party.String()
}

const invitation = `SELECT id, workspace, kind, name, scopes, origins, expires_at FROM credentials
	WHERE hash = ? AND kind IN ('invitation', 'used')`

// Invitation returns an invitation, one that was used or has ended, too; ErrNotFound where there is none.
func (s *Store) Invitation(ctx context.Context, code string) (Credential, error) {
	hash := sha256.Sum256([]byte(code))
	var c Credential
	err := s.get(ctx, &c, invitation, hash[:])
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return c, err
}

// UseInvitation marks an invitation that is open as used and returns what it was: of those who use it at once, one has
// it as an invitation.
func (s *Store) UseInvitation(ctx context.Context, code string, now time.Time) (Credential, error) {
	hash := sha256.Sum256([]byte(code))
	used := int64(0)
	err := s.run(ctx, func(ctx context.Context) error {
		done, err := s.db.ExecContext(ctx,
			`UPDATE credentials SET kind = ? WHERE hash = ? AND kind = ? AND expires_at > ?`,
			Used, hash[:], Invitation, now.UTC())
		if err != nil {
			return err
		}
		used, err = done.RowsAffected()
		return err
	})
	if err != nil {
		return Credential{}, err
	}
	c, err := s.Invitation(ctx, code)
	if err == nil && used > 0 {
		c.Kind = Invitation
	}
	return c, err
}
