package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// dropped drops a file on the page.
func (u *user) dropped(name, text string) {
	u.t.Helper()
	u.eval(fmt.Sprintf(`(() => { const bytes = Uint8Array.from(atob(%q), c => c.charCodeAt(0)), d = new DataTransfer()
		d.items.add(new File([bytes], %q))
		window.dispatchEvent(new DragEvent('drop', {dataTransfer: d, bubbles: true, cancelable: true})) })(), 1`,
		base64.StdEncoding.EncodeToString([]byte(text)), name))
}

// shown returns the text of an element.
func (u *user) text(name string) string {
	u.t.Helper()
	u.do(chromedp.WaitVisible(At(name)))
	return fmt.Sprint(u.eval(fmt.Sprintf(`document.querySelector('[data-test="%s"]').innerText`, name)))
}

// A spreadsheet goes in as it comes: with its own titles, commas for points, and rows that cannot be.
func TestASpreadsheetGoesIn(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/places")
	u.do(MapDrawn())
	u.dropped("Rests 2026.csv", "Nr;Bezeichnung;Breite;Länge;Betten\n1;Mill;-38,1102;-26,2809;4\n"+
		"2;\"Pier \"\"new\"\"\";-38,1111;-26,2822;\n3;Swapped;-126,28;-38,11;2\n4;<b>No place</b>;;;1\n")
	u.sees("columns", "Bezeichnung")
	assert.Equal(t, "lat", u.eval(`document.querySelector('[data-test=role-Breite]').value`))
	assert.Equal(t, "lng", u.eval(`document.querySelector('[data-test="role-Länge"]').value`))
	u.sees("file-rows", "Mill")
	u.sees("file-rows", "outside -90 to 90")
	u.pick("role-Betten", "skip")
	u.pick("role-Betten", "attribute")
	u.click("take-in")
	u.sees("taken", "3 new, 1 refused")
	u.sees("problems", "line 4")
	var list found
	require.Equal(t, 200, p.get("/ogc/collections/rests-2026/items", &list))
	require.Len(t, list.Features, 3)
	require.Equal(t, 200, p.get("/v1/imports", &struct{}{}))
	u.click("undo")
	u.sees("notice", "Undone")
	require.Equal(t, 200, p.get("/ogc/collections/rests-2026/items", &list))
	assert.Empty(t, list.Features, "all of it at once")

	// What was copied from a spreadsheet is pasted.
	u.eval(`(() => { const d = new DataTransfer()
		d.setData('text/plain', 'name\tlat\tlng\nCopied\t-38.1105\t-26.281\n')
		window.dispatchEvent(new ClipboardEvent('paste', {clipboardData: d, bubbles: true, cancelable: true})) })(), 1`)
	u.sees("file-rows", "Copied")
	for name, text := range map[string]string{"empty.csv": "", "titles.csv": "a,b\n", "x.kml": "<kml><Placemark>",
		"x.geojson": `{"a":1}`, "bomb.zip": "PK\x03\x04nothing"} {
		u.dropped(name, text)
		u.do(chromedp.WaitVisible(At("files-page")))
		u.waitFor(`document.querySelector('[data-test=file-failed]') || ` +
			`document.querySelector('[data-test=file-rows]')` +
			`?.innerText.includes('broken')`)
	}
	complaints := u.Complaints()
	for _, c := range complaints {
		assert.Contains(t, c, "400", "a file that cannot be read is told of on the page; nothing else stands in the "+
			"console")
	}
}

// The commands work beside the server that runs; what they change is on the page a moment later.
func TestCommandsBesideTheServer(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/places")
	u.do(MapDrawn())
	file := filepath.Join(t.TempDir(), "huts.csv")
	require.NoError(t, os.WriteFile(file, []byte("code,name,lat,lng\nH1,Upper Hut,-38.05,-26.1\nH2,Bad,-98,1\n"),
		0o600))
	out, err := p.run(nil, "places", "import", file, "--collection", "huts", "--refused", file+".refused.csv")
	require.NoError(t, err, out)
	assert.Contains(t, out, "1 taken (1 new, 0 changed, 0 as they were), 1 refused")
	assert.Contains(t, out, "line 3, column lat")
	u.fill("list-find", "upper hut")
	u.sees("list-rows", "Upper Hut")
	out, err = p.run(nil, "places", "import", file, "--collection", "huts")
	require.NoError(t, err, out)
	assert.Contains(t, out, "1 taken (0 new, 0 changed, 1 as they were)")
	refused, err := os.ReadFile(file + ".refused.csv")
	require.NoError(t, err)
	assert.Contains(t, string(refused), "latitude -98 is outside -90 to 90")
	for _, suffix := range []string{"csv", "tsv", "geojson", "geojsons", "gpx", "kml"} {
		to := filepath.Join(t.TempDir(), "huts."+suffix)
		out, err := p.run(nil, "places", "export", to, "--collection", "huts")
		require.NoError(t, err, out)
		data, err := os.ReadFile(to)
		require.NoError(t, err)
		assert.Contains(t, string(data), "Upper Hut", suffix)
	}
	for want, args := range map[string][]string{
		"there is no collection": {"places", "export", file + ".out.csv", "--collection", "none"},
		"is not known":           {"places", "export", file + ".xls", "--collection", "huts"},
		"cannot be opened":       {"places", "import", file + ".none", "--collection", "huts"},
		"has no column":          {"places", "import", file, "--collection", "huts", "--as", "x=lat"},
		"must be at least one":   {"token", "app", "--scopes", "everything"},
	} {
		out, err := p.run(nil, args...)
		assert.Error(t, err, want)
		assert.Contains(t, out, want)
	}
	secret, err := p.run(nil, "token", "Command line", "--scopes", "read geocode")
	require.NoError(t, err, secret)
	lines := strings.Fields(secret)
	assert.Equal(t, 200, p.send("GET", "/v1/collections", "", map[string]string{
		"Authorization": "Bearer " + lines[len(lines)-1]}, nil))

	out, err = p.run(nil, "doctor")
	require.NoError(t, err, out)
	assert.Contains(t, out, "a server answers")
	assert.NotContains(t, out, "wrong ")
}

// A backup is taken and put back while the server goes on; what is on the page follows.
func TestABackupIsPutBack(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/places")
	u.do(MapDrawn())
	file := filepath.Join(t.TempDir(), "all.zip")
	out, err := p.run(nil, "backup", file)
	require.NoError(t, err, out)
	assert.Contains(t, out, "found whole")
	var list found
	require.Equal(t, 200, p.get("/ogc/collections/posts/items?limit=1", &list))
	id, name := list.Features[0].ID, list.Features[0].Properties["name"].(string)
	require.Equal(t, 204, p.send("DELETE", "/ogc/collections/posts/items/"+id, "", map[string]string{"If-Match": "*"},
		nil))
	const mine = "/ogc/collections/posts/items/01a21700-0000-7000-8000-0000000000b1"
	require.Equal(t, 201, p.send("PUT", mine,
		`{"type":"Feature","geometry":null,"properties":{"name":"Written later"}}`,
		map[string]string{"Content-Type": "application/geo+json"}, nil))
	require.Equal(t, 404, p.get("/ogc/collections/posts/items/"+id, nil))

	data, err := os.ReadFile(file)
	require.NoError(t, err)
	flipped := bytes.Clone(data)
	flipped[bytes.Index(data, []byte("tables/features"))+200] ^= 0xff
	for what, bad := range map[string][]byte{"cut": data[:len(data)/2], "empty": {},
		"changed": flipped, "text": []byte("no backup")} {
		broken := filepath.Join(t.TempDir(), "broken.zip")
		require.NoError(t, os.WriteFile(broken, bad, 0o600))
		out, err := p.run(nil, "restore", broken)
		assert.Error(t, err, what)
		assert.Contains(t, out, "nothing was changed", what)
	}
	require.Equal(t, 404, p.get("/ogc/collections/posts/items/"+id, nil))

	out, err = p.run(nil, "restore", file)
	require.NoError(t, err, out)
	assert.Eventually(t, func() bool {
		var near struct{ Features []struct{ ID string } }
		p.get("/v1/features?limit=10000", &near)
		for _, f := range near.Features {
			if f.ID == id {
				return true
			}
		}
		return false
	}, 20*time.Second, 50*time.Millisecond, "what memory answers is what was restored")
	assert.Equal(t, 404, p.get(mine, nil))
	u.do(chromedp.Navigate(p.url() + "/places"))
	u.do(MapDrawn())
	u.fill("list-find", name)
	u.sees("list-rows", name)
	require.Equal(t, 201, p.send("PUT", mine, `{"type":"Feature","geometry":null,"properties":{"name":"Goes on"}}`,
		map[string]string{"Content-Type": "application/geo+json"}, nil), "writing goes on")
	before, err := filepath.Glob(filepath.Join(p.data, "before-restore-*.zip"))
	require.NoError(t, err)
	assert.Len(t, before, 1, "what was there was kept")

	region, err := filepath.Glob(filepath.Join(p.data, "regions", "*"))
	require.NoError(t, err)
	for _, f := range region {
		require.NoError(t, os.Remove(f))
	}
	out, err = p.run(nil, "doctor")
	assert.Error(t, err)
	assert.Contains(t, out, "its file is missing")
	assert.Contains(t, out, "build it anew")
}

// foreign is a page of somebody else's, with a body that may change.
type foreign struct{ origin, body string }

func foreignPage(t *testing.T) *foreign {
	t.Helper()
	f := &foreign{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, "<!doctype html><title>Shop</title><body style='margin:0;background:#f0f'>"+f.body)
	}))
	t.Cleanup(s.Close)
	f.origin = s.URL
	return f
}

// picture returns what is on the screen.
func (u *user) picture() image.Image {
	u.t.Helper()
	data, err := chromedp.Run(u.Ctx, chromedp.CaptureScreenshot())
	require.NoError(u.t, err)
	img, _, err := image.Decode(bytes.NewReader(data))
	require.NoError(u.t, err)
	return img
}

// share is how much of a part of a picture has one colour.
func share(img image.Image, x0, y0, x1, y1 int, want [3]uint32) float64 {
	n := 0
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			r, g, b, _ := img.At(x, y).RGBA()
			if r>>8 == want[0] && g>>8 == want[1] && b>>8 == want[2] {
				n++
			}
		}
	}
	return float64(n) / float64((x1-x0)*(y1-y0))
}

// A token is made in the page and shown once; with it an embed stands in a foreign page, in no other, and a picture
// that anybody may open; revoked, all of it ends.
func TestTokenEmbedAndPicture(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/publish")
	u.do(MapDrawn())
	u.click("new-token")
	u.fill("token-name", "Wayfinder")
	u.click("scope-geocode")
	u.click("make-token")
	secret, _, _ := strings.Cut(u.text("token-secret"), "\n")
	auth := map[string]string{"Authorization": "Bearer " + secret}
	assert.Equal(t, 200, p.send("GET", "/v1/geocode?q=Great+Harbour+Street", "", auth, nil))
	assert.Equal(t, 403, p.send("GET", "/v1/route?from=-38.11,-26.28&to=-38.1,-26.27", "", auth, nil))
	u.do(chromedp.Navigate(p.url() + "/publish"))
	u.do(MapDrawn())
	u.click("token-Wayfinder")
	u.sees("use", "2 calls in thirty days")
	assert.NotContains(t, fmt.Sprint(u.eval(`document.body.innerText`)), secret, "shown once")
	u.click("revoke")
	u.click("revoke")
	u.sees("notice", "is revoked")
	assert.Equal(t, 401, p.send("GET", "/v1/geocode?q=Great+Harbour+Street", "", auth, nil))

	shop, other := foreignPage(t), foreignPage(t)
	u.click("publish-embed")
	u.pick("scene-what", "collection")
	u.pick("scene-collection", "posts")
	u.fill("embed-origin", shop.origin)
	u.click("make-embed-token")
	u.do(chromedp.WaitVisible(At("embed-preview")))
	snippet := u.text("snippet")
	assert.Contains(t, snippet, "collection=posts")
	assert.NotContains(t, snippet, "title=&", "what is empty is left out")
	key := regexp.MustCompile(`#key=([a-z0-9_]+)`).FindStringSubmatch(snippet)[1]
	assert.Equal(t, 403, p.send("GET", "/v1/nearby?at=-38.1,-26.2", "", map[string]string{"Authorization": "Bearer " +
		key},
		nil), "it shows, and does nothing else")
	address := regexp.MustCompile(`src="([^"]*)"`).FindStringSubmatch(snippet)[1]
	address = strings.ReplaceAll(address, "&amp;", "&")

	guest := newUser(t, 700, 500)
	sea := [3]uint32{0xdf, 0xe8, 0xe4}
	shop.body, other.body = snippet, snippet
	guest.do(chromedp.Navigate(shop.origin))
	assert.Eventually(t, func() bool { return share(guest.picture(), 0, 0, 600, 400, sea) > 0.2 }, patience,
		200*time.Millisecond, "the map stands in the page that the token names")
	assert.Empty(t, guest.Complaints())
	guest.do(chromedp.Navigate(other.origin))
	assert.Eventually(t, func() bool {
		return strings.Contains(strings.Join(guest.Complaints(), " "),
			"frame-ancestors")
	},
		patience, 100*time.Millisecond, "a page that it does not name frames nothing")
	assert.Less(t, share(guest.picture(), 0, 0, 600, 400, sea), 0.01)

	// By itself it can be looked into.
	guest.do(chromedp.Navigate(address+"&x=1"), MapDrawn())
	assert.InDelta(t, 96, guest.number(`document.querySelectorAll('[data-test=embed-list] li').length`), 3)
	// Each file once: what several workers load comes from the cache. What they load themselves they do not tell of.
	weight := guest.number(`[...new Map(performance.getEntriesByType('resource').filter(e => !e.name.includes('/v1/'))
		.concat(performance.getEntriesByType('navigation')).map(e => [e.name, e.encodedBodySize])).values()]
		.reduce((n, size) => n + size, 0)`) + packed(t, "sheet-*.wasm")
	t.Logf("an embed weighs %.1f kB compressed, its fonts included, its tiles and places not", weight/1000)
	assert.Less(t, weight, 120_000.0)
	guest.eval(`document.querySelector('[data-test=embed-list] button').click(), 1`)
	guest.do(chromedp.WaitVisible(At("embed-card")))
	for query, says := range map[string]string{
		"feature=01a21700-0000-7000-8000-00000000dead": "no longer there",
		"address=Nowhere Street 999999":                "not found",
		"feature=<img src=x onerror=window.hit=1>":     "cannot be loaded",
		"route=-38.11,-26.28;0,0":                      "no way",
	} {
		guest.do(chromedp.Navigate(regexp.MustCompile(`collection=posts`).ReplaceAllString(address, query+"&lang=en")))
		guest.sees("embed-wrong", says)
		assert.Equal(t, false, guest.eval(`!!window.hit`))
		guest.Complaints() // what was refused is in the console, too
	}
	guest.do(chromedp.Navigate(strings.ReplaceAll(address, "collection=posts", "collection=posts&lang=de&buttons=yes&"+
		"title=<script>window.hit=1</script>&link=javascript:window.hit=1&night=yes")), MapDrawn())
	assert.Equal(t, "de", guest.eval(`document.documentElement.lang`))
	assert.Equal(t, 12.0, guest.number(`document.querySelectorAll('.bar button').length`))
	assert.Equal(t, 0.0, guest.number(`document.querySelectorAll('.foot a').length`), "a link that is a script is none")
	guest.eval(`document.querySelector('.bar button').click(), 1`)
	guest.waitFor(`document.querySelector('.bar button').getAttribute('aria-pressed') === 'true'`)
	guest.do(MapDrawn())
	assert.Equal(t, 1.0, guest.number(`window.viandanteChart.stacked.find(l => l.stones).stones.length`),
		"one at a time")
	assert.Equal(t, false, guest.eval(`!!window.hit`))

	// The picture is signed with the same token, and stands in a mail.
	u.click("publish-picture")
	u.do(chromedp.WaitVisible(At("picture-preview")))
	u.click("sign-picture")
	link := regexp.MustCompile(`src="([^"]*)"`).FindStringSubmatch(u.text("picture-html"))[1]
	link = strings.ReplaceAll(link, "&amp;", "&")
	opened := func() int {
		resp, err := http.Get(link)
		require.NoError(t, err)
		defer resp.Body.Close()
		if resp.StatusCode == 200 {
			_, kind, err := image.DecodeConfig(resp.Body)
			require.NoError(t, err)
			assert.Equal(t, "png", kind)
		}
		return resp.StatusCode
	}
	assert.Equal(t, 200, opened())
	other.body = `<img src="` + strings.ReplaceAll(link, "&", "&amp;") + `">`
	guest.do(chromedp.Navigate(other.origin))
	guest.waitFor(`document.images[0].naturalWidth > 0`)
	u.click("publish-tokens")
	u.click("token-Map in pages: posts")
	u.click("revoke")
	u.click("revoke")
	u.sees("token-Map in pages: posts", "revoked")
	assert.Equal(t, 401, opened())
	guest.do(chromedp.Navigate(address))
	guest.sees("embed-wrong", "")
}

// packed is how much a file of the built page comes to, compressed as the server does.
func packed(t *testing.T, pattern string) float64 {
	t.Helper()
	files, err := filepath.Glob("../ui/dist/app/assets/" + pattern)
	require.NoError(t, err)
	require.Len(t, files, 1)
	data, err := os.ReadFile(files[0])
	require.NoError(t, err)
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, err = w.Write(data)
	require.NoError(t, errors.Join(err, w.Close()))
	return float64(out.Len())
}

// blocks are the mean colours of squares of so many pixels.
func blocks(img image.Image, side int) (out [][3]float64) {
	b := img.Bounds()
	for y := b.Min.Y; y+side <= b.Max.Y; y += side {
		for x := b.Min.X; x+side <= b.Max.X; x += side {
			var sum [3]float64
			for dy := range side {
				for dx := range side {
					r, g, b, _ := img.At(x+dx, y+dy).RGBA()
					for i, v := range []uint32{r, g, b} {
						sum[i] += float64(v>>8) / float64(side*side)
					}
				}
			}
			out = append(out, sum)
		}
	}
	return out
}

// The picture that the server draws is recognisably the map of the page: it is laid over a screenshot of the same view.
func TestThePictureIsThePagesMap(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 640, 420)
	u.do(chromedp.Navigate(p.url() + "/healthz"))
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(t, err)
	for zoom := 0.0; zoom <= 20; zoom += 0.5 { // none of them stops the server
		_, _, err := image.Decode(bytes.NewReader(p.bytes(fmt.Sprintf(
			"/v1/picture.png?center=%v,%v&zoom=%v&ground=relief&width=700&height=500", squareLat, squareLng, zoom))))
		require.NoError(t, err, "zoom %v", zoom)
	}
	for i, look := range []string{"ground=plain", "ground=relief", "ground=plain&night=yes", "ground=contrast",
		"ground=muted"} {
		for k, zoom := range []float64{10.5, 13, 14.5, 16.25} {
			if i > 0 && (i+k)%2 == 0 {
				continue // each takes seconds
			}
			query := fmt.Sprintf("collection=posts&center=%v,%v&zoom=%v&%s", squareLat, squareLng, zoom, look)
			night := "&night=no"
			if strings.Contains(look, "night") {
				night = ""
			}
			u.do(chromedp.Navigate(p.url()+"/embed?"+query+night+"&r="+fmt.Sprint(zoom)+"#key="+
				strings.TrimSpace(string(token))), MapDrawn())
			screen := blocks(u.picture(), 10)
			drawn, _, err := image.Decode(bytes.NewReader(p.bytes("/v1/picture.png?" + query + "&width=640&height=420" +
				"&attribution=no")))
			require.NoError(t, err)
			server := blocks(drawn, 10)
			require.Len(t, server, len(screen))
			far, sum, other := 0, 0.0, 0.0
			for i := range screen {
				d := 0.0
				for k := range 3 {
					d = max(d, abs(screen[i][k]-server[i][k]))
				}
				sum += d
				if d > 40 {
					far++
				}
				turned := server[len(server)-1-i] // the same picture upside down: what no likeness would come to
				for k := range 3 {
					other += abs(screen[i][k]-turned[k]) / 3
				}
			}
			n := float64(len(screen))
			t.Logf("%s at zoom %v: squares of ten pixels differ by %.1f of 255 on average, %.1f %% by more than 40; "+
				"upside down by %.1f", look, zoom, sum/n, 100*float64(far)/n, other/n)
			assert.Less(t, sum/n, 9.0, "%s at %v", look, zoom)
			assert.Less(t, float64(far)/n, 0.05, "%s at %v", look, zoom)
			assert.Less(t, sum/n, 0.6*other/n, "%s at %v", look, zoom)
		}
	}
}

func abs(v float64) float64 { return max(v, -v) }

// What is on screen comes out of a terminal: the request is copied from the wire and run.
func TestTheWireRunsInATerminal(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, fmt.Sprintf("/around?from=%v,%v&ring=0-900", squareLat, squareLng))
	u.waitFor(`document.querySelector('[data-test=wire]').innerText.includes('/v1/nearby')`)
	u.key("w")
	u.click("wire-code")
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(t, err)
	var want found
	near := fmt.Sprintf("/v1/nearby?at=%v,%v&within=900m&limit=10000", squareLat, squareLng)
	require.Equal(t, 200, p.get(near, &want))
	require.NotEmpty(t, want.Features)
	for language, tool := range map[string]string{"curl": "sh", "python": "python3", "javascript": "node"} {
		u.pick("code-language", language)
		mark := map[string]string{"curl": "curl --fail", "python": "import os",
			"javascript": "async function"}[language]
		u.sees("wire-text", mark)
		code := fmt.Sprint(u.eval(`document.querySelector('[data-test=wire-text]').textContent`))
		assert.NotContains(t, code, strings.TrimSpace(string(token)))
		file := filepath.Join(t.TempDir(), "request.mjs")
		require.NoError(t, os.WriteFile(file, []byte(code), 0o600))
		if _, err := exec.LookPath(tool); err != nil {
			t.Logf("%s is not on this machine", tool)
			continue
		}
		cmd := exec.Command(tool, file)
		cmd.Env = append(os.Environ(), "VIANDANTE_TOKEN="+strings.TrimSpace(string(token)))
		out, err := cmd.Output()
		require.NoError(t, err, "%s\n%s", code, out)
		var got found
		require.NoError(t, json.Unmarshal(out, &got), "%s", out)
		assert.Len(t, got.Features, len(want.Features), language)
	}
}

// Every request of the guides runs in place, against the demo.
func TestTheRequestsOfTheReferenceRun(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around")
	ran := 0
	for _, page := range []string{"keep", "geocode", "filter", "measure", "route", "follow", "publish"} {
		u.do(chromedp.Navigate(p.url() + "/docs/" + page))
		n := int(u.number(`document.querySelectorAll('.try').length`))
		assert.NotZero(t, n, page)
		for i := range n {
			u.eval(fmt.Sprintf(`document.querySelectorAll('.try')[%d].querySelector('button').click(), 1`, i))
			one := fmt.Sprintf(`document.querySelectorAll('.try')[%d]`, i)
			u.waitFor(`/^[0-9]{3} /.test(` + one + `.querySelector('output').innerText)`)
			request := fmt.Sprint(u.eval(one + `.querySelector('textarea').value`))
			status := fmt.Sprint(u.eval(one + `.querySelector('output').innerText`))
			if strings.Contains(request, "-126.2809") {
				assert.Regexp(t, `^400`, status, "the guide says that it is refused")
			} else {
				assert.Regexp(t, `^20[0-9]`, status, "%s: %s", page, request)
			}
			ran++
		}
	}
	u.eval(`document.querySelector('.code').click(), 1`)
	u.waitFor(`document.querySelector('.try pre').innerText.includes('curl')`)
	u.fillSearch("revoke")
	u.waitFor(`document.querySelector('main').innerText.includes('Tokens')`)
	t.Logf("%d requests ran", ran)
	for _, c := range u.Complaints() {
		assert.Contains(t, c, "400", "the one that is refused")
	}
}

// fillSearch searches the reference from its header.
func (u *user) fillSearch(words string) {
	u.t.Helper()
	u.key("/")
	u.do(chromedp.KeyEvent(words + "\r"))
}
