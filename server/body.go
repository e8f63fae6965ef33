package server

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/codec/picture"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service"
	"viandante/service/fault"
)

// What the body of a call may have at most, in bytes.
const (
	maxSignIn  = 4 << 10
	maxSmall   = 1 << 20  // views, categories, collections …
	maxFeature = 16 << 20 // one feature or shape
	maxBulk    = 32 << 20
	// largeBodies is how many bytes of bodies of more than maxSmall are taken in at once.
	largeBodies = 64 << 20
)

const (
	// A body of any size has bodyWait, and more by its size at slowestBody bytes a second.
	bodyWait    = 10 * time.Second
	slowestBody = 64 << 10
	// answerWait is how long an answer may take to be made and read.
	answerWait = 2 * time.Minute
	// roomWait is how long a large body waits for others that are being read.
	roomWait = 5 * time.Second
)

// Media types that bodies may have. A body without a type is taken for what is expected.
var (
	jsonTypes    = []string{"application/json"}
	featureTypes = []string{geoJSONType, "application/json"}
	patchTypes   = []string{"application/merge-patch+json", geoJSONType, "application/json"}
	pictureTypes = []string{"image/png", "image/jpeg", "image/svg+xml", "application/octet-stream"}
)

// bounded gives each request a time by which its answer must be read and its body sent, so that nobody holds a
// connection for ever. Streams set their own.
func bounded(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		control := http.NewResponseController(c.Response())
		_ = control.SetWriteDeadline(time.Now().Add(answerWait)) // a writer without deadlines is a test's
		if c.Request().ContentLength != 0 {
			_ = control.SetReadDeadline(time.Now().Add(bodyWait))
		}
		return next(c)
	}
}

// refusal is an error that HTTP has a status for and the service has no word for.
func refusal(status int, detail, hint string) error {
	return &httpError{status, detail, []fault.Field{{Field: "body", Reason: detail, Hint: hint}}}
}

type httpError struct {
	status int
	detail string
	fields []fault.Field
}

func (e *httpError) Error() string   { return e.detail }
func (e *httpError) StatusCode() int { return e.status }

func tooLarge(limit int64) error {
	return refusal(
		http.StatusRequestEntityTooLarge,
		"the body is larger than this call takes",
		fmt.Sprintf("at most %d bytes", limit),
	)
}

// readBody reads the body of a request, compressed or not, up to a limit.
func (s *server) readBody(c *echo.Context, limit int64, types []string) ([]byte, error) {
	r := c.Request()
	if err := checkType(r, types); err != nil {
		return nil, err
	}
	if r.ContentLength > limit {
		return nil, tooLarge(limit)
	}
	if weight := r.ContentLength; weight < 0 || weight > maxSmall {
		if weight < 0 {
			weight = limit
		}
		if weight > maxSmall {
			room, cancel := context.WithTimeout(r.Context(), roomWait)
			defer cancel()
			if s.bodies.Acquire(room, weight) != nil {
				return nil, fault.New(fault.Unready, "too many large bodies are being read; try again in a moment")
			}
			defer s.bodies.Release(weight)
		}
	}
	control := http.NewResponseController(c.Response())
	size := max(r.ContentLength, 0)
	if r.ContentLength < 0 {
		size = limit
	}
	_ = control.SetReadDeadline(time.Now().Add(bodyWait + time.Duration(size/slowestBody)*time.Second))
	var in io.Reader = http.MaxBytesReader(c.Response(), r.Body, limit)
	switch encoding := strings.ToLower(strings.TrimSpace(r.Header.Get("Content-Encoding"))); encoding {
	case "", "identity":
	case "gzip", "x-gzip":
		unpacked, err := gzip.NewReader(in)
		if err != nil {
			return nil, brokenBody(err, limit)
		}
		in = io.LimitReader(unpacked, limit+1)
	default:
		c.Response().Header().Set("Accept-Encoding", "gzip")
		return nil, refusal(
			http.StatusUnsupportedMediaType,
			"the content encoding "+strconv.Quote(encoding)+" is not read",
			"gzip or none",
		)
	}
	data, err := io.ReadAll(in)
	if err != nil {
		return nil, brokenBody(err, limit)
	}
	if int64(len(data)) > limit {
		return nil, tooLarge(limit)
	}
	_ = control.SetReadDeadline(time.Time{})
	c.Set("digest", sha256.Sum256(data))
	return data, nil
}

// brokenBody says what went wrong with reading a body: none of it is our fault.
func brokenBody(err error, limit int64) error {
	var large *http.MaxBytesError
	var ne net.Error
	switch {
	case errors.As(err, &large):
		return tooLarge(limit)
	case errors.As(err, &ne) && ne.Timeout():
		return refusal(
			http.StatusRequestTimeout,
			"the body did not come in time",
			fmt.Sprintf("at least %d kB a second", slowestBody>>10),
		)
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum):
		return refusal(
			http.StatusBadRequest,
			"the body is not the gzip that its Content-Encoding says",
			"send it as it is, or packed whole",
		)
	}
	detail := "the body breaks off or is not chunked as HTTP has it: " + err.Error()
	return refusal(http.StatusBadRequest, detail, "send as much as Content-Length says")
}

// checkType holds the media type of a body to those that the call knows; * at an end stands for anything.
func checkType(r *http.Request, types []string) error {
	text := r.Header.Get("Content-Type")
	if text == "" {
		return nil
	}
	kind, _, err := mime.ParseMediaType(text)
	known := func(one string) bool {
		begins, open := strings.CutSuffix(one, "*")
		return kind == one || open && strings.HasPrefix(kind, begins)
	}
	if err != nil || !slices.ContainsFunc(types, known) {
		name := strconv.QuoteToASCII(text[:min(len(text), 100)])
		return refusal(
			http.StatusUnsupportedMediaType,
			"the Content-Type "+name+" is not one that this call takes",
			strings.Join(types, " or "),
		)
	}
	return nil
}

// decode reads a JSON body of one of our own types: a member that the type does not have is an error, except for those
// that come with what was read and are written back.
func (s *server) decode(c *echo.Context, limit int64, v any) error {
	return s.decodeAs(c, limit, jsonTypes, v)
}

func (s *server) decodeAs(c *echo.Context, limit int64, types []string, v any) error {
	data, err := s.readJSON(c, limit, types)
	if err != nil {
		return err
	}
	var members map[string]json.RawMessage
	if err := json.Unmarshal(data, &members); err != nil {
		return notJSON(err)
	}
	for _, known := range []string{"id", "version", "count"} {
		delete(members, known)
	}
	data, err = json.Marshal(members)
	if err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
		if name, unknown := strings.CutPrefix(err.Error(), "json: unknown field "); unknown {
			name, _ = strconv.Unquote(name)
			return fault.Refuse(
				name,
				"",
				&geo.ParseError{Reason: "is not a member of this body", Hint: "see /openapi.json"},
			)
		}
		return notJSON(err)
	}
	return nil
}

// decodeFeature reads a GeoJSON feature, which may have members of others (RFC 7946, 6.1).

func (s *server) readJSON(c *echo.Context, limit int64, types []string) ([]byte, error) {
	data, err := s.readBody(c, limit, types)
	if err == nil && !utf8.Valid(data) {
		err = fault.Refuse("body", "", &geo.ParseError{Reason: "is not valid UTF-8", Hint: "send JSON in UTF-8"})
	}
	return data, err
}

// decodeDraft reads the body as a feature from outside.
func (s *server) decodeDraft(c *echo.Context) (feature.Draft, error) {
	var f geojson.Feature
	if err := s.decodeAs(c, maxFeature, featureTypes, &f); err != nil {
		return feature.Draft{}, err
	}
	return draftOf(&f)
}

func notJSON(err error) error {
	var at *json.SyntaxError
	where := ""
	if errors.As(err, &at) {
		where = fmt.Sprintf(" at byte %d", at.Offset)
	}
	reason := "is not the JSON that is expected" + where + ": " + err.Error()
	return fault.Refuse("body", "", &geo.ParseError{Reason: reason, Hint: "see /openapi.json"})
}

func (s *server) readPicture(c *echo.Context) ([]byte, error) {
	return s.readBody(c, picture.MaxBytes, pictureTypes)
}

// once reads the key under which a request may come again. Its digest is of what is asked for: the same key with
// anything else is refused. Call it when the body is read.
func once(c *echo.Context) (service.Once, error) {
	key := c.Request().Header.Get("Idempotency-Key")
	if key == "" {
		return service.Once{}, nil
	}
	if len(key) > 200 || strings.ContainsFunc(key, func(r rune) bool { return r < 0x20 || r > 0x7e }) {
		wrong := errors.New("must be 1 to 200 characters of ASCII")
		return service.Once{}, fault.Refuse("Idempotency-Key", strconv.QuoteToASCII(key), wrong)
	}
	digest, _ := c.Get("digest").([32]byte) // of no body where there is none
	r := c.Request()
	sum := sha256.New()
	for _, part := range []string{r.Method, r.URL.Path, r.Header.Get("If-Match"), r.Header.Get(
		"If-None-Match"), string(digest[:])} {
		fmt.Fprintf(sum, "%d\x00%s", len(part), part)
	}
	return service.Once{Key: key, Digest: [32]byte(sum.Sum(nil))}, nil
}
