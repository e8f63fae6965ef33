// Package e2e drives the real interface: the built program, a private MariaDB, and headless Chromium through chromedp.
package e2e

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// Browser is a page in a headless Chromium, and what the page complained of.
type Browser struct {
	Ctx        context.Context
	mu         sync.Mutex
	complaints []string
}

// Chromium is a running browser, in which each user has a context and a window of his own: what one keeps no other
// sees.
type Chromium struct{ ctx context.Context }

// StartChromium starts a headless Chromium. Close it by the returned function.
func StartChromium(parent context.Context) (*Chromium, func(), error) {
	dir, err := os.MkdirTemp("", "viandante-chromium-")
	if err != nil {
		return nil, nil, err
	}
	options := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.UserDataDir(dir),
		chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true),
		chromedp.Flag(
			"disable-component-update",
			true,
		),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("force-color-profile", "srgb"),
		// A page that is come back to is loaded anew, as on a phone that needed the room.
		chromedp.Flag("disable-features", "Translate,MediaRouter,OptimizationHints,BackForwardCache"),
	)
	allocated, stopAllocator := chromedp.NewExecAllocator(parent, options...)
	ctx, stopFirst := chromedp.NewContext(allocated)
	closeAll := func() { stopFirst(); stopAllocator(); os.RemoveAll(dir) }
	if err := chromedp.Do(ctx); err != nil {
		closeAll()
		return nil, nil, fmt.Errorf("starting Chromium (Debian's package chromium): %w", err)
	}
	return &Chromium{ctx}, closeAll, nil
}

// User opens a page of the given size in CSS pixels for a new user. Close it by the returned function.
func (c *Chromium) User(width, height int) (*Browser, func(), error) {
	ctx, stop := chromedp.NewContext(c.ctx, chromedp.WithNewBrowserContext(), chromedp.WithNewWindow(true))
	b := &Browser{Ctx: ctx}
	console := chromedp.Console(ctx)
	go b.listen(console)
	if err := chromedp.Do(ctx, b.Size(width, height, false)); err != nil {
		stop()
		return nil, nil, fmt.Errorf("opening a page: %w", err)
	}
	return b, stop, nil
}

// NewBrowser starts a browser with one user.
func NewBrowser(parent context.Context, width, height int) (*Browser, func(), error) {
	c, closeChromium, err := StartChromium(parent)
	if err != nil {
		return nil, nil, err
	}
	b, closeUser, err := c.User(width, height)
	if err != nil {
		closeChromium()
		return nil, nil, err
	}
	return b, func() { closeUser(); closeChromium() }, nil
}

// listen gathers what a user would find in the console, until the browser closes.
func (b *Browser) listen(console iter.Seq2[chromedp.ConsoleMessage, error]) {
	for m, err := range console {
		if err != nil {
			return
		}
		switch m.Type {
		case "error", "warning", "warn", "assert", chromedp.ConsoleException:
			b.mu.Lock()
			b.complaints = append(b.complaints, fmt.Sprint(m))
			b.mu.Unlock()
		}
	}
}

// Complaints returns what stood in the console since the last call.
func (b *Browser) Complaints() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := b.complaints
	b.complaints = nil
	return out
}

// Size makes the page so large, as a telephone's with touch or not.
func (b *Browser) Size(width, height int, phone bool) chromedp.Action[chromedp.Void] {
	return chromedp.EmulateViewport(
		int64(width),
		int64(height),
		func(m *emulation.SetDeviceMetricsOverrideParams, t *emulation.SetTouchEmulationEnabledParams) {
			m.Mobile, t.Enabled = phone, phone
		},
	)
}

// Night makes the browser prefer dark pages, or light ones.
func (b *Browser) Night(dark bool) chromedp.Action[chromedp.Void] {
	value := "light"
	if dark {
		value = "dark"
	}
	return b.Prefer("prefers-color-scheme", value)
}

// Prefer makes the browser say that its user prefers something, e.g. prefers-reduced-motion: reduce.
func (b *Browser) Prefer(feature, value string) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(
			ctx,
			t,
			emulation.SetEmulatedMedia,
			emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: feature, Value: value}}},
		)
		return err
	})
}

// At returns the selector of an element by its data-test attribute.
func At(name string) chromedp.CSS { return chromedp.CSS(`[data-test="` + name + `"]`) }

// patience is how long is waited for what must come: long, so that no test depends on the machine being quick.
const patience = time.Minute

// attempt is how long one poll may take. A poll whose page has gone never hears of it, so that there are several.
const attempt = 6 * time.Second

// Wait waits until a JavaScript expression is true.
func Wait(expression string) chromedp.Action[chromedp.Void] {
	poll := chromedp.Poll[any](expression, chromedp.WithPollingTimeout(attempt))
	once := func(ctx context.Context, t *chromedp.Target) error {
		ctx, cancel := context.WithTimeout(ctx, attempt+time.Second)
		defer cancel()
		_, err := poll(ctx, t)
		return err
	}
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		began := time.Now()
		err := once(ctx, t)
		for err != nil && ctx.Err() == nil && time.Since(began) < patience {
			if isBetweenPages(err) {
				time.Sleep(50 * time.Millisecond)
			} else if !isLate(err) {
				break
			}
			err = once(ctx, t)
		}
		if err != nil {
			return chromedp.Void{}, fmt.Errorf("waiting for %s: %w", expression, err)
		}
		return chromedp.Void{}, nil
	}
}

// isLate tells that what was waited for has not come in the time of one attempt.
func isLate(err error) bool {
	return errors.Is(err, context.DeadlineExceeded) || errors.Is(err, chromedp.ErrPollingTimeout)
}

// isBetweenPages tells that the browser has left a page and chromedp has not heard of the next one yet.
func isBetweenPages(err error) bool {
	return err != nil && strings.Contains(err.Error(), "Cannot find context with specified id")
}

// Run evaluates a JavaScript expression and leaves its value.
func Run(expression string) chromedp.Action[chromedp.Void] {
	evaluate := chromedp.Evaluate[any](expression)
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := evaluate(ctx, t)
		return chromedp.Void{}, err
	}
}

// MapDrawn waits until everything in view is drawn.
func MapDrawn() chromedp.Action[chromedp.Void] {
	return chromedp.Steps(Wait(`window.viandanteChart && window.viandanteChart.complete`), Shown())
}

// Shown waits until what the page has done so far is on the screen: for the frame after the next.
func Shown() chromedp.Action[chromedp.Void] {
	const frames = `new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`
	evaluate := chromedp.Evaluate[bool](frames, chromedp.EvalAwaitPromise)
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := evaluate(ctx, t)
		return chromedp.Void{}, err
	}
}

// Shot writes a picture of the page.
func (b *Browser) Shot(file string) error {
	data, err := chromedp.Run(b.Ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o644)
}
