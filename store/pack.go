package store

import (
	"sync"

	"github.com/klauspost/compress/zstd"
)

// packedMark begins a text that is compressed; CBOR of a list never begins so.
const packedMark = 0

// worthPacking is the size from which records are compressed: curves repeat their x, and take most of the room.
const worthPacking = 8 << 10

var packer = sync.OnceValues(func() (*zstd.Encoder, error) {
	return zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1))
})

// maxUnpacked bounds what one chunk of records may unfold to.
const maxUnpacked = 4 << 30

var unpacker = sync.OnceValues(func() (*zstd.Decoder, error) {
	return zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(maxUnpacked))
})

// packed compresses a text where that is worth it.
func packed(text []byte) ([]byte, error) {
	if len(text) < worthPacking {
		return text, nil
	}
	encoder, err := packer()
	if err != nil {
		return nil, err
	}
	return encoder.EncodeAll(text, []byte{packedMark}), nil
}

// unpacked gives the text again.
func unpacked(text []byte) ([]byte, error) {
	if len(text) == 0 || text[0] != packedMark {
		return text, nil
	}
	decoder, err := unpacker()
	if err != nil {
		return nil, err
	}
	return decoder.DecodeAll(text[1:], nil)
}
