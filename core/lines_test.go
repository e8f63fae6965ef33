package core

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Lines of Go have at most 120 columns, a tab being four; those of the page are held to it by ESLint.
func TestLinesFitAScreen(t *testing.T) {
	const most = 120
	files := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && (d.Name() == "node_modules" || d.Name() == "var" || d.Name() == ".git"):
			return filepath.SkipDir
		case filepath.Ext(path) != ".go":
			return nil
		}
		files++
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		number := 0
		for line := range strings.Lines(string(text)) {
			number++
			line = strings.ReplaceAll(strings.TrimRight(line, "\n"), "\t", "    ")
			assert.LessOrEqual(t, utf8.RuneCountInString(line), most, "%s:%d", path, number)
		}
		return nil
	}))
	require.Greater(t, files, 200)
}
