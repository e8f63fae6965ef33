package background

import (
	"bytes"
	"context"
	"log/slog"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What panics is counted, logged and begun again until it ends by itself; whoever waits waits for that.
func TestWorkIsBegunAgain(t *testing.T) {
	var log bytes.Buffer
	c := New(slog.New(slog.NewTextHandler(&log, nil)))
	var begun atomic.Int32
	c.Go(t.Context(), "the work", func(context.Context) {
		if begun.Add(1) < 3 {
			panic("broken")
		}
	})
	c.Wait()
	assert.Equal(t, int32(3), begun.Load())
	assert.Equal(t, int64(2), c.Panics())
	assert.Contains(t, log.String(), "the work")
	assert.Contains(t, log.String(), "background_test.go", "with where it went wrong")
}

// What goes on panicking is given up with its context.
func TestWorkEndsWithItsContext(t *testing.T) {
	c := New(slog.New(slog.DiscardHandler))
	ctx, stop := context.WithCancel(t.Context())
	c.Go(ctx, "the work", func(context.Context) {
		stop()
		panic("broken")
	})
	c.Wait()
	assert.Equal(t, int64(1), c.Panics())
	assert.False(t, c.Try("a piece", func() { panic("broken") }))
	assert.True(t, c.Try("a piece", func() {}))
}
