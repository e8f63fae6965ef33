package main

import (
	"context"
	_ "embed"
	"fmt"
	"slices"
	"time"

	"github.com/chromedp/chromedp"

	"viandante/e2e"
)

//go:embed journeys.js
var journeysScript string

const (
	journeys   = 500
	atOnce     = 25 // journeys to a call of the page
	noise      = 10 // metres, root mean square
	firstSeed  = 1
	followedAt = "/around?v=-38.1139663,-26.2798827,16"
)

// rehearsed is what came of some journeys.
type rehearsed struct {
	Journeys, Right, NearestRight, Shown, FalseWays, NearestFalse, Missed, Arrived, Fixes int
	Hours, Ms                                                                             float64
	Noticed                                                                               []float64
}

// following rehearses journeys of the island with the page's own guide, and compares what it shows with the truth and
// with what the nearest point of the way would show; and measures frames while the map follows a rehearsal at 60 times.
func following() ([]row, error) {
	b, stop, err := signedIn(20 * time.Minute)
	if err != nil {
		return nil, err
	}
	defer stop()
	if err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen+followedAt), e2e.MapDrawn()); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](journeysScript+";1")); err != nil {
		return nil, err
	}
	var all rehearsed
	for i := range journeys / atOnce {
		got, err := chromedp.Run(b.Ctx, chromedp.Evaluate[rehearsed](fmt.Sprintf(
			"viandanteJourneys(%d, %d, %d)", atOnce, noise, firstSeed+i), chromedp.EvalAwaitPromise))
		if err != nil {
			return nil, err
		}
		all.add(got)
	}
	slices.Sort(all.Noticed)
	noticed := times(all.Noticed)
	in10 := 0
	for _, s := range all.Noticed {
		if s <= 10 {
			in10++
		}
	}
	shown := float64(all.Shown)
	rows := []row{
		{fmt.Sprintf("%d journeys, %.0f h, 10 m of drifting error: the right step is shown", all.Journeys, all.Hours),
			100 * float64(all.Right) / shown, "%", "at least 97", "the nearest point of the way",
			100 * float64(all.NearestRight) / shown},
		{fmt.Sprintf("… %d times off the way, noticed within 10 s (%d never)", len(noticed)+all.Missed, all.Missed),
			100 * float64(in10) / float64(len(noticed)+all.Missed), "%", "100", "the same", 100},
		{"… the median of them", noticed.at(0.5), "s", "10", "the 99th percentile", noticed.at(0.99)},
		{"… false new ways in five hours", 5 * float64(all.FalseWays) / all.Hours, "", "below 1",
			"20 m off the line for 4 s", 5 * float64(all.NearestFalse) / all.Hours},
		{"… a fix costs the page", 1000 * all.Ms / float64(all.Fixes), "µs", "", "a second", 1e6},
	}
	frames, err := followed(b)
	return append(rows, frames...), err
}

func (r *rehearsed) add(o rehearsed) {
	r.Journeys, r.Right, r.NearestRight, r.Shown = r.Journeys+o.Journeys, r.Right+o.Right,
		r.NearestRight+o.NearestRight, r.Shown+o.Shown
	r.FalseWays, r.NearestFalse, r.Missed = r.FalseWays+o.FalseWays, r.NearestFalse+o.NearestFalse, r.Missed+o.Missed
	r.Arrived, r.Fixes, r.Hours, r.Ms = r.Arrived+o.Arrived, r.Fixes+o.Fixes, r.Hours+o.Hours, r.Ms+o.Ms
	r.Noticed = append(r.Noticed, o.Noticed...)
}

// followed measures the frames while a rehearsal by bicycle plays at 60 times and the map follows it.
func followed(b *e2e.Browser) ([]row, error) {
	ctx, cancel := context.WithTimeout(b.Ctx, 5*time.Minute)
	defer cancel()
	id, err := chromedp.Run(ctx, chromedp.Evaluate[string](`fetch('/v1/rehearsals').then(r => r.json()).then(a =>
		a.rehearsals.find(r => r.by === 'bicycle').id)`, chromedp.EvalAwaitPromise))
	if err != nil {
		return nil, err
	}
	page := chromedp.Navigate("http://" + benchListen + followedAt)
	if err := chromedp.Do(ctx, page, e2e.MapDrawn()); err != nil {
		return nil, err
	}
	dragged, err := run(b, "10000", "c.pan(-4.6, 1.5)") // as fast as the bicycle
	if err != nil {
		return nil, err
	}
	var rows []row
	for _, m := range []struct {
		what, target string
		presses      int
	}{{"following at 60 times, centred, 10,000 places", "20 ms", 1}, {"… heading up", "50 ms", 2}} {
		if err := chromedp.Do(ctx, chromedp.Navigate("http://"+benchListen+followedAt+"&rehearsal="+id),
			chromedp.WaitVisible(e2e.At("play")), e2e.MapDrawn()); err != nil {
			return nil, err
		}
		for range m.presses {
			if err := chromedp.Do(ctx, chromedp.KeyEvent("o"), chromedp.Sleep(time.Second)); err != nil {
				return nil, err
			}
		}
		if _, err := chromedp.Run(ctx, chromedp.Evaluate[int](`(e => { e.value = 60
			e.dispatchEvent(new Event('change')) })(document.querySelector('[data-test=speed]')),
			document.querySelector('[data-test=play]').click(), 1`)); err != nil {
			return nil, err
		}
		got, err := run(b, "10000", "")
		if err != nil {
			return nil, err
		}
		rows = append(rows,
			row{m.what + ": between frames, 95th percentile", got.P95, "ms", m.target,
				"dragging it as fast", dragged.P95},
			row{"… frames that came late", 100 * got.Late, "%", "", "dragging it as fast", 100 * dragged.Late})
	}
	return rows, nil
}
