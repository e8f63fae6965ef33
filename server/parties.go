package server

import (
	"cmp"
	"encoding/json"
	"errors"
	"math"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/gpx"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/live"
	"viandante/service"
	"viandante/service/fault"
	"viandante/service/party"
)

func (s *server) partyCalls(g *echo.Group) {
	v := s.Service
	keep(s, g, "/parties", maxSmall,
		keeper[service.Party]{"parties", v.Parties, v.Party, v.PutParty, v.DeleteParty})
	g.GET("/parties/:id/members", s.members)
	g.GET("/parties/:id/members/:member", s.member)
	g.PUT("/parties/:id/members/:member", s.putMember)
	g.DELETE("/parties/:id/members/:member", s.dropMember)
	g.PUT("/parties/:id/members/:member/positions", s.report)
	g.GET("/parties/:id/members/:member/track", s.memberTrack)
	g.POST("/parties/:id/invitations", s.invite)
}

// memberOut is a member as he leaves. What is not known is null.
type memberOut struct {
	ID       uuid.UUID `json:"id"`
	Name     string    `json:"name"`
	Picture  string    `json:"picture"`
	Sharing  bool      `json:"sharing"`
	JoinedAt string    `json:"joined_at"`
	positionOut
	// State is live, stale or gone; null without a position.
	State any `json:"state"`
}

// positionOut is a position that was reported.
type positionOut struct {
	Position   any `json:"position"`
	AccuracyM  any `json:"accuracy_m"`
	AltitudeM  any `json:"altitude_m"`
	HeadingDeg any `json:"heading_deg"`
	SpeedMPS   any `json:"speed_mps"`
	Time       any `json:"time"`
}

const millis = "2006-01-02T15:04:05.000Z07:00"

func presentReport(r *live.Report) positionOut {
	if !r.At.IsValid() {
		return positionOut{}
	}
	return positionOut{Position: lngLat(r.At), AccuracyM: roundedOrNull(r.AccuracyM, 1),
		AltitudeM: roundedOrNull(r.AltitudeM, 1), HeadingDeg: roundedOrNull(r.HeadingDeg, 1),
		SpeedMPS: roundedOrNull(r.SpeedMPS, 2), Time: r.Time.UTC().Format(millis)}
}

func presentMember(m *party.Member, state live.Freshness) memberOut {
	out := memberOut{ID: m.ID, Name: m.Name, Picture: m.Picture, Sharing: m.Sharing,
		JoinedAt: m.JoinedAt.UTC().Format(millis), positionOut: presentReport(&m.Last)}
	if state != "" {
		out.State = state
	}
	return out
}

// placedMember is a member with how far he is and which way.
type placedMember struct {
	memberOut
	DistanceM  any `json:"distance_m"`
	BearingDeg any `json:"bearing_deg"`
	distance   float64
}

// members answers GET /v1/parties/ID/members: in the order in which they came, or with from by distance.
func (s *server) members(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	from := q.point("from", false)
	if err := q.check(); err != nil {
		return err
	}
	all, err := s.Service.Members(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	if !from.IsValid() {
		out := make([]memberOut, len(all))
		for i := range all {
			out[i] = presentMember(&all[i].Member, all[i].Freshness)
		}
		return c.JSON(http.StatusOK, map[string]any{"members": out})
	}
	out := make([]placedMember, len(all))
	for i := range all {
		m := &all[i]
		out[i] = placedMember{memberOut: presentMember(&m.Member, m.Freshness), distance: math.Inf(1)}
		if m.Last.At.IsValid() {
			line := geodesy.Measure(geodesy.Ellipsoid, from, m.Last.At)
			out[i].distance = line.DistanceM
			out[i].DistanceM, out[i].BearingDeg = line.DistanceM, defined(line.InitialBearing)
		}
	}
	slices.SortStableFunc(out, func(a, b placedMember) int { return cmp.Compare(a.distance, b.distance) })
	return c.JSON(http.StatusOK, map[string]any{"members": out})
}

// inParty reads the ids of a party and of a member from the path.
func inParty(c *echo.Context) (partyID, member uuid.UUID, err error) {
	if partyID, err = idInPath(c); err != nil {
		return partyID, member, err
	}
	text := c.Param("member")
	if member, err = uuid.Parse(text); err != nil {
		err = fault.Refuse("member", text, &geo.ParseError{Reason: "is not an id", Hint: "a UUID"})
	}
	return partyID, member, err
}

func (s *server) member(c *echo.Context) error {
	partyID, id, err := inParty(c)
	if err != nil {
		return err
	}
	m, err := s.Service.OneMember(c.Request().Context(), actor(c), partyID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, presentMember(&m.Member, m.Freshness))
}

func (s *server) putMember(c *echo.Context) error {
	partyID, id, err := inParty(c)
	if err != nil {
		return err
	}
	var body service.MemberDraft
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	m, isNew, err := s.Service.PutMember(c.Request().Context(), actor(c), partyID, id, body)
	if err != nil {
		return err
	}
	return c.JSON(created(isNew), presentMember(&m.Member, m.Freshness))
}

func (s *server) dropMember(c *echo.Context) error {
	partyID, id, err := inParty(c)
	if err != nil {
		return err
	}
	if err := s.Service.DropMember(c.Request().Context(), actor(c), partyID, id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// reportIn is a position on its way in.
type reportIn struct {
	Position   []float64 `json:"position"`
	Time       string    `json:"time"`
	AccuracyM  *float64  `json:"accuracy_m"`
	AltitudeM  *float64  `json:"altitude_m"`
	HeadingDeg *float64  `json:"heading_deg"`
	SpeedMPS   *float64  `json:"speed_mps"`
}

// clockOff is by how much the clock of a device may be off before its times are put right.
const clockOff = 2 * time.Second

// read returns the report, or what is wrong with it; behind is how far the device's clock is behind ours.
func (r *reportIn) read(behind time.Duration) (live.Report, error) {
	at, err := geo.FromLngLat(r.Position)
	if err != nil {
		return live.Report{}, err
	}
	when, err := time.Parse(time.RFC3339Nano, r.Time)
	if err != nil {
		return live.Report{}, &geo.ParseError{Reason: "has no time as of RFC 3339", Hint: "e.g. 2026-05-01T08:00:00Z"}
	}
	number := func(v *float64, fits func(float64) bool) float64 {
		if v == nil || !fits(*v) {
			return math.NaN()
		}
		return *v
	}
	free, positive := func(float64) bool { return true }, func(v float64) bool { return v >= 0 }
	out := live.Report{At: at, Time: when.Add(behind).UTC().Truncate(time.Microsecond),
		AccuracyM: number(r.AccuracyM, positive),
		AltitudeM: number(r.AltitudeM, free), SpeedMPS: number(r.SpeedMPS, positive),
		HeadingDeg: number(r.HeadingDeg, free)}
	if !math.IsNaN(out.HeadingDeg) {
		out.HeadingDeg = geo.WrapBearing(out.HeadingDeg)
	}
	return out, nil
}

// refusedOut says why a position of a batch was not taken.
type refusedOut struct {
	Index  int    `json:"index"`
	Reason string `json:"reason"`
	Hint   string `json:"hint,omitempty"`
}

// report answers PUT /v1/parties/ID/members/ID/positions. What can be taken of a batch is; of the rest the answer says
// what is wrong with it.
func (s *server) report(c *echo.Context) error {
	partyID, id, err := inParty(c)
	if err != nil {
		return err
	}
	var body struct {
		SentAt    string            `json:"sent_at"`
		Positions []json.RawMessage `json:"positions"`
	}
	if err := s.decode(c, maxFeature, &body); err != nil {
		return err
	}
	behind := time.Duration(0)
	if body.SentAt != "" {
		sent, err := time.Parse(time.RFC3339Nano, body.SentAt)
		if err != nil {
			return fault.Refuse("sent_at", body.SentAt, &geo.ParseError{Reason: "is not a time",
				Hint: "the device's time of sending, e.g. 2026-05-01T08:00:00Z"})
		}
		if behind = s.Now().Sub(sent); behind.Abs() < clockOff {
			behind = 0
		}
	}
	reports := make([]live.Report, len(body.Positions))
	wrong := make([]error, len(reports))
	for i, text := range body.Positions {
		var in reportIn
		if err := json.Unmarshal(text, &in); err != nil {
			wrong[i] = &geo.ParseError{Reason: "is not a position", Hint: `{"position": [lng, lat], "time": …}`}
			continue
		}
		reports[i], wrong[i] = in.read(behind)
	}
	outcomes, err := s.Service.Report(c.Request().Context(), actor(c), partyID, id, reports)
	if err != nil {
		return err
	}
	out := struct {
		Taken   int          `json:"taken"`
		Late    int          `json:"late"`
		Doubled int          `json:"doubled"`
		Aside   int          `json:"aside"`
		Refused []refusedOut `json:"refused"`
	}{Refused: []refusedOut{}}
	for i, o := range outcomes {
		why := o.Why
		if wrong[i] != nil {
			why = wrong[i]
		}
		switch o.Verdict {
		case live.Taken:
			out.Taken++
		case live.Late:
			out.Late++
		case live.Doubled:
			out.Doubled++
		case live.Aside:
			out.Aside++
		case live.Refused:
			var pe *geo.ParseError
			r := refusedOut{Index: i, Reason: why.Error()}
			if errors.As(why, &pe) {
				r.Reason, r.Hint = pe.Reason, pe.Hint
			}
			if out.Refused = append(out.Refused, r); len(outcomes) == 1 {
				return fault.Refuse("positions[0]", "", why)
			}
		}
	}
	return c.JSON(http.StatusOK, out)
}

// memberTrack answers GET /v1/parties/ID/members/ID/track: what is kept of the way that a member has gone.
func (s *server) memberTrack(c *echo.Context) error {
	partyID, id, err := inParty(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	format := q.text("format", 20)
	kind := map[string]string{"": accepts(c, textSeq, gpxType), "geojsonseq": textSeq, "gpx": gpxType}[format]
	if kind == "" {
		q.refuse("format", format, &geo.ParseError{Reason: "is not a format", Hint: "gpx or geojsonseq"})
	}
	if err := q.check(); err != nil {
		return err
	}
	m, track, err := s.Service.Track(c.Request().Context(), actor(c), partyID, id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	sendTrackHeader(c, kind, m.Name)
	if kind == gpxType {
		positions := make([]gpx.Position, len(track))
		for i, r := range track {
			positions[i] = gpx.Position{At: r.At, AltitudeM: r.AltitudeM, Time: r.Time}
		}
		return gpx.Write(c.Response(), m.Name, positions)
	}
	for i, r := range track {
		text, err := json.Marshal(map[string]any{"type": "Feature", "id": i,
			"geometry": pointOut{"Point", []float64{r.At.Lng(), r.At.Lat()}},
			"properties": map[string]any{"time": r.Time.UTC().Format(millis),
				"altitude_m": roundedOrNull(r.AltitudeM, 1)}})
		if err != nil {
			return err
		}
		if _, err := c.Response().Write(sequenced(text)); err != nil {
			return nil // the reader is gone
		}
	}
	return nil
}

// sendTrackHeader begins an answer with a track as a file of its own.
func sendTrackHeader(c *echo.Context, kind, name string) {
	h := c.Response().Header()
	h.Add("Vary", "Accept")
	h.Set(echo.HeaderContentType, kind)
	suffix := map[string]string{textSeq: ".geojsons", gpxType: ".gpx"}[kind]
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{
		"filename": strings.Map(plain, name) + suffix}))
	c.Response().WriteHeader(http.StatusOK)
}

const defaultInvitation = 24 * time.Hour

// invite answers POST /v1/parties/ID/invitations: a link with which one person joins, and its QR code.
func (s *server) invite(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	var body struct {
		ExpiresIn string `json:"expires_in"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	forTime := defaultInvitation
	if body.ExpiresIn != "" {
		if forTime, err = geo.ParseDuration(body.ExpiresIn); err != nil {
			return fault.Refuse("expires_in", body.ExpiresIn, err)
		}
	}
	i, err := s.Service.InviteToParty(c.Request().Context(), s.Gate, actor(c), id, forTime)
	if err != nil {
		return err
	}
	link := base(c)
	if s.Phone != nil { // whoever is invited is hardly at this machine
		link = s.Phone.URL
	}
	link += "/join#invitation=" + i.Code
	picture, err := qrSVG(link)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusCreated, map[string]any{"url": link, "code": i.Code,
		"expires_at": i.Until.UTC().Format(time.RFC3339), "qr_svg": picture})
}

// toldMembers and toldMoves are the events of a party on the stream.
type toldMembers struct {
	Party   uuid.UUID   `json:"party"`
	Whole   bool        `json:"whole"`
	Members []memberOut `json:"members"`
	Left    []uuid.UUID `json:"left"`
}

type toldMoves struct {
	Party uuid.UUID `json:"party"`
	Moves []moveOut `json:"moves"`
}

type moveOut struct {
	ID uuid.UUID `json:"id"`
	positionOut
}

// tellParty returns what is new in a party as events. They have no id: whoever comes back is told anew where everybody
// is.
func tellParty(t *party.Told) ([]byte, error) {
	var text []byte
	event := func(name string, data any) error {
		body, err := json.Marshal(data)
		text = append(append(append(append(text, "event: "...), name...), "\ndata: "...), body...)
		text = append(text, "\n\n"...)
		return err
	}
	var err error
	if t.Whole || len(t.Members)+len(t.Left) > 0 {
		out := toldMembers{Party: t.Party, Whole: t.Whole, Members: make([]memberOut, len(t.Members)),
			Left: append([]uuid.UUID{}, t.Left...)}
		for i := range t.Members {
			out.Members[i] = presentMember(&t.Members[i], "")
		}
		err = event("members", out)
	}
	if len(t.Moves) > 0 {
		out := toldMoves{t.Party, make([]moveOut, len(t.Moves))}
		for i := range t.Moves {
			out.Moves[i] = moveOut{t.Moves[i].ID, presentReport(&t.Moves[i].Report)}
		}
		err = errors.Join(err, event("positions", out))
	}
	return text, err
}
