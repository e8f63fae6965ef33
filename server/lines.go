package server

import (
	"bytes"
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
)

// linesType is the media type of answers that are a line of JSON for each question.
const linesType = "application/x-ndjson"

// sendLines answers with a line of JSON for each of n questions, in their order, some at a time and while the next are
// worked on. The first error ends it; once something was sent it breaks the answer off, and whoever reads sees that
// lines are missing.
func sendLines(c *echo.Context, n, some int, line func(i int) (any, error)) error {
	lines := make([]any, min(some, n))
	control := http.NewResponseController(c.Response())
	for from := 0; from < n; from += some {
		count := min(some, n-from)
		err := parallel(count, func(i int) (err error) {
			lines[i], err = line(from + i)
			return err
		})
		if err != nil && from == 0 {
			return err
		} else if err != nil {
			return nil
		}
		var out bytes.Buffer
		for _, one := range lines[:count] {
			text, err := json.Marshal(one)
			if err != nil {
				return err
			}
			out.Write(append(text, '\n'))
		}
		if from == 0 {
			c.Response().Header().Set(echo.HeaderContentType, linesType)
		}
		_ = control.SetWriteDeadline(time.Now().Add(answerWait)) // a writer without deadlines is a test's
		if _, err := c.Response().Write(out.Bytes()); err != nil {
			return nil // nobody reads any more
		}
		_ = control.Flush()
	}
	return nil
}

// parallel runs f for the numbers below n, two at a time, until one fails.
func parallel(n int, f func(i int) error) error {
	var failed [2]error
	var wait sync.WaitGroup
	for k := range failed {
		wait.Go(func() {
			for i := k; i < n && failed[k] == nil; i += len(failed) {
				failed[k] = f(i)
			}
		})
	}
	wait.Wait()
	if failed[0] != nil {
		return failed[0]
	}
	return failed[1]
}
