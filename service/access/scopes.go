package access

import (
	"slices"
	"strings"

	"github.com/google/uuid"

	"viandante/service/fault"
	"viandante/store"
)

// Scope is what a credential is for; several are joined by |.
type Scope uint8

// The scopes. Without Read nothing that is stored is seen; Publish sees what is published of its collections, and
// nothing else; Admin makes and revokes tokens.
const (
	Read Scope = 1 << iota
	Write
	Geocode
	Route
	Live
	Publish
	Admin
)

// scopeNames are the scopes in their order.
var scopeNames = []string{"read", "write", "geocode", "route", "live", "publish", "admin"}

// AllScopes are the names of all scopes, as a credential holds them.
var AllScopes = strings.Join(scopeNames, " ")

// ParseScopes returns the scopes of their names; ok is false where one is none.
func ParseScopes(names []string) (out Scope, ok bool) {
	for _, name := range names {
		i := slices.Index(scopeNames, name)
		if i < 0 {
			return 0, false
		}
		out |= 1 << i
	}
	return out, true
}

// Names returns the names of scopes, in their order.
func (s Scope) Names() []string {
	out := []string{}
	for i, name := range scopeNames {
		if s&(1<<i) != 0 {
			out = append(out, name)
		}
	}
	return out
}

// String returns the names of scopes, joined by " or ".
func (s Scope) String() string { return strings.Join(s.Names(), " or ") }

// Needs returns why an actor may not do what takes one of some scopes, or nil.
func (a Actor) Needs(one Scope) error {
	if a.Scopes&one != 0 {
		return nil
	}
	return fault.New(fault.Forbidden, "this token may not do that; it needs the scope %s, and has %s", one,
		orNone(a.Scopes))
}

func orNone(s Scope) string {
	if s == 0 {
		return "none"
	}
	return strings.Join(s.Names(), ", ")
}

// MayAsk returns why the actor may not ask what concerns nothing that is stored, or nil.
func (a Actor) MayAsk() error {
	if a.Read || a.Scopes != 0 {
		return nil
	}
	return fault.New(fault.Forbidden, "this token has no scope, and may do nothing")
}

// MayArrange returns why the actor may not change what belongs to the workspace as a whole, or nil.
func (a Actor) MayArrange() error {
	if err := a.MayWrite(); err != nil || a.Collections == nil {
		return err
	}
	return fault.New(fault.Forbidden, "this token is for the collections %s only; what belongs to all of the "+
		"workspace needs one that is for all collections", strings.Join(a.Collections, ", "))
}

// IsLimited tells that the actor is for some collections only.
func (a Actor) IsLimited() bool { return a.Collections != nil }

// Program returns the actor that the program itself acts as in a workspace: it may do everything.
func Program(workspace uuid.UUID, name string) Actor {
	all, _ := ParseScopes(scopeNames) // they are scopes
	return Actor{Workspace: workspace, Name: name, Scopes: all, Read: true, Write: true}
}

// asToken returns who comes with the credential of a token or a session.
func asToken(c Credential) Actor {
	scopes, ok := ParseScopes(strings.Fields(c.Scopes))
	if !ok {
		scopes = 0
	}
	return Actor{Workspace: c.Workspace, ID: c.ID, Name: c.Name, Token: c.Token, Scopes: scopes, Read: scopes&Read != 0,
		Write: scopes&Write != 0, Collections: c.Collections}
}

// session returns the session that carries the rights of a token, which it also counts for.
func session(t store.Credential) store.Credential {
	return store.Credential{Workspace: t.Workspace, Name: t.Name, Scopes: t.Scopes, Collections: t.Collections,
		Token: t.Token, PerMinute: t.PerMinute, PerDay: t.PerDay, ExpiresAt: t.ExpiresAt}
}
