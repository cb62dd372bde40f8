// Package examples holds complete benches, each in a folder of its own: benches that work, to be read and changed.
package examples

import "embed"

// Zipline is the arrest brake of a zip line, in the folder zipline.
//
//go:embed zipline
var Zipline embed.FS
