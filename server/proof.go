package server

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/codec/formulas"
	"viandante/codec/geojson"
	"viandante/codec/pasted"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
	"viandante/service/fault"
)

// mostCompared is how many compared lines an answer holds.
const mostCompared = 10_000

// proofPoint is a test point as JSON; positions are [lng, lat].
type proofPoint struct {
	ID         string     `json:"id"`
	Name       string     `json:"name"`
	From       [2]float64 `json:"from"`
	To         [2]float64 `json:"to"`
	DistanceM  float64    `json:"distance_m"`
	InitialDeg any        `json:"bearing_deg"`
	FinalDeg   any        `json:"final_bearing_deg"`
}

// proofPoints answers GET /v1/proof/points: test points round a standpoint.
func (s *server) proofPoints(c *echo.Context) error {
	q := newQuery(c)
	at, model := q.point("at", true), q.model()
	fan := proof.Fan{Edges: q.text("edges", 5) == "true"}
	bearings, distances := q.text("bearings", 10_000), q.text("distances", 10_000)
	format := q.text("format", 20)
	for _, text := range fields(bearings, "0,90,180,270") {
		v, err := geo.ParseAngle(text)
		if err != nil {
			q.refuse("bearings", text, err)
		}
		fan.BearingsDeg = append(fan.BearingsDeg, v)
	}
	for _, text := range fields(distances, "100m,1km,10km,100km") {
		v, err := geo.ParseLength(text)
		if err != nil {
			q.refuse("distances", text, err)
		}
		fan.DistancesM = append(fan.DistancesM, v)
	}
	if err := q.check(); err != nil {
		return err
	}
	points, err := proof.Points(model, at, fan)
	if err != nil {
		return fault.Refuse("distances", distances, err)
	}
	switch format {
	case "", "json":
		out := make([]proofPoint, len(points))
		for i, p := range points {
			out[i] = proofPoint{p.ID, p.Name, lngLat(p.From), lngLat(p.To), p.DistanceM, defined(p.InitialDeg),
				defined(p.FinalDeg)}
		}
		return c.JSON(http.StatusOK, map[string]any{"model": model, "points": out})
	case "csv":
		return c.Blob(http.StatusOK, "text/csv; charset=utf-8", pasted.CSV(points))
	}
	text, ok := formulas.Tests(format, points)
	if !ok {
		known := []string{"json", "csv"}
		for _, f := range formulas.Frameworks {
			known = append(known, f.ID)
		}
		return fault.Refuse("format", format, &geo.ParseError{Reason: "is not a format", Hint: strings.Join(known,
			", ")})
	}
	return c.Blob(http.StatusOK, "text/plain; charset=utf-8", []byte(text))
}

// fields are the parts of a list with commas, those of another one where it is empty.
func fields(list, otherwise string) (out []string) {
	if strings.TrimSpace(list) == "" {
		list = otherwise
	}
	for part := range strings.SplitSeq(list, ",") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// proofRequest is somebody's own numbers: as they were printed, or as lines.
type proofRequest struct {
	From  []float64 `json:"from"`
	Text  string    `json:"text"`
	Lines []struct {
		ID       string      `json:"id"`
		From     []float64   `json:"from"`
		To       []float64   `json:"to"`
		Distance json.Number `json:"distance"`
		Bearing  json.Number `json:"bearing"`
	} `json:"lines"`
	Points []struct {
		ID   string    `json:"id"`
		Name string    `json:"name"`
		From []float64 `json:"from"`
		To   []float64 `json:"to"`
	} `json:"points"`
	Unit    string        `json:"unit"`
	Model   string        `json:"model"`
	Columns []pasted.Role `json:"columns"`
}

// comparedLine is a line beside its reference.
type comparedLine struct {
	Line               int        `json:"line"`
	ID                 string     `json:"id"`
	From               [2]float64 `json:"from"`
	To                 [2]float64 `json:"to"`
	DistanceM          any        `json:"distance_m"`
	BearingDeg         any        `json:"bearing_deg"`
	ReferenceDistanceM float64    `json:"reference_distance_m"`
	ReferenceDeg       any        `json:"reference_bearing_deg"`
	DistanceOffM       any        `json:"distance_off_m"`
	BearingOffDeg      any        `json:"bearing_off_deg"`
	DistanceOK         bool       `json:"distance_ok"`
	BearingOK          bool       `json:"bearing_ok"`
}

type proofProblem struct {
	Line   int    `json:"line"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Hint   string `json:"hint"`
}

type proofFinding struct {
	Code        proof.Code        `json:"code"`
	Title       string            `json:"title"`
	Evidence    string            `json:"evidence"`
	Alternative bool              `json:"alternative"`
	Explained   int               `json:"explained"`
	Lines       int               `json:"lines"`
	Mends       map[string]string `json:"mends"`
}

// prove answers POST /v1/proof.
func (s *server) prove(c *echo.Context) error {
	var body proofRequest
	if err := s.decodeAs(c, maxBody, jsonTypes, &body); err != nil {
		return err
	}
	model, err := geodesy.ParseModel(body.Model)
	if err != nil {
		return fault.Refuse("model", body.Model, err)
	}
	table, err := body.table(model)
	if err != nil {
		return err
	}
	diagnosis := proof.Diagnose(model, table.Lines)
	all := make([]comparedLine, 0, min(len(table.Lines), mostCompared))
	right := 0
	var worstM, worstDeg float64
	for _, l := range table.Lines {
		r := proof.Compare(model, l)
		if r.DistanceOK && r.BearingOK {
			right++
		}
		worstM, worstDeg = nanMax(worstM, r.DistanceOffM), nanMax(worstDeg, r.BearingOffDeg)
		if len(all) < mostCompared {
			all = append(all, comparedLine{l.Number, l.ID, lngLat(l.From), lngLat(l.To), defined(l.DistanceM),
				defined(l.BearingDeg), r.Reference.DistanceM, defined(r.Reference.InitialDeg), defined(r.DistanceOffM),
				defined(r.BearingOffDeg), r.DistanceOK, r.BearingOK})
		}
	}
	findings := make([]proofFinding, len(diagnosis.Findings))
	for i, f := range diagnosis.Findings {
		title, evidence := formulas.Words(f)
		findings[i] = proofFinding{f.Code, title, evidence, f.Alternative, f.Explained, f.Lines, map[string]string{}}
		for _, l := range formulas.Languages {
			findings[i].Mends[l.ID] = formulas.Mend(f, l.ID)
		}
	}
	problems := make([]proofProblem, len(table.Problems))
	for i, p := range table.Problems {
		problems[i] = proofProblem(p)
	}
	return c.JSON(http.StatusOK, map[string]any{"model": model, "columns": table.Columns, "titles": table.Titles,
		"compared": len(table.Lines), "refused": table.Refused, "problems": problems, "correct": right,
		"sampled": diagnosis.Sampled, "right": diagnosis.Right && right == len(table.Lines),
		"worst_distance_off_m": worstM, "worst_bearing_off_deg": worstDeg, "findings": findings, "lines": all,
		"truncated": len(table.Lines) > len(all)})
}

func nanMax(most, v float64) float64 {
	if v = math.Abs(v); v > most {
		return v
	}
	return most
}

// table reads what was sent.
func (r *proofRequest) table(model geodesy.Model) (*pasted.Table, error) {
	unitM := 1.0
	if r.Unit != "" {
		v, err := geo.ParseLength("1" + r.Unit)
		if err != nil {
			return nil, fault.Refuse("unit", r.Unit, &geo.ParseError{Reason: "is not a unit",
				Hint: "m, km, mi, nmi, ft, yd"})
		}
		unitM = v
	}
	paste := pasted.Paste{Text: r.Text, UnitM: unitM, Columns: r.Columns}
	if r.From != nil {
		p, err := geo.FromLngLat(r.From)
		if err != nil {
			return nil, fault.Refuse("from", fmt.Sprint(r.From), err)
		}
		paste.From = p
	}
	if len(r.Points) > proof.MostPoints*2 {
		return nil, fault.Refuse("points", strconv.Itoa(len(r.Points)), &geo.ParseError{Reason: "are too many"})
	}
	for i, p := range r.Points {
		from, err := geo.FromLngLat(p.From)
		if err != nil {
			return nil, fault.Refuse(fmt.Sprintf("points[%d].from", i), fmt.Sprint(p.From), err)
		}
		to, err := geo.FromLngLat(p.To)
		if err != nil {
			return nil, fault.Refuse(fmt.Sprintf("points[%d].to", i), fmt.Sprint(p.To), err)
		}
		paste.Points = append(paste.Points, proof.NewPoint(model, p.ID, p.Name, from, to))
	}
	for _, role := range r.Columns {
		if !slices.Contains(pasted.Roles, role) {
			return nil, fault.Refuse("columns", string(role), &geo.ParseError{Reason: "is not a role of a column",
				Hint: fmt.Sprint(pasted.Roles)})
		}
	}
	if len(r.Lines) == 0 {
		table, err := pasted.Read(paste)
		if err != nil {
			return nil, fault.Refuse("text", "", err)
		}
		return table, nil
	}
	return r.written(paste, unitM)
}

// written makes a table of lines that came as JSON.
func (r *proofRequest) written(paste pasted.Paste, unitM float64) (*pasted.Table, error) {
	if len(r.Lines) > pasted.MostLines {
		return nil, fault.Refuse("lines", strconv.Itoa(len(r.Lines)), &geo.ParseError{Reason: "are too many",
			Hint: "at most 100000"})
	}
	table := &pasted.Table{Titles: []string{}, Columns: []pasted.Role{}}
	byID := make(map[string]*proof.Point, len(paste.Points))
	for i := range paste.Points {
		byID[paste.Points[i].ID] = &paste.Points[i]
	}
	for i, in := range r.Lines {
		l := proof.Line{Number: i + 1, ID: in.ID, From: paste.From}
		if p, known := byID[in.ID]; known && in.ID != "" {
			l.From, l.To = p.From, p.To
		}
		for _, end := range []struct {
			name string
			at   []float64
			into *geo.Point
		}{{"from", in.From, &l.From}, {"to", in.To, &l.To}} {
			if end.at == nil {
				continue
			}
			p, err := geo.FromLngLat(end.at)
			if err != nil {
				return nil, fault.Refuse(fmt.Sprintf("lines[%d].%s", i, end.name), fmt.Sprint(end.at), err)
			}
			*end.into = p
		}
		if !l.From.IsValid() || !l.To.IsValid() {
			return nil, fault.Refuse(fmt.Sprintf("lines[%d]", i), in.ID, &geo.ParseError{
				Reason: "has no two positions", Hint: "from and to as [lng, lat], or the id of one of points"})
		}
		l.DistanceM, l.DistanceStepM = printedNumber(in.Distance)
		l.DistanceM, l.DistanceStepM = l.DistanceM*unitM, l.DistanceStepM*unitM
		l.BearingDeg, l.BearingStepDeg = printedNumber(in.Bearing)
		table.Lines = append(table.Lines, l)
	}
	return table, nil
}

// printedNumber is a number and what its last digit is worth; NaN for none.
func printedNumber(n json.Number) (v, step float64) {
	v, err := n.Float64()
	if n == "" || err != nil {
		return math.NaN(), 0
	}
	_, decimals, _ := strings.Cut(n.String(), ".")
	return v, math.Pow(10, -float64(min(len(decimals), 15)))
}

// proofSteps answers GET /v1/proof/steps: a formula with the numbers in it.
func (s *server) proofSteps(c *echo.Context) error {
	q := newQuery(c)
	from, to, formula := q.point("from", true), q.point("to", true), q.text("formula", 40)
	if formula == "" {
		formula = "haversine"
	}
	if err := q.check(); err != nil {
		return err
	}
	steps, ok := proof.Follow(formula, from, to)
	if !ok {
		known := make([]string, len(proof.FormulasToFollow))
		for i, f := range proof.FormulasToFollow {
			known[i] = f.ID
		}
		return fault.Refuse("formula", formula, &geo.ParseError{Reason: "is not one that can be followed",
			Hint: strings.Join(known, ", ")})
	}
	type step struct {
		Symbol     string `json:"symbol"`
		Title      string `json:"title"`
		Expression string `json:"expression"`
		Value      any    `json:"value"`
		Unit       string `json:"unit"`
		Degrees    any    `json:"degrees"`
	}
	out := make([]step, len(steps))
	for i, one := range steps {
		out[i] = step{one.Symbol, one.Title, one.Expression, defined(one.Value), one.Unit, nil}
		if one.Unit == "rad" {
			out[i].Degrees = defined(one.Value * 180 / math.Pi)
		}
	}
	return c.JSON(http.StatusOK, map[string]any{"formula": formula, "from": geojson.Point(from),
		"to":    geojson.Point(to),
		"steps": out})
}

// proofFormulas answers GET /v1/proof/formulas: tested formulas in eight languages and as cells of a spreadsheet.
func (s *server) proofFormulas(c *echo.Context) error {
	q := newQuery(c)
	if err := q.check(); err != nil {
		return err
	}
	type written struct {
		ID     string            `json:"id"`
		Title  string            `json:"title"`
		Method string            `json:"method"`
		Error  string            `json:"stated_error"`
		Code   map[string]string `json:"code"`
	}
	type named struct {
		ID    string `json:"id"`
		Title string `json:"title"`
	}
	var out []written
	for _, f := range formulas.Formulas {
		w := written{f.ID, f.Title, f.Method, f.Error, map[string]string{}}
		for _, l := range formulas.Languages {
			if text, ok := formulas.Code(f.ID, l.ID); ok {
				w.Code[l.ID] = text
			}
		}
		out = append(out, w)
	}
	var languages, frameworks, follow []named
	for _, l := range formulas.Languages {
		languages = append(languages, named{l.ID, l.Title})
	}
	for _, f := range formulas.Frameworks {
		frameworks = append(frameworks, named{f.ID, f.Title})
	}
	for _, f := range proof.FormulasToFollow {
		follow = append(follow, named{f.ID, f.Title})
	}
	return c.JSON(http.StatusOK, map[string]any{"formulas": out, "languages": languages, "frameworks": frameworks,
		"follow": follow})
}
