package server

import (
	"bytes"
	"encoding/json"
	"log"
	"log/slog"
	"net"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
)

// NewHTTPServer returns the server for a handler, with limits for how long a request may take to arrive. Its own
// answers, to what is no HTTP, are problem documents as well when it listens through Listener.
func NewHTTPServer(handler http.Handler, logger *slog.Logger) *http.Server {
	return &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          log.New(&sparing{logger: logger, now: time.Now}, "", 0),
	}
}

// sparing logs what net/http complains of, each kind of complaint at most once a minute: who sends nonsense writes no
// log.
type sparing struct {
	logger *slog.Logger
	now    func() time.Time
	mu     sync.Mutex
	last   map[string]time.Time
	passed map[string]int
}

// A complaint's kind is its text up to the first number.
var firstNumber = regexp.MustCompile(`[0-9]`)

func (s *sparing) Write(text []byte) (int, error) {
	line := strings.TrimSpace(string(text))
	kind := firstNumber.Split(line, 2)[0]
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.last == nil || len(s.last) > 100 {
		s.last, s.passed = map[string]time.Time{}, map[string]int{}
	}
	if s.now().Sub(s.last[kind]) < time.Minute {
		s.passed[kind]++
		return len(text), nil
	}
	s.logger.Warn("http", "complaint", line, "passed_over", s.passed[kind])
	s.last[kind], s.passed[kind] = s.now(), 0
	return len(text), nil
}

// Starting answers while the server is being made ready: it is alive, and everything else is to be asked again.
func Starting() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/healthz" {
			w.Header().Set("Content-Type", "application/json")
			_, _ = w.Write([]byte(`{"status":"alive"}`)) // who is gone is not told
			return
		}
		w.Header().Set("Retry-After", "1")
		writeProblem(
			w,
			problem{Type: typePrefix + "not-ready", Title: "Not ready yet", Status: http.StatusServiceUnavailable,
				Detail:    "the server is starting: the database, the places and the map data are being loaded",
				RequestID: uuid.NewString()},
		)
	})
}

func writeProblem(w http.ResponseWriter, p problem) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // who is gone is not told
}

// Listener makes problem documents of the plain text that net/http answers by itself to what is no HTTP request: those
// answers never reach a handler.
func Listener(l net.Listener) net.Listener { return &listener{l} }

type listener struct{ net.Listener }

func (l *listener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &conn{c}, nil
}

type conn struct{ net.Conn }

// plainError is how net/http begins such an answer: it writes it at one go, and closes.
var plainError = regexp.MustCompile(`^HTTP/1\.1 ([45][0-9][0-9]) ([^\r\n]*)\r\n` +
	`Content-Type: text/plain; charset=utf-8\r\nConnection: close\r\n\r\n`)

func (c *conn) Write(data []byte) (int, error) {
	if !bytes.HasPrefix(data, []byte("HTTP/1.1 4")) && !bytes.HasPrefix(data, []byte("HTTP/1.1 5")) {
		return c.Conn.Write(data)
	}
	m := plainError.FindSubmatch(data)
	if m == nil {
		return c.Conn.Write(data)
	}
	status, _ := strconv.Atoi(string(m[1])) // three digits
	detail := strings.TrimPrefix(string(data[len(m[0]):]), string(m[1])+" ")
	text, err := json.Marshal(
		problem{Type: typePrefix + "http-" + string(m[1]), Title: http.StatusText(status), Status: status,
			Detail: "this is not a request that can be read: " + detail, RequestID: uuid.NewString()},
	)
	if err != nil {
		return c.Conn.Write(data)
	}
	var out bytes.Buffer
	out.WriteString(
		"HTTP/1.1 " + string(m[1]) + " " + http.StatusText(status) + "\r\nContent-Type: application/problem+json\r\n" +
			"Content-Length: " + strconv.Itoa(len(text)) + "\r\nConnection: close\r\n\r\n",
	)
	out.Write(text)
	if _, err := c.Conn.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(data), nil
}
