package letters

import (
	"os"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/chart"
)

// the fonts that the page is built with.
const modules = "../../ui/node_modules/@fontsource"

func fonts(t *testing.T) *Fonts {
	t.Helper()
	f, err := Read(os.DirFS(modules))
	require.NoError(t, err)
	require.NotNil(t, f, "the page's packages are installed")
	return f
}

func TestLettersOfThePagesFonts(t *testing.T) {
	f := fonts(t)
	sans := chart.Font{Family: "Alegreya Sans", Weight: 400}
	for _, r := range "AgéßЖωő1" {
		l := f.Letter(sans, r)
		assert.NotEmpty(t, l.Contours, "%c", r)
		assert.True(t, l.Advance > 0.1 && l.Advance < 1.2, "%c is %v wide", r, l.Advance)
		for _, contour := range l.Contours {
			for _, p := range contour {
				assert.True(t, p[0] > -0.6 && p[0] < 1.5 && p[1] > -1.3 && p[1] < 0.6, "%c: %v", r, p)
			}
		}
	}
	assert.Empty(t, f.Letter(sans, ' ').Contours)
	assert.NotZero(t, f.Letter(sans, ' ').Advance)
	assert.NotZero(t, f.Letter(sans, '🗻').Advance, "what no font has takes some room")
	assert.NotEqual(t, f.Letter(sans, 'g'), f.Letter(chart.Font{Family: "Alegreya", Weight: 500}, 'g'))
	assert.NotEqual(t, f.Letter(sans, 'M').Advance, f.Letter(chart.Font{Family: "Alegreya Sans", Weight: 700},
		'M').Advance)
	assert.InDelta(t, 0.25, f.Middle(sans), 0.15)
	assert.Contains(t, f.String(), "Alegreya 400 true")
}

func TestAnUprightFontIsSlanted(t *testing.T) {
	page := fstest.MapFS{}
	data, err := os.ReadFile(modules + "/alegreya-sans/files/alegreya-sans-latin-400-normal.woff")
	require.NoError(t, err)
	page["assets/alegreya-sans-latin-400-normal-Ab12.woff"] = &fstest.MapFile{Data: data}
	f, err := Read(page)
	require.NoError(t, err)
	upright := f.Letter(chart.Font{Family: "Alegreya Sans", Weight: 400}, 'l').Contours[0]
	slanted := f.Letter(chart.Font{Family: "Alegreya Sans", Weight: 400, Italic: true}, 'l').Contours[0]
	require.Len(t, slanted, len(upright))
	for i := range upright {
		assert.InDelta(t, upright[i][0]-upright[i][1]*slant, slanted[i][0], 1e-9)
	}
	assert.NotEmpty(t, f.Letter(chart.Font{Family: "Alegreya", Weight: 500}, 'l').Contours,
		"another family is better than none")
}

func TestFilesThatAreNoFonts(t *testing.T) {
	data, err := os.ReadFile(modules + "/alegreya-sans/files/alegreya-sans-latin-400-normal.woff")
	require.NoError(t, err)
	for name, bad := range map[string][]byte{"empty": {}, "text": []byte(
		"wOFF and nothing more, which is too little for a font"),
		"cut": data[:200], "half": data[:len(data)/2]} {
		_, err := Read(fstest.MapFS{"alegreya-latin-500-normal-x.woff": &fstest.MapFile{Data: bad}})
		assert.Error(t, err, name)
	}
	f, err := Read(fstest.MapFS{"index.html": &fstest.MapFile{}})
	assert.NoError(t, err)
	assert.Nil(t, f)
}
