package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// What all tests share: the program is built once, the demo is drawn once, the browser is started once.
var (
	shared      string // a directory
	stopBrowser func()
)

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "viandante-e2e-")
	if err != nil {
		panic(err)
	}
	shared = dir
	code := m.Run()
	if stopBrowser != nil {
		stopBrowser()
	}
	os.RemoveAll(dir)
	os.Exit(code)
}

var chromiumStarted = sync.OnceValues(func() (*Chromium, error) {
	c, stop, err := StartChromium(context.Background())
	stopBrowser = stop
	return c, err
})

// preparedDemo is a built program and a data directory in which it has made the demo.
type preparedDemo struct{ bin, data string }

var demoPrepared = sync.OnceValues(func() (preparedDemo, error) {
	d := preparedDemo{filepath.Join(shared, "viandante"), filepath.Join(shared, "var")}
	if _, err := os.Stat("../ui/dist/app/index.html"); err != nil {
		return d, errors.New("the page is not built: run `make test`, or `make build` first")
	}
	if out, err := exec.Command("go", "build", "-o", d.bin, "../cmd/viandante").CombinedOutput(); err != nil {
		return d, fmt.Errorf("building the program: %w\n%s", err, out)
	}
	cmd := exec.Command(d.bin, "demo")
	cmd.Env = append(os.Environ(), "VIANDANTE_DATA="+d.data, "VIANDANTE_LISTEN=127.0.0.1:0")
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return d, err
	}
	if err := cmd.Start(); err != nil {
		return d, err
	}
	ready := false
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if strings.Contains(lines.Text(), "Open http://") {
			ready = true
			_ = cmd.Process.Signal(syscall.SIGTERM) // a clean end, so that copies have nothing to recover
		}
	}
	if err := cmd.Wait(); err != nil || !ready {
		return d, fmt.Errorf("preparing the demo: ready %v, %w", ready, err)
	}
	// Copies run side by side: each chooses a port for its database.
	return d, os.Remove(filepath.Join(d.data, "db", "db.port"))
})

// program is the built viandante, running the demo, or serving what others keep where it has their data source name.
type program struct {
	t      *testing.T
	dsn    string
	bin    string
	data   string
	listen string
	args   []string // after the command
	cmd    *exec.Cmd
	mu     sync.Mutex
	log    bytes.Buffer
	tail   sync.WaitGroup
}

// newProgram returns a program with a data directory of its own, in which the demo is prepared already. Tests with
// programs of their own share nothing, and run side by side.
func newProgram(t *testing.T) *program {
	t.Helper()
	t.Parallel()
	prepared, err := demoPrepared()
	require.NoError(t, err)
	p := &program{t: t, bin: prepared.bin, data: filepath.Join(t.TempDir(), "var")}
	out, err := exec.Command("cp", "-r", "--reflink=auto", prepared.data, p.data).CombinedOutput()
	require.NoError(t, err, "%s", out)
	p.choosePort()
	t.Cleanup(func() {
		if p.cmd != nil {
			p.stop(syscall.SIGTERM)
		}
	})
	return p
}

func (p *program) choosePort() {
	p.t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0") // the same port before and after a restart
	require.NoError(p.t, err)
	p.listen = l.Addr().String()
	require.NoError(p.t, l.Close())
}

func (p *program) url() string { return "http://" + p.listen }

// start starts the demo and returns how long it took until it was ready.
func (p *program) start() time.Duration {
	p.t.Helper()
	began := time.Now()
	command := "demo"
	if p.dsn != "" {
		command = "serve"
	}
	p.cmd = exec.Command(p.bin, append([]string{command}, p.args...)...)
	p.cmd.Env = append(os.Environ(), "VIANDANTE_DATA="+p.data, "VIANDANTE_LISTEN="+p.listen, "VIANDANTE_DSN="+p.dsn)
	out, err := p.cmd.StdoutPipe()
	require.NoError(p.t, err)
	errs, err := p.cmd.StderrPipe()
	require.NoError(p.t, err)
	require.NoError(p.t, p.cmd.Start())
	ready := make(chan bool, 2)
	read := func(r io.Reader) {
		lines := bufio.NewScanner(r)
		for lines.Scan() {
			p.mu.Lock()
			p.log.WriteString(lines.Text() + "\n")
			p.mu.Unlock()
			if strings.Contains(lines.Text(), "Open http://") {
				ready <- true
			}
		}
	}
	p.tail.Go(func() { read(out) })
	p.tail.Go(func() { read(errs) })
	select {
	case <-ready:
	case <-time.After(4 * patience):
		p.t.Fatalf("the demo is not ready in time:\n%s", p.output())
	}
	return time.Since(began)
}

func (p *program) output() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.log.String()
}

func (p *program) stop(s syscall.Signal) {
	_ = p.cmd.Process.Signal(s) // gone already is as good
	p.tail.Wait()
	_ = p.cmd.Wait() // how it ended does not matter here
	p.cmd = nil
}

// get asks the API as an app would.
func (p *program) get(path string, v any) int {
	p.t.Helper()
	return p.send("GET", path, "", nil, v)
}

// request is one to the API with the demo's token.
func (p *program) request(method, path, body string) *http.Request {
	p.t.Helper()
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(p.t, err)
	req, err := http.NewRequest(method, p.url()+path, strings.NewReader(body))
	require.NoError(p.t, err)
	req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
	return req
}

// bytes returns the body of an answer.
func (p *program) bytes(path string) []byte {
	p.t.Helper()
	resp, err := http.DefaultClient.Do(p.request("GET", path, ""))
	require.NoError(p.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(p.t, err)
	return data
}

func (p *program) send(method, path, body string, header map[string]string, v any) int {
	p.t.Helper()
	req := p.request(method, path, body)
	for k, value := range header {
		req.Header.Set(k, value)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(p.t, err)
	defer resp.Body.Close()
	if v != nil {
		require.NoError(p.t, json.NewDecoder(resp.Body).Decode(v))
	}
	return resp.StatusCode
}

// user is somebody at the page.
type user struct {
	*Browser
	t *testing.T
}

func newUser(t *testing.T, width, height int) *user {
	t.Helper()
	chromium, err := chromiumStarted()
	require.NoError(t, err)
	b, stop, err := chromium.User(width, height)
	require.NoError(t, err)
	t.Cleanup(stop)
	return &user{b, t}
}

// in is the same user in another test.
func (u *user) in(t *testing.T) *user { return &user{u.Browser, t} }

func (u *user) do(steps ...chromedp.Action[chromedp.Void]) {
	u.t.Helper()
	ctx, cancel := context.WithTimeout(
		u.Ctx,
		2*patience,
	) // what never comes is told of, instead of holding everything up
	defer cancel()
	if err := chromedp.Do(ctx, steps...); err != nil {
		_ = u.Shot(filepath.Join(os.TempDir(), "viandante-e2e-failed.png"))
		state, _ := chromedp.Run(
			u.Ctx,
			chromedp.Evaluate[string](
				`[location.href, JSON.stringify(window.viandanteChart?.view), `+
					`document.querySelector('[data-test=notice]')?.innerText, `+
					`document.activeElement?.outerHTML.slice(0, 200)].join(' | ')`,
			),
		)
		require.NoError(u.t, err, "the page: %s\nthe console: %q", state, u.Complaints())
	}
}

func (u *user) click(name string) {
	u.t.Helper()
	u.do(chromedp.WaitVisible(At(name)), chromedp.Click(At(name)))
}

// fill replaces what stands in a field.
func (u *user) fill(name, text string) {
	u.t.Helper()
	u.do(chromedp.WaitVisible(At(name)), chromedp.Focus(At(name)))
	u.eval("document.activeElement.select()")
	u.do(chromedp.SendKeys(At(name), text))
}

// unfold opens the slip of what is selected, so that all of it can be seen and done.
func (u *user) unfold() {
	u.t.Helper()
	u.do(chromedp.WaitVisible(At("more")))
	u.eval(
		`(() => { const b = document.querySelector('[data-test=more]'); if (b.getAttribute('aria-expanded') === ` +
			`'false') b.click() })(), 1`,
	)
	u.do(chromedp.WaitVisible(At("place-all")))
}

func (u *user) key(keys string) { u.t.Helper(); u.do(chromedp.KeyEvent(keys)) }

func (u *user) waitFor(expression string) { u.t.Helper(); u.do(Wait(expression)) }

// sees waits until an element holds a text.
func (u *user) sees(name, text string) {
	u.t.Helper()
	quoted, _ := json.Marshal(text)
	u.waitFor(
		fmt.Sprintf(
			`document.querySelector('[data-test="%s"]')?.innerText.replace(/\s+/g, ' ').includes(%s)`,
			name,
			quoted,
		),
	)
}

func (u *user) eval(expression string) any {
	u.t.Helper()
	v, err := chromedp.Run(u.Ctx, chromedp.Evaluate[any](expression))
	require.NoError(u.t, err, expression)
	return v
}

func (u *user) number(expression string) float64 {
	u.t.Helper()
	v, err := chromedp.Run(u.Ctx, chromedp.Evaluate[float64](expression))
	require.NoError(u.t, err, expression)
	return v
}

// pixel returns where on the page a position lies.
func (u *user) pixel(lat, lng float64) (x, y float64) {
	u.t.Helper()
	u.do(MapDrawn())
	const at = `(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), p = ` +
		`c.camera.toScreen({lat: %v, lng: %v}); return p.%s + b.%s })()`
	return u.number(fmt.Sprintf(at, lat, lng, "x", "left")), u.number(fmt.Sprintf(at, lat, lng, "y", "top"))
}

func (u *user) clickMap(lat, lng float64) {
	u.t.Helper()
	x, y := u.pixel(lat, lng)
	u.do(chromedp.MouseClickXY(x, y))
}

// look moves the map there at once.
func (u *user) look(lat, lng, zoom float64) {
	u.t.Helper()
	u.eval(fmt.Sprintf(`window.viandanteChart.setView({lat: %v, lng: %v, zoom: %v}), 1`, lat, lng, zoom))
	u.do(MapDrawn())
}

type found struct {
	Features []struct {
		ID         string
		Geometry   struct{ Coordinates []float64 }
		Properties map[string]any
	}
}
