package archive

import (
	"encoding/binary"
	"hash/crc32"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

// seven makes a 7z of its streams and its table of contents, with the sums that a
// reader asks for before it looks at either.
func seven(streams, table []byte) []byte {
	head := make([]byte, 32)
	copy(head, "7z\xbc\xaf\x27\x1c\x00\x04")
	binary.LittleEndian.PutUint64(head[12:], uint64(len(streams)))
	binary.LittleEndian.PutUint64(head[20:], uint64(len(table)))
	binary.LittleEndian.PutUint32(head[28:], crc32.ChecksumIEEE(table))
	binary.LittleEndian.PutUint32(head[8:], crc32.ChecksumIEEE(head[12:]))
	return append(append(head, streams...), table...)
}

// FuzzSeven opens 7z archives whose tables are any bytes: it lists them, or refuses.
func FuzzSeven(f *testing.F) {
	files := map[string]string{"a": "x", "d/b": "text", "e": ""}
	for _, args := range [][]string{{"-t7z", "-mhc=off"}, {"-t7z"}, {"-t7z", "-mhc=off", "-m0=copy"}, {"-t7z", "-mhc=off", "-m0=ppmd"}, {"-t7z", "-mhc=off", "-m0=bcj", "-m1=lzma2"}} {
		raw := by7z(f, files, args...)
		at := 32 + binary.LittleEndian.Uint64(raw[12:])
		f.Add(raw[32:at], raw[at:])
	}
	limits := DefaultLimits
	limits.Total = 1 << 20
	f.Fuzz(func(t *testing.T, streams, table []byte) {
		l, err := openAs(t, "x.7z", seven(streams, table), Options{Limits: limits})
		if err != nil {
			return
		}
		for _, it := range l.Items {
			_, err := tree.ParsePath(string(it.Path))
			require.NoError(t, err)
		}
	})
}
