package plain

import (
	"io"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// UTF8 is a text as UTF-8: one that begins with the mark of UTF-16 is turned into it, any other is what it is.
func UTF8(text io.Reader) io.Reader {
	return transform.NewReader(text, unicode.BOMOverride(transform.Nop))
}
