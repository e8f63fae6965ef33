package server

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/catalog"
)

const (
	maxOffset = 100_000_000
	maxIDs    = 500
)

// list answers GET /v1/features: any part of a list of features that is searched, filtered and sorted.
func (s *server) list(c *echo.Context) error {
	q := newQuery(c)
	ask := catalog.List{
		Text:        q.text("q", 1000),
		Collections: q.list("collection", 100),
		Categories:  q.list("category", 200),
		Kinds: q.list(
			"kind",
			3,
		),
		Limit:  q.limit(),
		Where:  q.where(),
		Box:    q.box(),
		Offset: q.offset(),
		IDs:    q.ids("id", maxIDs),
	}
	ask.Sort = q.text("sort", 101)
	if name, descending := strings.CutPrefix(ask.Sort, "-"); descending {
		ask.Sort, ask.Descending = name, true
	}
	if ask.Sort == "" {
		ask.Sort = feature.PropName
	}
	if text := q.text("placed", 5); text != "" {
		placed := text == "true"
		if !placed && text != "false" {
			q.refuse("placed", text, &geo.ParseError{Reason: "is neither true nor false",
				Hint: "placed=false for those whose position is not known"})
		}
		ask.Placed = &placed
	}
	if err := q.check(); err != nil {
		return err
	}
	found, total, err := s.Service.Rows(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	a := newListing(len(found))
	for _, r := range found {
		a.row(r, func(dst []byte) []byte { return appendMember(dst, feature.PropCollection, r.Collection()) })
	}
	return a.send(c, fmt.Sprintf(`"truncated":%t,"numberReturned":%d,"numberMatched":%d`,
		ask.Offset+len(found) < total, len(found), total))
}
