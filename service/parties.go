package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/live"
	"viandante/service/access"
	"viandante/service/fault"
	"viandante/service/party"
	"viandante/store"
)

// Party is a group of people or devices that share positions.
type Party struct {
	Name string `json:"name"`
	// StaleAfterS and GoneAfterS are after how many seconds a position is old, and somebody is taken for gone.
	StaleAfterS float64 `json:"stale_after_s"`
	GoneAfterS  float64 `json:"gone_after_s"`
	// KeepTrackS is for how many seconds tracks are kept; 0 for no track.
	KeepTrackS float64 `json:"keep_track_s"`
}

const (
	mostParties   = 200
	mostMembers   = 5000
	longestKept   = 90 * 24 * time.Hour
	defaultStale  = 60
	defaultGone   = 15 * 60
	mostReports   = 10_000
	longestInvite = 30 * 24 * time.Hour
)

var partyKind = kind[Party]{topic: store.Parties, name: "party", most: mostParties, check: checkParty}

func checkParty(_ context.Context, _ *Service, _ Actor, p *Party) error {
	if err := checkName(&p.Name); err != nil {
		return err
	}
	if p.StaleAfterS == 0 {
		p.StaleAfterS = defaultStale
	}
	if p.GoneAfterS == 0 {
		p.GoneAfterS = max(defaultGone, p.StaleAfterS*2)
	}
	day := (24 * time.Hour).Seconds()
	switch {
	case !(p.StaleAfterS >= 1 && p.StaleAfterS <= day):
		return fault.Refuse("stale_after_s", fmt.Sprint(p.StaleAfterS), errors.New("must be from 1 s to a day"))
	case !(p.GoneAfterS > p.StaleAfterS && p.GoneAfterS <= 7*day):
		return fault.Refuse("gone_after_s", fmt.Sprint(p.GoneAfterS),
			errors.New("must be more than stale_after_s, at most seven days"))
	case !(p.KeepTrackS >= 0 && p.KeepTrackS <= longestKept.Seconds()):
		return fault.Refuse("keep_track_s", fmt.Sprint(p.KeepTrackS),
			errors.New("must be from 0, for none, to 90 days"))
	}
	return nil
}

// parties are those of a workspace in memory: they are looked at with every report.
type parties struct {
	mu   sync.Mutex
	held map[uuid.UUID]Party
}

func (p *parties) load(ctx context.Context, s *store.Store, workspace uuid.UUID) error {
	rows, err := s.AllKept(ctx, workspace, store.Parties)
	if err != nil {
		return err
	}
	held := map[uuid.UUID]Party{}
	for _, r := range rows {
		k, err := unpack[Party](r)
		if err != nil {
			return err
		}
		held[r.ID] = k.Body
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.held = held
	return nil
}

func (p *parties) apply(log []store.Logged) {
	for i := range log {
		e := &log[i]
		if e.Topic != store.Parties {
			continue
		}
		id, err := uuid.Parse(e.Entity)
		var row store.Kept
		var body Party
		p.mu.Lock()
		if e.Gone() {
			delete(p.held, id)
		} else if err == nil && e.Text(&row, true) == nil && json.Unmarshal(row.Body, &body) == nil {
			p.held[id] = body
		}
		p.mu.Unlock()
	}
}

func (p *parties) get(id uuid.UUID) (Party, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	out, ok := p.held[id]
	return out, ok
}

// Parties returns those that the actor sees: a member his own.
func (v *Service) Parties(ctx context.Context, a Actor) ([]Kept[Party], error) {
	all, err := list(ctx, v, a, partyKind)
	out := all[:0]
	for _, k := range all {
		if a.SeesParty(k.ID) {
			out = append(out, k)
		}
	}
	return out, err
}

// Party returns one of them.
func (v *Service) Party(ctx context.Context, a Actor, id uuid.UUID) (Kept[Party], error) {
	if !a.SeesParty(id) {
		return Kept[Party]{}, fault.Missing("party " + id.String())
	}
	return one(ctx, v, a, partyKind, id)
}

// PutParty saves a party.
func (v *Service) PutParty(
	ctx context.Context, a Actor, id uuid.UUID, body Party, match Match,
) (Kept[Party], bool, error) {
	return put(ctx, v, a, partyKind, id, body, match)
}

// DeleteParty ends a party: nobody is in it any more, and where they were is forgotten.
func (v *Service) DeleteParty(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	if err := drop(ctx, v, a, partyKind, id, match); err != nil {
		return err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return err
	}
	for _, m := range h.room.Members(id) {
		if err := h.room.Drop(ctx, m.ID); err != nil && !errors.Is(err, party.ErrUnknown) {
			return err
		}
	}
	return nil
}

// Member is somebody in a party, with what is known of him now.
type Member struct {
	party.Member
	// Freshness is how old what is known is; "" where nothing is.
	Freshness live.Freshness
}

// inParty returns a party that the actor sees, with its room.
func (v *Service) inParty(ctx context.Context, a Actor, id uuid.UUID) (*house, Party, error) {
	if err := a.MayRead(); err != nil {
		return nil, Party{}, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, Party{}, err
	}
	p, ok := h.parties.get(id)
	if !ok || !a.SeesParty(id) {
		return nil, Party{}, fault.Missing("party " + id.String())
	}
	if a.IsMember() {
		if m, in := h.room.Member(a.Member); !in || m.Party != id {
			return nil, Party{}, fault.New(fault.Unauthorized, "you have left this party: ask for a new invitation")
		}
	}
	return h, p, nil
}

// FreshnessOf returns how well it is known where a member is, by a party's rule.
func (p *Party) FreshnessOf(m *party.Member, now time.Time) live.Freshness {
	if !m.Last.At.IsValid() {
		return ""
	}
	return live.FreshnessOf(now.Sub(m.Last.Time), time.Duration(p.StaleAfterS*float64(time.Second)),
		time.Duration(p.GoneAfterS*float64(time.Second)))
}

// Members returns who is in a party.
func (v *Service) Members(ctx context.Context, a Actor, id uuid.UUID) ([]Member, error) {
	h, p, err := v.inParty(ctx, a, id)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	all := h.room.Members(id)
	out := make([]Member, len(all))
	for i := range all {
		out[i] = Member{all[i], p.FreshnessOf(&all[i], now)}
	}
	return out, nil
}

// MemberDraft is what is said of a member.
type MemberDraft struct {
	Name string `json:"name"`
	// Picture is the hash of a kept picture, "" for none; where it is left out it stays as it is.
	Picture *string `json:"picture"`
	// Sharing tells that he shares where he is; true where it is left out.
	Sharing *bool `json:"sharing"`
}

// PutMember makes a member of a party, or changes one. created tells whether he is new.
func (v *Service) PutMember(
	ctx context.Context, a Actor, partyID, id uuid.UUID, d MemberDraft,
) (out Member, created bool, err error) {
	if err := a.MayBe(id); err != nil {
		return Member{}, false, err
	}
	h, p, err := v.inParty(ctx, a, partyID)
	if err != nil {
		return Member{}, false, err
	}
	return v.putMember(ctx, a, h, p, partyID, id, d)
}

func (v *Service) putMember(
	ctx context.Context, a Actor, h *house, p Party, partyID, id uuid.UUID, d MemberDraft,
) (out Member, created bool, err error) {
	if err := checkName(&d.Name); err != nil {
		return Member{}, false, err
	}
	if id == uuid.Nil {
		return Member{}, false, fault.Refuse("id", id.String(),
			errors.New("is the UUID of zeros, which stands for no id"))
	}
	before, known := h.room.Member(id)
	picture := before.Picture
	if d.Picture != nil {
		picture = *d.Picture
	}
	if picture != before.Picture && picture != "" {
		if _, err := v.Picture(ctx, a, picture, false); err != nil {
			return Member{}, false, fault.Refuse("picture", picture,
				errors.New("is not the hash of a picture that is kept: send the picture to /v1/pictures first"))
		}
	}
	m := party.Member{Workspace: a.Workspace, ID: id, Party: partyID, Name: d.Name, Picture: picture,
		Sharing: d.Sharing == nil || *d.Sharing, JoinedAt: time.Now().UTC().Truncate(time.Millisecond)}
	if known && before.Party != partyID {
		return Member{}, false, fault.New(fault.Conflict,
			"the member %s is in another party: let him leave that first", id)
	}
	if !known && len(h.room.Members(partyID)) >= mostMembers {
		return Member{}, false, fault.New(fault.Invalid, "a party has at most %d members", mostMembers)
	}
	m, err = h.room.Put(ctx, m)
	return Member{m, p.FreshnessOf(&m, time.Now())}, !known, err
}

// OneMember returns a member of a party.
func (v *Service) OneMember(ctx context.Context, a Actor, partyID, id uuid.UUID) (Member, error) {
	h, p, err := v.inParty(ctx, a, partyID)
	if err != nil {
		return Member{}, err
	}
	m, known := h.room.Member(id)
	if !known || m.Party != partyID {
		return Member{}, missingMember(id)
	}
	return Member{m, p.FreshnessOf(&m, time.Now())}, nil
}

func missingMember(id uuid.UUID) error {
	return fault.New(fault.NotFound, "there is no member %s in this party: he has left it, or never was in it", id)
}

// DropMember takes somebody out of a party, and forgets where he was.
func (v *Service) DropMember(ctx context.Context, a Actor, partyID, id uuid.UUID) error {
	if err := a.MayBe(id); err != nil {
		return err
	}
	if _, err := v.OneMember(ctx, a, partyID, id); err != nil {
		return err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return err
	}
	if err := h.room.Drop(ctx, id); errors.Is(err, party.ErrUnknown) {
		return missingMember(id)
	} else if err != nil {
		return err
	}
	return nil
}

// Report takes positions of a member in.
func (v *Service) Report(
	ctx context.Context, a Actor, partyID, id uuid.UUID, reports []live.Report,
) ([]live.Outcome, error) {
	if err := a.MayBe(id); err != nil {
		return nil, err
	}
	h, p, err := v.inParty(ctx, a, partyID)
	if err != nil {
		return nil, err
	}
	if n := len(reports); n == 0 || n > mostReports {
		return nil, fault.Refuse("positions", fmt.Sprint(n), &geo.ParseError{Reason: "are not as many as are taken",
			Hint: fmt.Sprintf("from 1 to %d; send the rest with the next request", mostReports)})
	}
	for i := range reports {
		reports[i].At = reports[i].At.Rounded()
	}
	out, err := h.room.Report(id, reports, time.Now(), time.Duration(p.KeepTrackS*float64(time.Second)))
	switch {
	case errors.Is(err, party.ErrUnknown):
		return nil, missingMember(id)
	case errors.Is(err, party.ErrSilent):
		return nil, fault.New(fault.Conflict,
			"this member has stopped sharing: nothing of his position is taken until he shares again")
	}
	return out, err
}

// Track returns what is kept of a member's track, the oldest first.
func (v *Service) Track(ctx context.Context, a Actor, partyID, id uuid.UUID) (Member, []live.Report, error) {
	m, err := v.OneMember(ctx, a, partyID, id)
	if err != nil {
		return m, nil, err
	}
	track, err := v.store.Track(ctx, a.Workspace, id)
	return m, track, err
}

// FollowParties follows where members are: those of a party, or with the nil UUID of all that the actor sees.
func (v *Service) FollowParties(ctx context.Context, a Actor, only uuid.UUID) (*party.Follower, error) {
	if a.Member != uuid.Nil {
		only = a.Party
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	if only != uuid.Nil {
		if _, _, err := v.inParty(ctx, a, only); err != nil {
			return nil, err
		}
	} else if err := a.MayRead(); err != nil {
		return nil, err
	}
	return h.room.Follow(only), nil
}

// Invitation lets somebody into a party, once.
type Invitation struct {
	Code  string
	Until time.Time
}

// InviteToParty returns a code with which one person joins a party.
func (v *Service) InviteToParty(
	ctx context.Context, g *access.Gate, a Actor, partyID uuid.UUID, forTime time.Duration,
) (Invitation, error) {
	if err := a.MayWrite(); err != nil {
		return Invitation{}, err
	}
	if _, _, err := v.inParty(ctx, a, partyID); err != nil {
		return Invitation{}, err
	}
	if forTime < time.Minute || forTime > longestInvite {
		return Invitation{}, fault.Refuse("expires_in", forTime.String(),
			&geo.ParseError{Reason: "is not how long an invitation may be open", Hint: "from 1min to 720h"})
	}
	code, until, err := g.InviteToParty(ctx, a, partyID, forTime)
	return Invitation{code, until}, err
}

// Join makes a member of whoever has an invitation's code, and signs him in as that.
func (v *Service) Join(
	ctx context.Context, g *access.Gate, code, name string,
) (secret string, until time.Time, m Member, err error) {
	if err := checkName(&name); err != nil {
		return "", until, Member{}, err
	}
	secret, until, a, err := g.Join(ctx, strings.TrimSpace(code), name)
	if err != nil {
		return "", until, Member{}, err
	}
	guest := a
	guest.Member = uuid.Nil
	h, p, err := v.inParty(ctx, guest, a.Party)
	if err != nil {
		return "", until, Member{}, err
	}
	m, _, err = v.putMember(ctx, a, h, p, a.Party, a.Member, MemberDraft{Name: name})
	return secret, until, m, err
}

// PartyInvited returns the party that an invitation is to, for whoever has its code.
func (v *Service) PartyInvited(ctx context.Context, g *access.Gate, code string) (Party, error) {
	a, err := g.Invited(ctx, strings.TrimSpace(code))
	if err != nil {
		return Party{}, err
	}
	_, p, err := v.inParty(ctx, a, a.Party)
	return p, err
}
