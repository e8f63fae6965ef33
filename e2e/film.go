package e2e

import (
	"context"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Frame is the page as the browser showed it at a time.
type Frame struct {
	At  time.Time
	PNG []byte
}

// Film takes the frames that the browser shows while an action runs, as many as it has time for.
func (b *Browser) Film(during chromedp.Action[chromedp.Void]) ([]Frame, error) {
	ctx, cancel := context.WithCancel(b.Ctx)
	defer cancel()
	var (
		frames []Frame
		taking sync.WaitGroup
	)
	shown := chromedp.Events(ctx, page.ScreencastFrame)
	taking.Go(func() {
		for e, err := range shown {
			if err != nil {
				return
			}
			frames = append(frames, Frame{time.UnixMicro(int64(e.Metadata.Timestamp.Float64() * 1e6)), e.Data})
			// Without it no more frames come; when the film is at its end that does not matter.
			_, _ = chromedp.Call(ctx, page.ScreencastFrameAck, page.ScreencastFrameAckParams{SessionID: e.SessionID})
		}
	})
	start := chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(
			ctx,
			t,
			page.StartScreencast,
			page.StartScreencastParams{Format: page.StartScreencastFormatPng, EveryNthFrame: 1},
		)
		return err
	})
	stop := chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, page.StopScreencast, cdp.Empty{})
		return err
	})
	err := chromedp.Do(b.Ctx, start, during, stop)
	cancel()
	taking.Wait()
	return frames, err
}
