// Package ui holds the built user interface; `npm run build` writes it to dist/app.
package ui

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Page returns the files of the built page; it is empty when they were not built.
func Page() fs.FS {
	page, err := fs.Sub(dist, "dist/app")
	if err != nil { // only for a malformed path
		panic(err)
	}
	return page
}
