package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// blobs finds the connected parts of a picture that have a colour: the size of the largest in pixels, and the share of
// all.
func blobs(img image.Image, within image.Rectangle, want color.RGBA) (largest int, share float64) {
	w, h := within.Dx(), within.Dy()
	todo := make([]bool, w*h)
	count := 0
	near := func(a uint32, b uint8) bool { return math.Abs(float64(a>>8)-float64(b)) <= 1 }
	for y := range h {
		for x := range w {
			r, g, b, _ := img.At(within.Min.X+x, within.Min.Y+y).RGBA()
			if near(r, want.R) && near(g, want.G) && near(b, want.B) {
				todo[y*w+x] = true
				count++
			}
		}
	}
	var stack []int
	for start := range todo {
		if !todo[start] {
			continue
		}
		left, right, top, bottom := w, 0, h, 0
		stack, todo[start] = append(stack[:0], start), false
		for len(stack) > 0 {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := i%w, i/w
			left, right, top, bottom = min(left, x), max(right, x), min(top, y), max(bottom, y)
			for _, n := range []int{i - 1, i + 1, i - w, i + w} {
				if n >= 0 && n < len(todo) && todo[n] && (n/w == y || n%w == x) {
					todo[n] = false
					stack = append(stack, n)
				}
			}
		}
		largest = max(largest, right-left+1, bottom-top+1)
	}
	return largest, float64(count) / float64(w*h)
}

// watchSizes notes by how much everything on the map is stretched with each frame, until it moves no longer.
const watchSizes = `(() => { const c = window.viandanteChart, seen = window.flight = {factors: [], began: 0, ended: 0,
  named: 0, whole: 0, n: 0}
	const sample = () => {
		seen.n++
		if (!c.complete) seen.began ||= Date.now()
		if (!seen.named && seen.began && c.namesReady) seen.named = seen.n
		for (const k of c.container.querySelectorAll('canvas')) {
			const scale = /scale\(([\d.e-]+)\)/.exec(k.style.transform)
			if (scale && k.style.visibility !== 'hidden' && k.style.opacity !== '0') seen.factors.push(Number(scale[1]))
		}
		if (seen.began && c.complete) [seen.whole, seen.ended] = [seen.n, Date.now()]
		else requestAnimationFrame(sample)
	}
	requestAnimationFrame(sample)
	%s })(), 1`

// Stones and names keep their size, or fade, while the map flies and zooms.
func TestFlights(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around?v=-38.05,-26.15,10.25")
	card := color.RGBA{0xfb, 0xf7, 0xec, 255}
	const stone = 27.0 // pixels high; nothing on the map that has this colour is larger

	for _, motion := range []struct {
		what, from, act string
		ratio           float64
	}{
		{"a flight over four zoom levels", "lat: -38.05, lng: -26.15, zoom: 10.25", "c.flyTo({lat: -38.114, lng: " +
			"-26.28, zoom: 14.25})", 1},
		{"and back, at two pixels to one", "lat: -38.114, lng: -26.28, zoom: 14.25", "c.flyTo({lat: -38.05, lng: " +
			"-26.15, zoom: 10.25})", 2},
		{"a turn, at two pixels to one", "lat: -38.114, lng: -26.28, zoom: 14", "c.turnTo(70)", 2},
		{"a zoom by the wheel", "lat: -38.114, lng: -26.28, zoom: 13", `const b = c.container.getBoundingClientRect()
			for (let i = 0; i < 12; i++) setTimeout(() => c.container.dispatchEvent(new WheelEvent('wheel',
				{deltaY: -60, clientX: b.left + 300, clientY: b.top + 300,
			bubbles: true, cancelable: true})), 40 * i)`, 1},
	} {
		t.Run(motion.what, func(t *testing.T) {
			u := u.in(t)
			u.do(chromedp.EmulateViewport(1280, 800, chromedp.EmulateScale(motion.ratio)))
			u.eval(`window.viandanteChart.setView({rotation: 0, ` + motion.from + `}), 1`)
			u.do(MapDrawn())
			box := u.eval(`(b => [b.left, b.top, b.right, ` +
				`b.bottom])(document.querySelector('[data-test=map]').getBoundingClientRect())`).([]any)
			began := time.Now()
			frames, err := u.Film(
				chromedp.Steps(
					Run(fmt.Sprintf(watchSizes, motion.act)),
					Wait(`window.flight.ended && window.flight.whole`),
				),
			)
			require.NoError(t, err)
			ended := time.UnixMilli(int64(u.number(`window.flight.ended`)))
			flown := 0
			for _, f := range frames {
				img, err := png.Decode(bytes.NewReader(f.PNG))
				require.NoError(t, err)
				k := float64(img.Bounds().Dx()) / 1280
				corner := func(i int) (int, int) { return int(box[i].(float64) * k), int(box[i+1].(float64) * k) }
				x0, y0 := corner(0)
				x1, y1 := corner(2)
				largest, share := blobs(img, image.Rect(x0, y0, x1, y1), card)
				at := f.At.Sub(began).Milliseconds()
				if f.At.After(began) && f.At.Before(ended) {
					flown++
				}
				assert.LessOrEqual(t, float64(largest), stone*4/3*k, "pixels, after %d ms", at)
				assert.Less(t, share, 0.08, "of the map is covered by stones after %d ms", at)
				assert.Greater(t, share, 0.0002, "stones are gone after %d ms", at)
			}
			assert.GreaterOrEqual(t, flown, 2, "frames of the motion itself, of %d", len(frames))
			most, least := u.number(
				`Math.max(1, ...window.flight.factors)`,
			), u.number(
				`Math.min(1, ...window.flight.factors)`,
			)
			assert.LessOrEqual(t, most, 4.0/3, "larger than drawn")
			assert.GreaterOrEqual(t, least, 3.0/4, "smaller than drawn")
			t.Logf("%d frames, %d of them of the motion; sizes %.2f to %.2f", len(frames), flown, least, most)
		})
	}
	u.do(chromedp.EmulateViewport(1280, 800, chromedp.EmulateScale(1)))

	t.Run("names are ready no later than the ground", func(t *testing.T) {
		u := u.in(t)
		u.look(-38.05, -26.15, 10.25)
		u.do(chromedp.Reload(), MapDrawn()) // no tile of the town is known
		u.eval(fmt.Sprintf(watchSizes, "c.flyTo({lat: -38.13, lng: -26.22, zoom: 14.5})"))
		u.waitFor(`window.flight.whole`)
		assert.Greater(t, u.number(`window.flight.named`), 0.0)
		assert.LessOrEqual(t, u.number(`window.flight.named`), u.number(`window.flight.whole`), "frames from the start")
	})

	t.Run("the graticule's numbers stay while the map is turned", func(t *testing.T) {
		u := u.in(t)
		for _, turned := range []float64{0, 20, 70, 90, 135, 250} {
			u.eval(
				fmt.Sprintf(
					`window.viandanteChart.setView({lat: -38.05, lng: -26.15, zoom: 11, rotation: %v}), 1`,
					turned,
				),
			)
			u.do(Shown())
			for edge, at := range map[string]string{"left": "{x: 0, y: n.at}",
				"foot": "{x: n.at, y: window.viandanteChart.camera.height}"} {
				list := u.eval(`window.viandanteChart.numbers.` + edge + `.map(n => { const p = ` +
					`window.viandanteChart.camera.fromScreen(` + at + `); return [n.text, p.lat, p.lng] })`).([]any)
				require.NotEmpty(t, list, "%s, turned by %v", edge, turned)
				for _, n := range list {
					n := n.([]any)
					value, of := degreesOf(t, n[0].(string))
					want := n[1].(float64)
					if of == 'E' {
						want = n[2].(float64)
					}
					assert.InDelta(t, want, value, 0.0005, "%s at the %s, turned by %v", n[0], edge, turned)
				}
			}
		}
	})
	assert.Empty(t, unasked(u.Complaints()))
}

var dms = regexp.MustCompile(`^(\d+)°(?:(\d+)′)?(?:(\d+)″)?([NSEW])$`)

// degreesOf reads a number of the graticule: signed degrees, of latitude (N) or of longitude (E).
func degreesOf(t *testing.T, text string) (float64, rune) {
	t.Helper()
	m := dms.FindStringSubmatch(text)
	require.NotNil(t, m, text)
	value := 0.0
	for i, per := range []float64{1, 60, 3600} {
		if m[i+1] != "" {
			v, err := strconv.ParseFloat(m[i+1], 64)
			require.NoError(t, err)
			value += v / per
		}
	}
	if strings.ContainsAny(m[4], "SW") {
		value = -value
	}
	if strings.ContainsAny(m[4], "NS") {
		return value, 'N'
	}
	return value, 'E'
}
