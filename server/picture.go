package server

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/chart"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/service"
	"viandante/service/access"
	"viandante/service/fault"
)

const picturePath = "/v1/picture.png"

func (s *server) publishCalls(v1 *echo.Group) {
	v1.GET("/picture.png", s.mapPicture)
	v1.POST("/picture-link", s.pictureLink)
	v1.GET("/published", s.published)
}

// sceneOf reads what is to be seen.
func sceneOf(q *query) service.SceneQuery {
	out := service.SceneQuery{Collections: q.list("collection", 50), Features: q.ids("feature", 200),
		Address: q.text("address", 1000)}
	for _, text := range q.list("mark", 200) {
		out.Marks = append(out.Marks, pointOf(q, "mark", text))
	}
	by := q.text("by", 40)
	if by == "" {
		by = region.Foot.String()
	}
	out.By = by
	if text := q.text("route", 4000); text != "" {
		for _, one := range strings.Split(text, ";") {
			out.Stops = append(out.Stops, pointOf(q, "route", one))
		}
		if n := len(out.Stops); n < 2 || n > 52 {
			q.refuse("route", text, &geo.ParseError{Reason: "is not a way of 2 to 52 stops", Hint: "lat,lng;lat,lng"})
		}
	}
	return out
}

func pointOf(q *query, name, text string) geo.Point {
	p, err := geo.ParsePoint(text)
	if err != nil {
		q.refuse(name, text, err)
	}
	return p
}

// ringOf reads a ring: its middle, where it begins, where it ends, e.g. -38.1,-26.1;200m;1500m; two are enough.
func ringOf(q *query, text string) chart.Ring {
	parts := strings.Split(text, ";")
	if len(parts) < 2 || len(parts) > 3 {
		q.refuse("ring", text, &geo.ParseError{Reason: "is not a ring", Hint: "lat,lng;1500m or lat,lng;200m;1500m"})
		return chart.Ring{}
	}
	out := chart.Ring{Center: pointOf(q, "ring", parts[0])}
	var lengths []float64
	for _, part := range parts[1:] {
		v, err := geo.ParseLength(part)
		if err != nil {
			q.refuse("ring", part, err)
		}
		lengths = append(lengths, v)
	}
	out.WithinM = lengths[len(lengths)-1]
	if len(lengths) == 2 {
		out.BeyondM = lengths[0]
	}
	if !(out.WithinM > out.BeyondM) || out.WithinM > feature.MaxRadiusM {
		q.refuse("ring", text, &geo.ParseError{Reason: "ends before it begins, or is too large",
			Hint: "the second length is the longer one"})
	}
	return out
}

// choice reads a parameter that has a value of its own where it is left out.
func (q *query) choice(name, otherwise string) string {
	if v := q.text(name, 40); v != "" {
		return v
	}
	return otherwise
}

func pictureQuery(q *query) service.PictureQuery {
	out := service.PictureQuery{SceneQuery: sceneOf(q), Center: q.point("center", false), Zoom: q.numberOr("zoom", 14),
		Width: q.numberOr("width", 600), Height: q.numberOr("height", 400), Ratio: q.numberOr("ratio", 1),
		Look: chart.Look{Manner: q.choice("ground", "plain"), Time: "day", Lettering: q.choice("lettering",
			"plain")},
		WayStyle: q.choice("line", "band"), Credit: q.choice("attribution", "yes") != "no"}
	if night := q.choice("night", "no"); night != "no" && night != "0" {
		out.Look.Time = "night"
	}
	for _, text := range q.list("ring", 20) {
		out.Rings = append(out.Rings, ringOf(q, text))
	}
	switch fit := q.text("fit", 200); {
	case fit == "", fit == "all":
	case out.Center.IsValid():
		q.refuse("fit", fit, errors.New("and center exclude each other"))
	default:
		box, err := geo.ParseBox(fit)
		if err != nil {
			q.refuse("fit", fit, err)
		}
		out.Box = &box
	}
	for _, name := range []string{"token", "expires", "signature"} { // those of a signed link
		q.text(name, 200)
	}
	return out
}

// mapPicture answers GET /v1/picture.png.
func (s *server) mapPicture(c *echo.Context) error {
	q := newQuery(c)
	want := pictureQuery(q)
	if err := q.check(); err != nil {
		return err
	}
	signed := q.values.Get("signature") != ""
	values := url.Values{}
	for name, v := range q.values {
		if name != "token" && name != "expires" && name != "signature" {
			values[name] = v
		}
	}
	drawn, err := s.Service.Draw(c.Request().Context(), actor(c), want, values.Encode())
	if err != nil {
		return err
	}
	h := c.Response().Header()
	tag := `"` + drawn.Tag + `"`
	h.Set("ETag", tag)
	h.Set("Cache-Control", "private, max-age=60")
	if signed {
		h.Set("Cache-Control", "public, max-age=300")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin") // it is there to stand in pages of others
	}
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	return c.Blob(http.StatusOK, "image/png", drawn.PNG)
}

// signatureOf signs what a link asks for; who changes any of it has no signature for it.
func signatureOf(key []byte, values url.Values) string {
	signed := url.Values{}
	for name, v := range values {
		if name != "signature" {
			signed[name] = v
		}
	}
	mac := hmac.New(sha256.New, key)
	mac.Write([]byte(picturePath + "?" + signed.Encode()))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

// pictureLink answers POST /v1/picture-link: an address of a picture that anybody may open, on behalf of a token.
func (s *server) pictureLink(c *echo.Context) error {
	var body struct {
		Query     string     `json:"query"`
		Token     uuid.UUID  `json:"token"`
		ExpiresAt *time.Time `json:"expires_at"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	values, err := url.ParseQuery(strings.TrimPrefix(body.Query, "?"))
	if err != nil || len(body.Query) > 8000 {
		return fault.Refuse("query", body.Query, &geo.ParseError{Reason: "is not the query of a picture",
			Hint: "what stands behind the ? of /v1/picture.png"})
	}
	for _, name := range []string{"token", "expires", "signature"} {
		values.Del(name)
	}
	q := &query{values: values}
	want := pictureQuery(q)
	if err := q.check(); err != nil {
		return err
	}
	if err := want.Check(); err != nil {
		return err
	}
	a := actor(c)
	id := body.Token
	if id == uuid.Nil {
		id = a.Token
	}
	cred, err := s.Gate.Public(c.Request().Context(), id)
	if err != nil || cred.Workspace != a.Workspace || id != a.Token && a.Needs(access.Admin) != nil {
		return fault.Refuse("token", id.String(), &geo.ParseError{Reason: "is not a token that is good, and yours to " +
			"use",
			Hint: "the id of one, best one for publishing: what it may not see is not on the picture"})
	}
	values.Set("token", id.String())
	if body.ExpiresAt != nil {
		values.Set("expires", strconv.FormatInt(body.ExpiresAt.Unix(), 10))
	}
	values.Set("signature", signatureOf(cred.Signing, values))
	return c.JSON(http.StatusOK, map[string]any{"url": base(c) + picturePath + "?" + values.Encode()})
}

// bySignature returns the credential on behalf of which a link was signed; ok is false for a request that is no such
// link.
func (s *server) bySignature(c *echo.Context) (cred access.Credential, ok bool, err error) {
	r := c.Request()
	if r.URL.Path != picturePath || r.Method != http.MethodGet && r.Method != http.MethodHead {
		return cred, false, nil
	}
	values := r.URL.Query()
	signature := values.Get("signature")
	if signature == "" {
		return cred, false, nil
	}
	bad := fault.New(fault.Unauthorized, "this link was changed, or its token was revoked: have it signed anew")
	id, err := uuid.Parse(values.Get("token"))
	if err != nil {
		return cred, true, bad
	}
	if cred, err = s.Gate.Public(r.Context(), id); err != nil {
		if fault.Is(err, fault.Unauthorized) {
			err = bad
		}
		return cred, true, err
	}
	if !hmac.Equal([]byte(signature), []byte(signatureOf(cred.Signing, values))) {
		return cred, true, bad
	}
	if text := values.Get("expires"); text != "" {
		until, err := strconv.ParseInt(text, 10, 64)
		if err != nil || s.Now().Unix() >= until {
			return cred, true, fault.New(fault.Unauthorized, "this link has ended: have it signed anew")
		}
	}
	return cred, true, nil
}

// published answers GET /v1/published: what an embed shows, in one answer.
func (s *server) published(c *echo.Context) error {
	q := newQuery(c)
	want := sceneOf(q)
	if err := q.check(); err != nil {
		return err
	}
	scene, err := s.Service.Scene(c.Request().Context(), actor(c), want)
	if err != nil {
		return err
	}
	features := []map[string]any{}
	for _, f := range scene.Features {
		features = append(features, publishedFeature(f, scene.Chosen[f.ID]))
	}
	categories := []map[string]any{}
	for _, k := range scene.Categories {
		categories = append(categories, map[string]any{"id": k.ID, "name": k.Name, "glyph": k.Glyph,
			"colour": k.Colour})
	}
	regions, _, version, err := s.Service.Regions(actor(c))
	if err != nil {
		return err
	}
	boxes := [][4]float64{}
	for _, r := range regions {
		boxes = append(boxes, r.BBox)
	}
	out := map[string]any{"features": features, "categories": categories, "truncated": scene.Truncated,
		"ground":      version,
		"attribution": s.Service.Credits(), "regions": boxes, "found": nil, "route": nil}
	if f := scene.Found; f != nil {
		out["found"] = map[string]any{"label": f.Label, "at": f.At.String(), "kind": f.Kind, "confidence": f.Confidence}
	}
	if scene.Way != nil {
		english, _ := road.LanguageOf("en")
		out["route"] = presentWay(scene.Way, 0, wording{language: english})
	}
	return c.JSON(http.StatusOK, out)
}

// publishedFeature is a feature as everybody may see it: with what describes it, and nothing else of its attributes.
func publishedFeature(f *feature.Feature, chosen bool) map[string]any {
	props := map[string]any{"name": f.Name, "category": f.Category, "chosen": chosen}
	for _, name := range []string{"description", "website"} {
		if v := f.Attributes.Get(name); v.Type == feature.Text {
			props[name] = v.Text
		}
	}
	if f.Geometry.Form() == feature.Circle {
		props[feature.PropRadius] = f.Geometry.RadiusM()
	}
	return map[string]any{"type": "Feature", "id": f.ID, "geometry": geojson.GeometryOf(f.Geometry),
		"properties": props}
}
