package service

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// compressedAbove is the size from which an answer is worth compressing, in bytes.
const compressedAbove = 10_000

// compress packs large answers for those who take that (RFC 9110, section 12.5.3). Columns of numbers stay as they are: they hardly
// become smaller, and are wanted at once.
func compress(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	response := c.Response()
	kind := string(response.Header.ContentType())
	packed := kind == columnsType || strings.HasPrefix(kind, "application/zip")
	if packed || response.IsBodyStream() || len(response.Body()) <= compressedAbove || !c.RequestCtx().Request.Header.HasAcceptEncoding("gzip") {
		return nil
	}
	var small bytes.Buffer
	w, err := gzip.NewWriterLevel(&small, gzip.BestSpeed)
	if err != nil {
		return err
	}
	if _, err := w.Write(response.Body()); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	c.Append("Vary", "Accept-Encoding")
	c.Set("Content-Encoding", "gzip")
	response.SetBody(small.Bytes())
	return nil
}

// tag names what is answered by its content, and leaves it out for those who have it (RFC 9110, section 8.8.3).
func tag(c fiber.Ctx) error {
	if err := c.Next(); err != nil || c.Response().StatusCode() != fiber.StatusOK {
		return err
	}
	sum := sha256.Sum256(c.Response().Body())
	name := `"` + hex.EncodeToString(sum[:16]) + `"`
	c.Set("ETag", "W/"+name)                    // the same content, however it is packed
	c.Set("Cache-Control", "private, no-cache") // ask whether it is still that
	for _, known := range strings.Split(c.Get("If-None-Match"), ",") {
		if strings.TrimPrefix(strings.TrimSpace(known), "W/") == name {
			c.Response().ResetBody()
			return c.SendStatus(fiber.StatusNotModified)
		}
	}
	return nil
}
