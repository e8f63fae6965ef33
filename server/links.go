package server

import (
	"errors"
	"math"
	"net/http"
	"strconv"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/fault"
)

// ReceiverPath is where the stand-in for another app shows what a link brought it.
const ReceiverPath = "/stand-in/receiver"

func (s *server) linkCalls(g *echo.Group) {
	v := s.Service
	keep(s, g, "/link-templates", maxSmall, keeper[service.LinkTemplate]{
		"link_templates", v.LinkTemplates, v.LinkTemplate, v.PutLinkTemplate, v.DeleteLinkTemplate})
	g.POST("/link-templates/preview", s.previewLinks)
	g.GET("/links", s.links)
	g.GET("/collections/:collection/features/:id/links", s.linksOf)
	g.GET("/qr", s.qr)
}

// linkQuestion reads what every call for links knows.
func linkQuestion(c *echo.Context, q *query) service.LinkQuestion {
	out := service.LinkQuestion{Intent: q.text("intent", 20), Platform: q.text("platform", 20)}
	out.From, out.FromName, out.Mode = q.point("from", false), q.text("from_name", 400), q.text("by", 20)
	switch out.Mode {
	case "", "foot", "bicycle", "car":
	default:
		q.refuse("by", out.Mode, &geo.ParseError{Reason: "is not a mode", Hint: "foot, bicycle or car"})
	}
	out.Zoom = q.numberOr("zoom", math.NaN())
	if out.Zoom < 0 || out.Zoom > 22 {
		q.refuse("zoom", "", &geo.ParseError{Reason: "is not a zoom", Hint: "from 0 to 22"})
	}
	out.UncertaintyM = math.NaN()
	out.URL = base(c) + "/places"
	return out
}

// leadsTo reads where links are to lead, of a call that is not for a stored place.
func leadsTo(q *query, out *service.LinkQuestion) {
	out.At, out.Name, out.Address = q.point("at", false), q.text("name", 2000), q.text("address", 2000)
	if u := q.length("accuracy", math.NaN()); !math.IsNaN(u) {
		out.UncertaintyM = u
	}
}

func (s *server) links(c *echo.Context) error {
	q := newQuery(c)
	question := linkQuestion(c, q)
	leadsTo(q, &question)
	if err := q.check(); err != nil {
		return err
	}
	links, err := s.Service.Links(c.Request().Context(), actor(c), question)
	if err != nil {
		return err
	}
	return sendLinks(c, links, &question)
}

func (s *server) linksOf(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	question := linkQuestion(c, q)
	question.Address = q.text("address", 2000)
	question.URL += "?place=" + id.String()
	if err := q.check(); err != nil {
		return err
	}
	links, question, err := s.Service.LinksOf(c.Request().Context(), actor(c), c.Param("collection"), id, question)
	if err != nil {
		return err
	}
	return sendLinks(c, links, &question)
}

// linkOut is an onward link as it leaves.
type linkOut struct {
	// Template is the id of the template, null for links that any app reads.
	Template  any      `json:"template"`
	App       string   `json:"app"`
	Intent    string   `json:"intent"`
	URL       string   `json:"url"`
	Default   bool     `json:"default"`
	Platforms []string `json:"platforms"`
}

func sendLinks(c *echo.Context, links []service.Link, q *service.LinkQuestion, wrong ...fault.Field) error {
	out := make([]linkOut, len(links))
	for i, l := range links {
		out[i] = linkOut{nil, l.App, l.Intent, l.URL, l.Default, l.Platforms}
		if l.ID != uuid.Nil {
			out[i].Template = l.ID
		}
		if l.Platforms == nil {
			out[i].Platforms = []string{}
		}
	}
	body := map[string]any{"links": out, "text": q.Plain()}
	if len(wrong) > 0 {
		body["wrong"] = wrong[0]
	}
	return c.JSON(http.StatusOK, body)
}

// previewLinks answers POST /v1/link-templates/preview: what a template would make, before it is saved.
func (s *server) previewLinks(c *echo.Context) error {
	q := newQuery(c)
	question := linkQuestion(c, q)
	leadsTo(q, &question)
	if err := q.check(); err != nil {
		return err
	}
	var body service.LinkTemplate
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	links, err := s.Service.PreviewLinks(c.Request().Context(), actor(c), body, question)
	var wrong *fault.Error
	switch {
	case errors.As(err, &wrong) && wrong.Kind == fault.Invalid && len(wrong.Fields) > 0:
		return sendLinks(c, nil, &question, wrong.Fields[0]) // what is half written is no failure
	case err != nil:
		return err
	}
	return sendLinks(c, links, &question)
}

const mostQR = 1200

// qr answers GET /v1/qr: a text as a QR code.
func (s *server) qr(c *echo.Context) error {
	q := newQuery(c)
	text := q.text("text", mostQR)
	if err := q.check(); err != nil {
		return err
	}
	if text == "" {
		return fault.Refuse("text", "", &geo.ParseError{Reason: "is missing",
			Hint: "up to " + strconv.Itoa(mostQR) + " bytes"})
	}
	picture, err := qrSVG(text)
	if err != nil {
		return fault.Refuse("text", text, err)
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=3600")
	return c.Blob(http.StatusOK, "image/svg+xml", []byte(picture))
}
