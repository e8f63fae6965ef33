package server

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/fault"
)

func etag(version uint64) string { return `"` + strconv.FormatUint(version, 10) + `"` }

// tag is an entity tag (RFC 9110, 8.8.3). One that was never ours has version 0.
type tag struct {
	version uint64
	weak    bool
}

// tags reads a list of entity tags; any tells that it is *.
func tags(header string, c *echo.Context) (list []tag, any bool, err error) {
	text := strings.Join(c.Request().Header.Values(header), ",")
	if strings.TrimSpace(text) == "*" {
		return nil, true, nil
	}
	for rest := strings.TrimSpace(text); rest != ""; {
		var t tag
		if after, weak := strings.CutPrefix(rest, "W/"); weak {
			t.weak, rest = true, after
		}
		opaque, after, closed := "", "", false
		if strings.HasPrefix(rest, `"`) {
			opaque, after, closed = strings.Cut(rest[1:], `"`)
		}
		after = strings.TrimLeft(after, " \t")
		if !closed || after != "" && after[0] != ',' {
			return nil, false, fault.Refuse(header, strconv.QuoteToASCII(text),
				&geo.ParseError{Reason: "is not a list of entity tags", Hint: `the ETag as it came, e.g. "17", or *`})
		}
		t.version, _ = strconv.ParseUint(opaque, 10, 64) // what is none of ours matches nothing
		list = append(list, t)
		rest = strings.TrimLeft(after, ", \t")
	}
	return list, false, nil
}

// condition reads what a change comes with: If-Match, whose comparison is strong, If-None-Match, whose comparison is
// weak (RFC 9110, 13.1.1 and 13.1.2), and its key. Call it when the body is read.
func condition(c *echo.Context) (service.Match, error) {
	var m service.Match
	list, any, err := tags("If-Match", c)
	if err != nil {
		return m, err
	}
	m.Any = any
	if c.Request().Header.Get("If-Match") != "" && !any {
		m.Versions = []uint64{} // even when none of them can match
		for _, t := range list {
			if !t.weak && t.version != 0 {
				m.Versions = append(m.Versions, t.version)
			}
		}
	}
	list, m.New, err = tags("If-None-Match", c)
	for _, t := range list {
		m.Not = append(m.Not, t.version)
	}
	if err != nil {
		return m, err
	}
	m.Once, err = once(c)
	return m, err
}

// unchanged sets the entity tag of an answer, and tells whether whoever asks has it already.
func unchanged(c *echo.Context, version uint64) (bool, error) {
	h := c.Response().Header()
	h.Set("ETag", etag(version))
	h.Set("Cache-Control", "no-cache")
	list, any, err := tags("If-None-Match", c)
	if err != nil || c.Request().Method != http.MethodGet && c.Request().Method != http.MethodHead {
		return false, err
	}
	for _, t := range list {
		any = any || t.version == version && version != 0
	}
	return any, nil
}

// sendVersioned answers with something that has a version, or that it has not changed.
func sendVersioned(c *echo.Context, status int, version uint64, v any) error {
	same, err := unchanged(c, version)
	switch {
	case err != nil:
		return err
	case same:
		return c.NoContent(http.StatusNotModified)
	}
	return c.JSON(status, v)
}

func created(yes bool) int {
	if yes {
		return http.StatusCreated
	}
	return http.StatusOK
}

func idInPath(c *echo.Context) (uuid.UUID, error) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil || len(c.Param("id")) != 36 {
		return id, fault.Refuse(
			"id",
			c.Param("id"),
			&geo.ParseError{Reason: "is not an id", Hint: "a UUID, e.g. 01890a5d-ac96-774b-bcce-b302099a8057"},
		)
	}
	return id, nil
}
