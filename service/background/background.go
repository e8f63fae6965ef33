// Package background owns what goes on besides requests: whoever starts something waits for it, and what goes wrong in
// it is logged, counted and begun again.
package background

import (
	"context"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"
)

// pause is how long a work that went wrong rests before it is begun again.
const pause = 200 * time.Millisecond

// Crew are the goroutines of somebody. It is safe for use by many of them.
type Crew struct {
	log    *slog.Logger
	panics atomic.Int64
	live   sync.WaitGroup
}

// New returns a crew without any.
func New(log *slog.Logger) *Crew { return &Crew{log: log} }

// Go does something in a goroutine of its own, again as long as it panics and ctx is not done.
func (c *Crew) Go(ctx context.Context, what string, f func(ctx context.Context)) {
	c.live.Go(func() {
		for !c.Try(what, func() { f(ctx) }) {
			select {
			case <-ctx.Done():
				return
			case <-time.After(pause):
			}
		}
	})
}

// Try does something here, and returns false when it panicked.
func (c *Crew) Try(what string, f func()) (ok bool) {
	defer func() {
		if p := recover(); p != nil {
			c.panics.Add(1)
			c.log.Error("something went wrong in the background; it is begun again", "what", what, "panic", p,
				"stack", string(debug.Stack()))
		}
	}()
	f()
	return true
}

// Panics returns how many times something went wrong.
func (c *Crew) Panics() int64 { return c.panics.Load() }

// Wait waits for all that was started.
func (c *Crew) Wait() { c.live.Wait() }
