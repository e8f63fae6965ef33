// Package imagery fetches tiles and capabilities from sources that others run. A source may hang, refuse, or send what
// it should not: everything is bounded in time and size, what is no picture of the size of a tile goes no further, and
// a source that has just failed is left alone for a while, so that nobody waits for it again and again.
package imagery

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // tells JPEG
	_ "image/png"  // tells PNG
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	_ "golang.org/x/image/webp" // tells WebP

	"viandante/codec/wmts"
)

// Error says what a source did; it is worded for whoever set the source up.
type Error struct{ Reason string }

func (e *Error) Error() string { return e.Reason }

// ErrNoTile is returned where a source has nothing: it answers 404 or 204.
var ErrNoTile = errors.New("the source has no tile there")

const (
	tileWait         = 4 * time.Second
	documentWait     = 10 * time.Second
	maxTile          = 2 << 20
	maxDocument      = 16 << 20
	failuresToRest   = 3
	restAfterFailing = 20 * time.Second
	mostFailing      = 1000
)

// Client fetches. It is safe for use by many goroutines.
type Client struct {
	http *http.Client
	now  func() time.Time

	mu      sync.Mutex
	failing map[string]*failure // by source
}

type failure struct {
	inARow int
	until  time.Time
	reason string
}

// NewClient returns a client; now is the clock.
func NewClient(now func() time.Time) *Client {
	dialer := &net.Dialer{Timeout: 3 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		host, _, err := net.SplitHostPort(address)
		if err != nil {
			return err
		}
		// A machine's own addresses are fine, those that only services of the machine's surroundings have are not.
		if ip := net.ParseIP(host); ip == nil || ip.IsLinkLocalUnicast() || ip.IsMulticast() || ip.IsUnspecified() {
			return &Error{"its address " + host + " is not one that tiles are fetched from"}
		}
		return nil
	}}
	return &Client{now: now, failing: map[string]*failure{}, http: &http.Client{
		Transport: &http.Transport{
			DialContext:           dialer.DialContext,
			MaxConnsPerHost:       8,
			ResponseHeaderTimeout: documentWait,
			TLSHandshakeTimeout:   3 * time.Second,
			IdleConnTimeout:       time.Minute,
		},
		CheckRedirect: func(_ *http.Request, via []*http.Request) error {
			if len(via) > 3 {
				return &Error{"it sends from one address to the next without end"}
			}
			return nil
		},
	}}
}

// CheckURL returns what is wrong with an address to fetch from.
func CheckURL(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	switch {
	case err != nil:
		return nil, &Error{"is not an address: " + err.Error()}
	case u.Scheme != "http" && u.Scheme != "https" || u.Host == "":
		return nil, &Error{"does not begin with http:// or https:// and a host"}
	case u.User != nil:
		return nil, &Error{"holds a name and a password; give a key as part of the query instead"}
	}
	return u, nil
}

// Address returns the address of a tile. {z}, {x}, {y} are replaced; {-y} counts rows from the south; the name of the
// zoom is taken from matrices, from minZoom on, where there are any.
func Address(template string, matrices []string, minZoom, z, x, y int) string {
	zoom := strconv.Itoa(z)
	if i := z - minZoom; i >= 0 && i < len(matrices) {
		zoom = url.PathEscape(matrices[i])
	}
	return strings.NewReplacer("{z}", zoom, "{x}", strconv.Itoa(x), "{y}", strconv.Itoa(y), "{-y}",
		strconv.Itoa(1<<z-1-y)).
		Replace(template)
}

// Tile returns a tile's picture and its media type. source names where it comes from: of one that fails, others on the
// same host are none the worse. size is its side in pixels; a picture of another size is an *Error.
func (c *Client) Tile(ctx context.Context, source, address string, size int) ([]byte, string, error) {
	ctx, cancel := context.WithTimeout(ctx, tileWait)
	defer cancel()
	data, err := c.get(ctx, source, address, maxTile)
	if err != nil {
		return nil, "", err
	}
	config, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, "", &Error{"it sends something that is no PNG, JPEG or WebP picture"}
	}
	if config.Width != size || config.Height != size {
		return nil, "", &Error{
			fmt.Sprintf(
				"its tile is %d by %d pixels where %d by %d were agreed",
				config.Width,
				config.Height,
				size,
				size,
			),
		}
	}
	return data, "image/" + kind, nil
}

// Layers reads a capabilities document.
func (c *Client) Layers(ctx context.Context, address string) ([]wmts.Layer, error) {
	from, err := CheckURL(address)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, documentWait)
	defer cancel()
	data, err := c.get(ctx, address, address, maxDocument)
	if errors.Is(err, ErrNoTile) {
		return nil, &Error{"there is nothing at this address"}
	} else if err != nil {
		return nil, err
	}
	layers, err := wmts.Read(bytes.NewReader(data), from)
	if err != nil {
		return nil, &Error{err.Error()}
	}
	return layers, nil
}

func (c *Client) get(ctx context.Context, source, address string, most int64) ([]byte, error) {
	u, err := CheckURL(address)
	if err != nil {
		return nil, err
	}
	if err := c.resting(source); err != nil {
		return nil, err
	}
	data, err := c.fetch(ctx, u, most)
	if err == nil || errors.Is(err, ErrNoTile) {
		c.settle(source, "")
		return data, err
	}
	if errors.Is(ctx.Err(), context.Canceled) {
		return nil, err // nobody waits any more; it says nothing of the source
	}
	var e *Error
	if !errors.As(err, &e) {
		e = &Error{"it cannot be reached: " + inner(err).Error()}
	}
	if errors.Is(err, context.DeadlineExceeded) || errors.Is(ctx.Err(), context.DeadlineExceeded) {
		e = &Error{"it does not answer in time"}
	}
	c.settle(source, e.Reason)
	return nil, e
}

// inner is an error without the address that it was about, which may hold a key.
func inner(err error) error {
	var u *url.Error
	if errors.As(err, &u) {
		return u.Err
	}
	return err
}

func (c *Client) fetch(ctx context.Context, u *url.URL, most int64) ([]byte, error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return nil, err
	}
	request.Header.Set("User-Agent", "Viandante")
	response, err := c.http.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotFound || response.StatusCode == http.StatusNoContent:
		return nil, ErrNoTile
	case response.StatusCode != http.StatusOK:
		return nil, &Error{"it answers " + response.Status}
	}
	data, err := io.ReadAll(io.LimitReader(response.Body, most+1))
	if err != nil {
		return nil, fmt.Errorf("its answer breaks off: %w", err)
	}
	if int64(len(data)) > most {
		return nil, &Error{fmt.Sprintf("its answer is larger than %d MB", most>>20)}
	}
	return data, nil
}

// resting returns an error for a source that has failed some times in a row just now.
func (c *Client) resting(source string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if f := c.failing[source]; f != nil && f.inARow >= failuresToRest && c.now().Before(f.until) {
		return &Error{fmt.Sprintf("%s; it is asked again in %.0f s", f.reason, f.until.Sub(c.now()).Seconds()+0.5)}
	}
	return nil
}

// settle notes how an attempt ended.
func (c *Client) settle(source, reason string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if reason == "" {
		delete(c.failing, source)
		return
	}
	if len(c.failing) > mostFailing {
		clear(c.failing)
	}
	f := c.failing[source]
	if f == nil {
		f = &failure{}
		c.failing[source] = f
	}
	f.inARow++
	f.until, f.reason = c.now().Add(restAfterFailing), reason
}
