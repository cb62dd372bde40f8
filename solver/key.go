package solver

import (
	"crypto/sha256"
	"encoding/binary"
	"hash"
	"math"
)

// A KeyMaker collects what a key depends on. Each part is entered with its length, so that no two lists of parts give the
// same key.
type KeyMaker struct{ hash hash.Hash }

// NewKeyMaker begins the key of a kind of solver. A new meaning of what is entered needs a new kind.
func NewKeyMaker(kind string) KeyMaker {
	k := KeyMaker{sha256.New()}
	k.Text(kind)
	return k
}

// Text enters texts.
func (k KeyMaker) Text(texts ...string) {
	for _, text := range texts {
		k.Number(int64(len(text)))
		k.hash.Write([]byte(text))
	}
}

// Bytes enters the content of a file.
func (k KeyMaker) Bytes(content []byte) {
	sum := sha256.Sum256(content)
	k.hash.Write(sum[:])
}

// Number enters whole numbers.
func (k KeyMaker) Number(numbers ...int64) {
	for _, number := range numbers {
		k.hash.Write(binary.LittleEndian.AppendUint64(nil, uint64(number)))
	}
}

// Real enters numbers, to the last bit.
func (k KeyMaker) Real(numbers ...float64) {
	k.Number(int64(len(numbers)))
	for _, number := range numbers {
		k.Number(int64(math.Float64bits(number)))
	}
}

// Key is the key of what was entered.
func (k KeyMaker) Key() Key { return Key(k.hash.Sum(nil)) }
