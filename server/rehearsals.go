package server

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/gpx"
	"viandante/core/geo"
	"viandante/core/rehearsal"
	"viandante/service"
	"viandante/service/fault"
)

const (
	gpxType  = "application/gpx+xml"
	textSeq  = "application/geo+json-seq" // RFC 8142
	eventual = "text/event-stream"
	// recordSeparator begins each text of a sequence (RFC 8142, 2.1).
	recordSeparator = 0x1e
	// fastest is how many times faster than life a stream may be.
	fastest = 60.0
)

var gpxTypes = []string{gpxType, "application/xml", "text/xml", "application/octet-stream"}

func (s *server) rehearsalCalls(g *echo.Group) {
	v := s.Service
	keep(s, g, "/rehearsals", maxFeature, keeper[service.Rehearsal]{
		"rehearsals", v.Rehearsals, v.Rehearsal, v.PutRehearsal, v.DeleteRehearsal})
	g.POST("/rehearsals", s.addRecording)
	g.GET("/rehearsals/:id/track", s.track)
	g.GET("/rehearsals/:id/stream", s.rehearse)
}

// addRecording answers POST /v1/rehearsals: a GPX track becomes a rehearsal.
func (s *server) addRecording(c *echo.Context) error {
	q := newQuery(c)
	name, by := q.text("name", 400), q.text("by", 20)
	if err := q.check(); err != nil {
		return err
	}
	if by == "" {
		by = "foot"
	}
	data, err := s.readBody(c, maxBulk, gpxTypes)
	if err != nil {
		return err
	}
	body, err := service.Recording(bytes.NewReader(data), name, by)
	if err != nil {
		return err
	}
	o, err := once(c)
	if err != nil {
		return err
	}
	out, _, err := s.Service.PutRehearsal(c.Request().Context(), actor(c), uuid.Must(uuid.NewV7()), body,
		service.Match{New: true, Once: o})
	if err != nil {
		return err
	}
	c.Response().Header().Set("Location", "/v1/rehearsals/"+out.ID.String())
	return sendVersioned(c, http.StatusCreated, out.Version, out)
}

// journey is a rehearsal with its fixes.
type journey struct {
	service.Kept[service.Rehearsal]
	fixes []rehearsal.Fix
}

func (s *server) journey(c *echo.Context) (*journey, error) {
	id, err := idInPath(c)
	if err != nil {
		return nil, err
	}
	kept, err := s.Service.Rehearsal(c.Request().Context(), actor(c), id)
	if err != nil {
		return nil, err
	}
	fixes, err := kept.Body.Fixes()
	return &journey{kept, fixes}, err
}

// begins is when a journey begins for which nobody says when: when it was made, as its id has it, so that its track is
// the same each time.
func (j *journey) begins() time.Time {
	if j.ID.Version() == 7 {
		sec, nsec := j.ID.Time().UnixTime()
		return time.Unix(sec, nsec).UTC().Truncate(time.Second)
	}
	return time.Date(2026, 1, 1, 8, 0, 0, 0, time.UTC)
}

// simulated is a fix as it leaves: a GeoJSON feature that says that it is none of a real device's.
type simulated struct {
	Type     string       `json:"type"`
	ID       int          `json:"id"`
	Geometry pointOut     `json:"geometry"`
	Fix      simulatedFix `json:"properties"`
}

type pointOut struct {
	Type        string    `json:"type"`
	Coordinates []float64 `json:"coordinates"`
}

type simulatedFix struct {
	Simulated          bool       `json:"simulated"`
	Time               string     `json:"time"`
	ElapsedS           float64    `json:"elapsed_s"`
	AccuracyM          float64    `json:"accuracy_m"`
	AltitudeM          any        `json:"altitude_m"`
	HeadingDeg         any        `json:"heading_deg"`
	SpeedMPS           float64    `json:"speed_mps"`
	CompassDeg         any        `json:"compass_deg"`
	CompassAccuracyDeg any        `json:"compass_accuracy_deg"`
	True               [2]float64 `json:"true_position"`
	AlongM             float64    `json:"along_m"`
	Astray             bool       `json:"astray"`
}

func rounded(v float64, digits int) float64 {
	scale := math.Pow10(digits)
	return math.Round(v*scale) / scale
}

func roundedOrNull(v float64, digits int) any { return defined(rounded(v, digits)) }

func presentFix(n int, f *rehearsal.Fix, at time.Time) ([]byte, error) {
	coordinates := []float64{f.Point.Lng(), f.Point.Lat()}
	if !math.IsNaN(f.AltitudeM) {
		coordinates = append(coordinates, rounded(f.AltitudeM, 1))
	}
	course := f.True.Rounded()
	return json.Marshal(simulated{"Feature", n, pointOut{"Point", coordinates}, simulatedFix{
		Simulated: true, Time: at.UTC().Format("2006-01-02T15:04:05.000Z07:00"), ElapsedS: f.AtS,
		AccuracyM: rounded(f.AccuracyM, 1), AltitudeM: roundedOrNull(f.AltitudeM, 1),
		HeadingDeg: roundedOrNull(f.HeadingDeg, 1), SpeedMPS: rounded(f.SpeedMPS, 2),
		CompassDeg: roundedOrNull(f.CompassDeg, 1), CompassAccuracyDeg: roundedOrNull(f.CompassAccuracyDeg, 1),
		True: lngLat(course), AlongM: rounded(f.AlongM, 1), Astray: f.Astray,
	}})
}

func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// accepts returns which of some media types is asked for first; the first of them where none is.
func accepts(c *echo.Context, types ...string) string {
	for part := range strings.SplitSeq(c.Request().Header.Get("Accept"), ",") {
		kind, _, err := mime.ParseMediaType(part)
		for _, t := range types {
			if err == nil && kind == t {
				return t
			}
		}
	}
	return types[0]
}

// track answers GET /v1/rehearsals/ID/track: all fixes at once, as a GeoJSON text sequence or as GPX.
func (s *server) track(c *echo.Context) error {
	q := newQuery(c)
	format, start := q.text("format", 20), q.text("start", 40)
	j, err := s.journey(c)
	if err != nil {
		return err
	}
	began := j.begins()
	if start != "" {
		if began, err = time.Parse(time.RFC3339, start); err != nil {
			q.refuse("start", start, &geo.ParseError{Reason: "is not a time", Hint: "e.g. 2026-05-01T08:00:00Z"})
		}
	}
	kind := map[string]string{"": accepts(c, textSeq, gpxType), "geojsonseq": textSeq, "gpx": gpxType}[format]
	if kind == "" {
		q.refuse("format", format, &geo.ParseError{Reason: "is not a format", Hint: "gpx or geojsonseq"})
	}
	if err := q.check(); err != nil {
		return err
	}
	if same, err := unchanged(c, j.Version); err != nil || same {
		if same {
			return c.NoContent(http.StatusNotModified)
		}
		return err
	}
	sendTrackHeader(c, kind, j.Body.Name)
	if kind == gpxType {
		return gpx.Write(c.Response(), j.Body.Name, j.segments(began)...)
	}
	for i := range j.fixes {
		text, err := presentFix(i, &j.fixes[i], began.Add(seconds(j.fixes[i].AtS)))
		if err != nil {
			return err
		}
		if _, err := c.Response().Write(sequenced(text)); err != nil {
			return nil // the reader is gone
		}
	}
	return nil
}

// plain keeps of a name what may stand in a file's.
func plain(r rune) rune {
	if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
		return '-'
	}
	return r
}

func sequenced(text []byte) []byte {
	return append(append([]byte{recordSeparator}, text...), '\n')
}

// segments are the fixes as a GPX track; each gap begins a new segment.
func (j *journey) segments(began time.Time) (out [][]gpx.Position) {
	for i := range j.fixes {
		f := &j.fixes[i]
		if i == 0 || len(j.Body.TimesS) == 0 && f.AtS-j.fixes[i-1].AtS > 10 {
			out = append(out, nil)
		}
		last := len(out) - 1
		at := began.Add(seconds(f.AtS))
		out[last] = append(out[last], gpx.Position{At: f.Point, AltitudeM: f.AltitudeM, Time: at})
	}
	return out
}

// rehearse answers GET /v1/rehearsals/ID/stream: one fix after the other as they come, as server-sent events or as a
// GeoJSON text sequence.
func (s *server) rehearse(c *echo.Context) error {
	q := newQuery(c)
	speed, first := 1.0, 0
	if text := q.text("speed", 10); text != "" {
		v, err := strconv.ParseFloat(text, 64)
		if err != nil || !(v >= 1 && v <= fastest) {
			q.refuse("speed", text, &geo.ParseError{Reason: "is not a speed", Hint: "from 1 to 60 times that of life"})
		}
		speed = v
	}
	from := q.text("from", 20)
	if err := q.check(); err != nil {
		return err
	}
	j, err := s.journey(c)
	if err != nil {
		return err
	}
	if from != "" {
		at, err := strconv.ParseFloat(from, 64)
		if err != nil || !(at >= 0) {
			return fault.Refuse("from", from, &geo.ParseError{Reason: "is not a number of seconds", Hint: "0 or more"})
		}
		for first < len(j.fixes) && j.fixes[first].AtS < at {
			first++
		}
	}
	if last := c.Request().Header.Get("Last-Event-ID"); last != "" {
		n, err := strconv.Atoi(last)
		if err != nil || n < 0 || n >= len(j.fixes) {
			return fault.Refuse("Last-Event-ID", strconv.QuoteToASCII(last), &geo.ParseError{
				Reason: "is not the id of an event of this stream", Hint: fmt.Sprintf("0 to %d", len(j.fixes)-1)})
		}
		first = n + 1
	}
	kind := accepts(c, eventual, textSeq)
	h := c.Response().Header()
	h.Set(echo.HeaderContentType, kind)
	h.Add("Vary", "Accept")
	h.Set("Cache-Control", "no-store")
	c.Response().WriteHeader(http.StatusOK)
	if c.Request().Method == http.MethodHead {
		return nil
	}
	s.metrics.streams.Inc()
	defer s.metrics.streams.Dec()
	j.play(c, s.closing.Done(), kind == eventual, first, speed)
	return nil
}

// play sends fixes at their times until they end, the reader is gone or the server closes.
func (j *journey) play(c *echo.Context, closing <-chan struct{}, events bool, first int, speed float64) {
	control := http.NewResponseController(c.Response())
	send := func(text []byte) bool {
		_ = control.SetWriteDeadline(time.Now().Add(slowReader)) // a writer without deadlines is a test's
		_, err := c.Response().Write(text)
		return err == nil && control.Flush() == nil
	}
	wait := time.NewTimer(0)
	defer wait.Stop()
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	if events && !send([]byte(": simulated\n\n")) {
		return
	}
	began := time.Now()
	for n := first; n < len(j.fixes); n++ {
		due := began.Add(seconds((j.fixes[n].AtS - j.fixes[first].AtS) / speed))
		wait.Reset(time.Until(due))
		for waiting := true; waiting; {
			select {
			case <-c.Request().Context().Done():
				return
			case <-closing:
				return
			case <-beat.C:
				if events && !send([]byte(": \n\n")) {
					return
				}
			case <-wait.C:
				waiting = false
			}
		}
		text, err := presentFix(n, &j.fixes[n], time.Now())
		if err != nil {
			return
		}
		if events {
			text = fmt.Appendf(nil, "id: %d\nevent: fix\ndata: %s\n\n", n, text)
		} else {
			text = sequenced(text)
		}
		if !send(text) {
			return
		}
	}
	if events {
		send([]byte("event: end\ndata: {}\n\n"))
	}
}
