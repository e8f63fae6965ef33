package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gopkg.in/yaml.v3"

	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/tile"
)

// sweep asks the built program many things, two at a time, and counts what is wrong.
type sweep struct {
	t     *testing.T
	p     *program
	token string
	http  http.Client
	mu    sync.Mutex
	asked map[string]int
	wrong map[string][]string
	slow  []timed
}

type timed struct {
	took time.Duration
	what string
}

func newSweep(t *testing.T, p *program) *sweep {
	t.Helper()
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(t, err)
	return &sweep{t: t, p: p, token: strings.TrimSpace(string(token)), http: http.Client{Timeout: patience},
		asked: map[string]int{}, wrong: map[string][]string{}}
}

// all runs f for the numbers below n, two at a time, and tells how long all of it took.
func (s *sweep) all(what string, n int, f func(i int) error) {
	s.t.Helper()
	began := time.Now()
	var next atomic.Int64
	var group sync.WaitGroup
	for range 2 {
		group.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				if err := f(i); err != nil {
					s.mu.Lock()
					s.wrong[what] = append(s.wrong[what], err.Error())
					s.mu.Unlock()
				}
			}
		})
	}
	group.Wait()
	s.asked[what] = n
	wrong := s.wrong[what]
	s.t.Logf("%-28s %6d asked, %4d wrong, %.1f s", what, n, len(wrong), time.Since(began).Seconds())
	for _, w := range wrong[:min(5, len(wrong))] {
		s.t.Log("      " + w)
	}
}

// get asks for GeoJSON, or anything; a fault of the server's is an error.
func (s *sweep) get(path string, into any) (int, error) {
	req, err := http.NewRequest("GET", s.p.url()+path, nil)
	if err != nil {
		return 0, err
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	resp, err := s.http.Do(req)
	if err != nil {
		return 0, fmt.Errorf("%s: %w", path, err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode >= 500 {
		return resp.StatusCode, fmt.Errorf("%s: %d %v %.200s", path, resp.StatusCode, err, data)
	}
	if into != nil && resp.StatusCode == 200 {
		err = json.Unmarshal(data, into)
	}
	return resp.StatusCode, err
}

// region reads one of the program's region files into memory, to know what to ask for.
func (p *program) region(hash string) *region.Region {
	p.t.Helper()
	data, err := os.ReadFile(filepath.Join(p.data, "regions", hash+".region"))
	require.NoError(p.t, err)
	r, err := region.Open(data)
	require.NoError(p.t, err)
	return r
}

type finds struct {
	Features []struct {
		Properties struct {
			Label, Locality string
			DistanceM       float64 `json:"distance_m"`
			Inside          bool
		}
		Geometry struct{ Coordinates [2]float64 }
	}
}

// ways are answers of which only the properties are read.
type ways struct {
	Features []struct {
		Properties struct {
			DistanceM float64 `json:"distance_m"`
		}
	}
}

// batch looks many addresses up at once.
func (s *sweep) batch(queries []string) (lines []finds, err error) {
	body, err := json.Marshal(map[string]any{"queries": queries})
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequest("POST", s.p.url()+"/v1/geocode/batch", bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := s.http.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	for d := json.NewDecoder(resp.Body); ; {
		var line finds
		if err := d.Decode(&line); err != nil {
			if len(lines) == len(queries) {
				return lines, nil
			}
			return lines, fmt.Errorf("%d of %d lines, then %w", len(lines), len(queries), err)
		}
		lines = append(lines, line)
	}
}

func at(p geo.Point) string { return fmt.Sprintf("%v,%v", p.Lat(), p.Lng()) }

// The built program, over its mapped region, answers for all of its own map.
func TestTheProgramKnowsItsOwnMap(t *testing.T) {
	p := newProgram(t)
	p.start()
	s := newSweep(t, p)
	files, err := filepath.Glob(filepath.Join(p.data, "regions", "*.region"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	r := p.region(strings.TrimSuffix(filepath.Base(files[0]), ".region"))
	place := func(settlement uint32) string {
		if settlement == region.NoSettlement {
			return ""
		}
		return r.Settlement(settlement).Name
	}
	labelOf := func(i int) string {
		a := r.Address(uint32(i))
		st := r.Street(a.Street)
		return strings.TrimSuffix(st.Name+" "+a.Number+", "+strings.TrimSpace(a.Postcode+" "+place(st.Settlement)),
			", ")
	}
	const together = 5000
	s.all("addresses, in batches", (r.Addresses()+together-1)/together, func(k int) error {
		from, to := k*together, min((k+1)*together, r.Addresses())
		var labels []string
		for i := from; i < to; i++ {
			labels = append(labels, labelOf(i))
		}
		lines, err := s.batch(labels)
		if err != nil {
			return err
		}
		for i := from; i < to; i++ {
			at := r.Address(uint32(i)).At
			f := lines[i-from].Features
			if len(f) == 0 || f[0].Properties.Label != labels[i-from] ||
				f[0].Geometry.Coordinates != [2]float64{at.Lng(),
					at.Lat()} {
				return fmt.Errorf("%s: %+v", labels[i-from], f)
			}
		}
		return nil
	})
	s.all("back from each address", r.Addresses(), func(i int) error {
		a := r.Address(uint32(i))
		var back finds
		if _, err := s.get("/v1/geocode/reverse?limit=1&at="+at(a.At), &back); err != nil {
			return err
		}
		if len(back.Features) != 1 || back.Features[0].Properties.Label != labelOf(i) ||
			!back.Features[0].Properties.Inside {
			return fmt.Errorf("back from %s: %+v", labelOf(i), back.Features)
		}
		return nil
	})
	s.all("streets", r.Streets(), func(i int) error {
		st := r.Street(uint32(i))
		label := strings.TrimSuffix(st.Name+", "+place(st.Settlement), ", ")
		var got finds
		if _, err := s.get("/v1/geocode?limit=5&q="+url.QueryEscape(label), &got); err != nil {
			return err
		}
		for _, f := range got.Features {
			if strings.HasPrefix(f.Properties.Label, st.Name) && f.Properties.Locality == place(st.Settlement) {
				return nil
			}
		}
		return fmt.Errorf("%s: %+v", label, got.Features)
	})
	s.all("landmarks", r.Landmarks(), func(i int) error {
		name := r.Landmark(uint32(i)).Name
		if name == "" {
			return nil
		}
		var got finds
		if _, err := s.get("/v1/geocode?limit=50&q="+url.QueryEscape(name), &got); err != nil {
			return err
		}
		for _, f := range got.Features {
			if f.Properties.Label == name || strings.HasPrefix(f.Properties.Label, name+", ") {
				return nil
			}
		}
		return fmt.Errorf("%s: %+v", name, got.Features)
	})
	s.tiles(r)
	s.routes(r, 1000)
	for what, wrong := range s.wrong {
		assert.Empty(t, wrong, what)
	}
}

// tiles asks for a tile of each kind wherever something lies: all of the lower zooms, some hundred of each of the
// others.
func (s *sweep) tiles(r *region.Region) {
	var regions struct{ Version string }
	_, err := s.get("/v1/regions", &regions)
	require.NoError(s.t, err)
	rnd := rand.New(rand.NewPCG(2, 2))
	var paths []string
	for z := range 20 {
		nw, err := geo.NewPoint(r.Meta.Bounds.North, r.Meta.Bounds.West)
		require.NoError(s.t, err)
		se, err := geo.NewPoint(r.Meta.Bounds.South, r.Meta.Bounds.East)
		require.NoError(s.t, err)
		a, b := tile.At(nw, z), tile.At(se, z)
		all := (b.X - a.X + 1) * (b.Y - a.Y + 1)
		for n := range min(all, 150) {
			if all > 150 {
				n = rnd.IntN(all)
			}
			path := fmt.Sprintf("/v1/tiles/%s/%d/%d/%d", regions.Version, z, a.X+n%(b.X-a.X+1), a.Y+n/(b.X-a.X+1))
			paths = append(paths, path, path+"/heights")
		}
	}
	s.all("tiles", len(paths), func(i int) error {
		status, err := s.get(paths[i], nil)
		if err == nil && status != 200 && status != 204 {
			err = fmt.Errorf("%s: %d", paths[i], status)
		}
		return err
	})
}

// routes asks for ways between addresses, by each mode.
func (s *sweep) routes(r *region.Region, n int) {
	rnd := rand.New(rand.NewPCG(3, 3))
	type pair struct{ from, to geo.Point }
	pairs := make([]pair, n)
	for i := range pairs {
		pairs[i] = pair{r.Address(uint32(rnd.IntN(r.Addresses()))).At, r.Address(uint32(rnd.IntN(r.Addresses()))).At}
	}
	for _, mode := range []string{"car", "bicycle", "foot"} {
		s.all("routes by "+mode, n, func(i int) error {
			var got ways
			status, err := s.get("/v1/route?by="+mode+"&from="+at(pairs[i].from)+"&to="+at(pairs[i].to), &got)
			if err != nil {
				return err
			}
			if status != 200 || len(got.Features) == 0 ||
				!(got.Features[0].Properties.DistanceM > 0 || pairs[i].from == pairs[i].to) {
				return fmt.Errorf("%v to %v: %d", pairs[i].from, pairs[i].to, status)
			}
			return nil
		})
	}
}

// Real map data, of the module that reads it in the tests of codec/osm: the program builds it, and knows its streets
// and the ways between them.
func TestTheProgramKnowsRealMaps(t *testing.T) {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/paulmach/osm").Output()
	require.NoError(t, err)
	p := newProgram(t)
	p.start()
	s := newSweep(t, p)
	files, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(out)), "testdata", "*-latest.osm.*"))
	require.NoError(t, err)
	require.Len(t, files, 2)
	for i, file := range files {
		name := fmt.Sprint("Extract ", i+1)
		said, err := p.run(nil, "region", "build", file, "--name", name)
		require.NoError(t, err, said)
		var hash string
		p.eventually("it is in use", func() bool {
			var got struct{ Regions []struct{ Name, Hash string } }
			p.get("/v1/regions", &got)
			for _, r := range got.Regions {
				if r.Name == name {
					hash = r.Hash
				}
			}
			return hash != ""
		})
		r := p.region(hash)
		step := max(1, r.Streets()/600)
		s.all(name+": streets", r.Streets()/step, func(i int) error {
			st := r.Street(uint32(i * step))
			query := st.Name
			if st.Settlement != region.NoSettlement {
				query += ", " + r.Settlement(st.Settlement).Name
			}
			var got finds
			if _, err := s.get("/v1/geocode?limit=50&q="+url.QueryEscape(query), &got); err != nil {
				return err
			}
			for _, f := range got.Features {
				if strings.HasPrefix(f.Properties.Label, st.Name) {
					return nil
				}
			}
			return fmt.Errorf("street %d of %s is not among the %d finds", i*step, name, len(got.Features))
		})
		rnd := rand.New(rand.NewPCG(4, uint64(i)))
		junction := func() geo.Point { return r.Junction(uint32(rnd.IntN(r.Junctions()))).Point() }
		pairs := make([][2]geo.Point, 120)
		for k := range pairs {
			pairs[k] = [2]geo.Point{junction(), junction()}
		}
		found := atomic.Int64{}
		s.all(name+": routes", 3*len(pairs), func(k int) error {
			mode := []string{"car", "bicycle", "foot"}[k%3]
			status, err := s.get("/v1/route?by="+mode+"&from="+at(pairs[k/3][0])+"&to="+at(pairs[k/3][1]), nil)
			if status == 200 {
				found.Add(1)
			} else if err == nil && status != 422 { // there may be none, on an island or behind a gate
				err = fmt.Errorf("%d", status)
			}
			return err
		})
		assert.Greater(t, found.Load(), int64(2*len(pairs)), "most can be reached")
	}
	for what, wrong := range s.wrong {
		// A street whose name holds nothing that a word begins with cannot be asked for by it.
		assert.LessOrEqual(t, len(wrong), s.asked[what]/200, what)
	}
}

// nasty are values that were not meant, for any parameter or member of a body.
var nasty = []string{
	"",
	" ",
	"0",
	"-1",
	"1e999",
	"NaN",
	"Infinity",
	"null",
	"true",
	"[]",
	"{}",
	"9999999999999999999999",
	"-0.0000001",
	"0x10",
	"1,2,3",
	"91,181",
	"-38.1,-26.1",
	"-26.1",
	"%00",
	"\x00",
	"\xff\xfe",
	"'; DROP TABLE features; --",
	"<script>alert(1)</script>",
	"../../etc/passwd",
	"{{7*7}}",
	"${jndi:x}",
	"\u202etxt.exe",
	"ℵ⃗⃗⃗",
	strings.Repeat("A", 70_000),
	strings.Repeat("9", 400),
	strings.Repeat("word ", 190),
	"00000000-0000-0000-0000-000000000000",
	"ffffffff-ffff-ffff-ffff-ffffffffffff",
	"*",
	`"1"`,
	"-180,-90,180,90",
	"180,90,-180,-90",
	"car",
	"5km",
	"-5km",
	"1e308m",
}

// nastyJSON are bodies and members of bodies.
var nastyJSON = []string{
	``,
	`null`,
	`[]`,
	`{}`,
	`"x"`,
	`0`,
	`-1`,
	`1e400`,
	`true`,
	`[[[[[]]]]]`,
	`{"type":"Feature"}`,
	`{"type":"Feature","geometry":{"type":"Point","coordinates":[null,1]},"properties":null}`,
	`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[1,1],[0,1],[1,0],[0,0]]]},` +
		`"properties":{"a":null}}`,
	`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[]]},"properties":{}}`,
	`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[]},"properties":{}}`,
	`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,10],[179.9999999,10],[90,0],[0,10]]]},` +
		`"properties":{}}`,
	`{"type":"Feature","geometry":{"type":"LineString","coordinates":[[0,90],[180,-90]]},"properties":{"radius_m":-1}}`,
	`{"type":"Feature","geometry":{"type":"GeometryCollection","geometries":[]},"properties":{}}`,
	`{"type":"Feature","geometry":null,"properties":{"name":{"a":[1,2,{"b":"\u0000"}]}}}`,
	`{"a":1,"a":2}`,
	`{"changes":[{}]}`,
	`{"changes":[{"id":"x"}]}`,
	`{"name":"x","center":[1,2],"zoom":"high"}`,
	`{"title":"x","attributes":[{}]}`,
	strings.Repeat(`{"a":`, 20_000) + `1` + strings.Repeat(`}`, 20_000),
	strings.Repeat("[", 100_000),
	"\xef\xbb\xbf{}",
	`{"name":"` + strings.Repeat("x", 2_000_000) + `"}`,
	"{\"name\":\"\xff\"}",
}

// Everything that the document names is asked with what nobody meant: no fault of the server's, and every error says in
// a problem document what is wrong.
func TestHostileRequests(t *testing.T) {
	p := newProgram(t)
	p.start()
	s := newSweep(t, p)
	resp, err := http.Get(p.url() + "/openapi.json")
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	var doc struct {
		Paths      map[string]map[string]yaml.Node
		Components struct {
			Parameters map[string]struct{ Name, In, Example string }
		}
	}
	require.NoError(t, yaml.Unmarshal(text, &doc))
	type request struct {
		method, path, body string
		header             http.Header
	}
	var all []request
	for path, item := range doc.Paths {
		for method, node := range item {
			if method == "parameters" || path == "/session" && method == "delete" {
				continue
			}
			var op struct {
				Parameters []struct {
					Ref      string `yaml:"$ref"`
					Name, In string
					Example  string
				}
			}
			require.NoError(t, node.Decode(&op))
			var names []string
			good, header := url.Values{}, http.Header{}
			for _, q := range op.Parameters {
				name, in, example := q.Name, q.In, q.Example
				if q.Ref != "" {
					c := doc.Components.Parameters[q.Ref[strings.LastIndex(q.Ref, "/")+1:]]
					name, in, example = c.Name, c.In, c.Example
				}
				if in == "query" {
					names = append(names, name)
					if example != "" {
						good.Set(name, example)
					}
				} else if in == "header" {
					names = append(names, "header:"+name)
				}
			}
			upper := strings.ToUpper(method)
			fill := func(value string) string {
				parts := strings.Split(path, "/")
				for i := range parts {
					if strings.HasPrefix(parts[i], "{") {
						parts[i] = url.PathEscape(value)
					}
				}
				return strings.Join(parts, "/")
			}
			if strings.Contains(path, "{") {
				for _, v := range nasty[1:] {
					all = append(all, request{upper, fill(v), "", nil})
				}
			}
			here := fill("0193d4a0-0000-7000-8000-00000000d301")
			for _, name := range append(names, "unknown") {
				for _, v := range nasty {
					if h, ok := strings.CutPrefix(name, "header:"); ok {
						if strings.ContainsAny(v, "\x00\r\n") || len(v) > 50_000 {
							continue // no header can hold it
						}
						bad := header.Clone()
						bad.Set(h, v)
						all = append(all, request{upper, here + "?" + good.Encode(), "{}", bad})
						continue
					}
					q := url.Values{}
					for k := range good {
						q[k] = good[k]
					}
					q.Set(name, v)
					all = append(all, request{upper, here + "?" + q.Encode(), "", nil})
				}
			}
			if method != "get" {
				for _, body := range nastyJSON {
					all = append(all, request{upper, here, body, nil})
				}
			}
		}
	}
	sort.Slice(all, func(i, k int) bool { return all[i].method+all[i].path < all[k].method+all[k].path })
	s.all("hostile requests", len(all), func(i int) error {
		r := all[i]
		req, err := http.NewRequest(r.method, s.p.url(), strings.NewReader(r.body))
		if err != nil {
			return nil // it cannot be sent
		}
		if req.URL, err = url.Parse(s.p.url() + r.path); err != nil {
			return nil // it cannot be sent
		}
		if r.header != nil {
			req.Header = r.header
		}
		if req.Header.Get("Authorization") == "" {
			req.Header.Set("Authorization", "Bearer "+s.token)
		}
		if r.body != "" {
			req.Header.Set("Content-Type", "application/json")
			if r.method == "PATCH" {
				req.Header.Set("Content-Type", "application/merge-patch+json")
			}
		}
		began := time.Now()
		stream := strings.HasPrefix(r.path, "/v1/changes")
		resp, err := s.http.Do(req)
		took := time.Since(began)
		what := fmt.Sprintf("%s %.120s %.60q", r.method, r.path, r.body)
		if err != nil {
			return fmt.Errorf("%s: %w", what, err)
		}
		defer resp.Body.Close()
		if stream && resp.StatusCode == 200 {
			return nil // it goes on and on
		}
		data, err := io.ReadAll(resp.Body)
		s.mu.Lock()
		s.slow = append(s.slow, timed{took, what})
		s.mu.Unlock()
		switch kind := resp.Header.Get("Content-Type"); {
		case err != nil:
			return fmt.Errorf("%s: %w", what, err)
		case resp.StatusCode >= 500 && resp.StatusCode != 502: // somebody else's source of imagery
			return fmt.Errorf("%s: %d %.200s", what, resp.StatusCode, data)
		case strings.HasPrefix(r.path, "/docs") && resp.StatusCode == 404 && strings.HasPrefix(kind, "text/html"):
		case resp.StatusCode >= 400 && (kind != "application/problem+json" || !bytes.Contains(data, []byte(
			`"detail":"`))):
			return fmt.Errorf("%s: %d as %s: %.100s", what, resp.StatusCode, kind, data)
		}
		return nil
	})
	slices.SortFunc(s.slow, func(a, b timed) int { return int(b.took - a.took) })
	for _, one := range s.slow[:5] {
		t.Logf("the slowest: %.3f s  %s", one.took.Seconds(), one.what)
	}
	assert.Empty(t, s.wrong["hostile requests"])
	assert.Greater(t, len(all), 3000)
	require.Equal(t, 201, p.keep("After all").status, "the process lives, and writes")
}
