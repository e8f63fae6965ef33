package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
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
	CreatedAt time.Time  `db:"created_at"`
	ExpiresAt *time.Time `db:"expires_at"`
	// Token is what the secrets of a token have in common, and the sessions that were begun with it.
	Token uuid.UUID `db:"-"`
	// Collections are the only ones that it is good for; nil for all.
	Collections []string `db:"-"`
	// PerMinute and PerDay are how many calls it is good for, 0 for any number.
	PerMinute int `db:"per_minute"`
	PerDay    int `db:"per_day"`
	// Hint is the end of the secret, to know it by; MadeBy who made it.
	Hint   string `db:"hint"`
	MadeBy string `db:"made_by"`
	// Signing is the key with which links are signed on its behalf.
	Signing   []byte     `db:"signing"`
	RevokedAt *time.Time `db:"revoked_at"`
}

// Kinds of credential.
const (
	Token   = "token"
	Session = "session"
	// Invitation lets one person join a party, and is Used then.
	Invitation = "invitation"
	Used       = "used"
)

// AddCredential keeps a credential under the hash of its secret. One that is there already keeps its id.
func (s *Store) AddCredential(ctx context.Context, secret string, c Credential) error {
	hash := sha256.Sum256([]byte(secret))
	var err error
	if c.ID, err = uuid.NewV7(); err != nil {
		return err
	}
	if c.Kind == Token && c.Token == uuid.Nil {
		c.Token = c.ID
		c.Signing = make([]byte, 32)
		rand.Read(c.Signing)
	}
	return s.exec(ctx, `INSERT INTO credentials (hash, `+credentialColumns+`) VALUES (`+values(17, "?")+`)
		ON DUPLICATE KEY UPDATE scopes = VALUES(scopes), origins = VALUES(origins), expires_at = VALUES(expires_at)`,
		append([]any{hash[:]}, c.arguments(s.now().UTC())...)...)
}

// Credential returns what a secret gives access to; ErrNotFound when it is unknown, has expired or was revoked.
func (s *Store) Credential(ctx context.Context, secret string) (Credential, error) {
	hash := sha256.Sum256([]byte(secret))
	found, err := s.credentials(ctx, `hash = ? AND revoked_at IS NULL AND (expires_at IS NULL OR expires_at > ?)`,
		hash[:],
		s.now().UTC())
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Credential{}, err
	}
	return found[0], nil
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

// Invitation returns an invitation, one that was used or has ended, too; ErrNotFound where there is none.
func (s *Store) Invitation(ctx context.Context, code string) (Credential, error) {
	hash := sha256.Sum256([]byte(code))
	found, err := s.credentials(ctx, `hash = ? AND kind IN ('invitation', 'used')`, hash[:])
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Credential{}, err
	}
	return found[0], nil
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
