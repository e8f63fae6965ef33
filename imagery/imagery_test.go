package imagery

import (
	"bytes"
	"context"
	"image/png"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/standin"
)

func TestTilesOfASource(t *testing.T) {
	s := httptest.NewServer(standin.Imagery())
	defer s.Close()
	c := NewClient(time.Now)
	layers, err := c.Layers(t.Context(), s.URL+"/wmts/capabilities.xml")
	require.NoError(t, err)
	require.Len(t, layers, 1)
	l := layers[0]
	data, kind, err := c.Tile(
		t.Context(),
		"soil",
		Address(l.Template, l.Matrices, l.MinZoom, 12, 1750, 2523),
		l.TileSize,
	)
	require.NoError(t, err)
	assert.Equal(t, "image/png", kind)
	byTemplate, _, err := c.Tile(
		t.Context(),
		"soil",
		Address(s.URL+"/soil/{z}/{x}/{-y}.png", nil, 0, 12, 1750, 1<<12-1-2523),
		256,
	)
	require.NoError(t, err)
	assert.Equal(t, data, byTemplate, "rows counted from the south")
	picture, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	assert.Equal(t, 256, picture.Bounds().Dx())
	_, _, err = c.Tile(t.Context(), "soil", Address(l.Template, l.Matrices, l.MinZoom, 30, 0, 0), 256)
	assert.ErrorIs(t, err, ErrNoTile)
}

func TestSourcesThatMisbehave(t *testing.T) {
	s := httptest.NewServer(standin.Imagery())
	t.Cleanup(s.Close)
	for kind, says := range map[string]string{
		"refuse": "it answers 403", "huge": "its tile is 20000 by 20 pixels", "text": "no PNG, JPEG or WebP",
		"cut": "breaks off", "hang": "does not answer in time",
	} {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			c := NewClient(time.Now)
			began := time.Now()
			_, _, err := c.Tile(t.Context(), kind, Address(s.URL+"/"+kind+"/{z}/{x}/{y}.png", nil, 0, 3, 1, 1), 256)
			var e *Error
			require.ErrorAs(t, err, &e)
			assert.ErrorContains(t, err, says)
			assert.Less(t, time.Since(began), tileWait+2*time.Second)
		})
	}
	_, _, err := NewClient(time.Now).Tile(t.Context(), "soil", s.URL+"/missing/1/1/1.png", 256)
	assert.ErrorIs(t, err, ErrNoTile)
	round := httptest.NewServer(
		http.HandlerFunc(
			func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, r.URL.Path+"x", http.StatusFound) },
		),
	)
	defer round.Close()
	_, _, err = NewClient(time.Now).Tile(t.Context(), "soil", round.URL+"/a", 256)
	assert.ErrorContains(t, err, "without end")
	_, err = NewClient(time.Now).Layers(t.Context(), s.URL+"/soil/1/1/1.png")
	assert.ErrorContains(t, err, "is not a WMTS capabilities document")
}

// A source that fails some times in a row is left alone for a while, and asked again afterwards.
func TestAFailingSourceRests(t *testing.T) {
	asked, works := 0, false
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		if !works {
			http.Error(w, "no", http.StatusInternalServerError)
			return
		}
		standin.Imagery().ServeHTTP(w, r)
	}))
	defer s.Close()
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	c := NewClient(func() time.Time { return now })
	tile := func() error { _, _, err := c.Tile(t.Context(), "soil", s.URL+"/soil/1/1/1.png", 256); return err }
	for range 5 {
		require.Error(t, tile())
	}
	assert.Equal(t, failuresToRest, asked)
	assert.ErrorContains(t, tile(), "500 Internal Server Error; it is asked again in 2")
	_, _, err := c.Tile(t.Context(), "another source on the same host", s.URL+"/soil/1/1/1.png", 256)
	assert.NotContains(t, err.Error(), "asked again", "one that fails does not rest the others")
	works = true
	now = now.Add(restAfterFailing + time.Second)
	require.NoError(t, tile())
	require.NoError(t, tile())
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	for range 5 {
		_, _, err := c.Tile(gone, "soil", s.URL+"/soil/1/1/1.png", 256)
		require.Error(t, err)
	}
	assert.NoError(t, tile(), "who asked and went away says nothing of the source")
}

func TestAddressesThatAreNotFetchedFrom(t *testing.T) {
	for text, says := range map[string]string{
		"": "does not begin with", "ftp://x/y": "does not begin with", "file:///etc/passwd": "does not begin with",
		"http://":     "does not begin with",
		"http://a b/": "is not an address", "http://me:secret@x/": "a name and a password",
	} {
		_, err := CheckURL(text)
		assert.ErrorContains(t, err, says, text)
	}
	_, _, err := NewClient(time.Now).Tile(t.Context(), "soil", "http://169.254.169.254/latest/1.png", 256)
	assert.ErrorContains(t, err, "not one that tiles are fetched from")
	assert.Equal(t, "http://x/L%2007/5/6", Address("http://x/{z}/{x}/{y}", []string{"L 06", "L 07"}, 6, 7, 5, 6))
}
