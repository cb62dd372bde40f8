// Package console holds the files of the web console, built by `make console`.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files is the built console; it has no index.html where the program was built without it.
func Files() (fs.FS, error) { return fs.Sub(dist, "dist") }
