package archive

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// sevenOf makes a 7z of nothing but a table of contents.
func sevenOf(table []byte) []byte {
	raw := append([]byte("7z\xbc\xaf\x27\x1c\x00\x04"), make([]byte, 24)...)
	binary.LittleEndian.PutUint64(raw[20:], uint64(len(table)))
	binary.LittleEndian.PutUint32(raw[28:], crc32.ChecksumIEEE(table))
	binary.LittleEndian.PutUint32(raw[8:], crc32.ChecksumIEEE(raw[12:32]))
	return append(raw, table...)
}

// billions is a number of the 7z format: 4,000,000,000.
var billions = []byte{0xf0, 0x00, 0x28, 0x6b, 0xee}

// A few bytes that say billions of something must not be believed: making room for
// so many ends the whole program.
func TestATableOfContentsIsNotBelieved(t *testing.T) {
	join := func(parts ...any) []byte {
		var b []byte
		for _, p := range parts {
			switch p := p.(type) {
			case int:
				b = append(b, byte(p))
			case []byte:
				b = append(b, p...)
			}
		}
		return b
	}
	pack := join(idPackInfo, 0, 1, idSize, 1, idEnd)
	oneFolder := join(idUnpackInfo, idFolder, 1, 0, 1, 1, 0, idUnpackSize, 1, idEnd)
	for name, table := range map[string][]byte{
		"files":            join(idHeader, idFiles, billions),
		"folders":          join(idHeader, idMainStreams, pack, idUnpackInfo, idFolder, billions),
		"packed streams":   join(idHeader, idMainStreams, idPackInfo, 0, billions),
		"files of folders": join(idHeader, idMainStreams, pack, oneFolder, idSubStreams, idStreamCount, billions, idSize),
		"properties":       join(idHeader, idMainStreams, pack, idUnpackInfo, idFolder, 1, 0, 1, 0x21, 0, billions),
		"streams":          join(idHeader, idMainStreams, pack, idUnpackInfo, idFolder, 1, 0, 1, 0x11, 0, billions, billions),
		"packed table":     join(idEncodedHeader, pack, idUnpackInfo, idFolder, 1, 0, 1, 1, 0, idUnpackSize, billions, idEnd, idEnd),
		"nothing":          join(idHeader),
		"neither":          join(77),
	} {
		_, err := open(t, sevenOf(table))
		bad := new(Error)
		require.ErrorAs(t, err, &bad, name)
		require.Contains(t, []string{"bomb", "broken-archive"}, bad.Code, name)
	}
	l, err := open(t, sevenOf(nil))
	require.NoError(t, err, "an empty one is fine")
	require.Empty(t, l.Items)
}

func TestADamagedByteInAnUnpackedSevenZipIsFoundOut(t *testing.T) {
	raw := by7z(t, map[string]string{"lamp.lf": strings.Repeat("lamp ", 100)}, "-t7z", "-m0=copy")
	raw[32+250] ^= 1
	_, err := open(t, raw)
	requireRefusal(t, err, "broken-archive", "lamp.lf")
	require.Contains(t, err.Error(), "its checksum is")
}

// patchedXZ makes an xz stream say another size of dictionary (.xz file format,
// 3.1 and 5.3.1).
func patchedXZ(t *testing.T, raw []byte, props byte) []byte {
	t.Helper()
	head := raw[12 : 12+(int(raw[12])+1)*4]
	at := bytes.Index(head, []byte{0x21, 0x01})
	require.Positive(t, at)
	head[at+2] = props
	binary.LittleEndian.PutUint32(head[len(head)-4:], crc32.ChecksumIEEE(head[:len(head)-4]))
	return raw
}

// allocated tells how many bytes were asked for meanwhile.
func allocated(do func()) uint64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	do()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}

// The limit of memory counts for every stream, block and frame, not the first.
func TestEveryStreamSaysHowMuchMemoryItNeeds(t *testing.T) {
	plain := tarred(t, lamps)
	half := len(plain) / 2 / 512 * 512
	first := through(t, plain[:half], asXZ)
	for _, props := range []byte{36, 39, 40} { // 1 GiB, 3 GiB, 4 GiB
		two := append(bytes.Clone(first), patchedXZ(t, through(t, plain[half:], asXZ), props)...)
		require.Less(t, allocated(func() {
			_, err := open(t, two)
			requireRefusal(t, err, "bomb", "")
		}), uint64(256<<20))
	}
	two := append(bytes.Clone(first), through(t, plain[half:], asXZ)...)
	l, err := open(t, two)
	require.NoError(t, err, "two streams are one file")
	require.Equal(t, digests(lamps), held(l))
	many := bytes.Clone(first)
	for range 100 { // each within the limit: together they would be 12 GiB
		many = append(many, patchedXZ(t, through(t, make([]byte, 512), asXZ), 30)...) // 128 MiB
	}
	require.Less(t, allocated(func() { _, _ = open(t, many) }), uint64(512<<20)) // cut short or not is all the same

	big := through(t, bytes.Repeat([]byte("lamp"), 1<<20), asZstdOf(256<<20))
	frames := append(through(t, plain, asZstd), big...)
	require.Less(t, allocated(func() {
		limits := DefaultLimits
		_, err := openAs(t, "x.zst", append(through(t, []byte("x"), asZstd), big...), Options{Limits: limits})
		requireRefusal(t, err, "bomb", "")
		_, err = openAs(t, "x.tar.zst", frames, Options{Limits: limits})
		require.NoError(t, err, "what stands behind a tar's end is not read")
	}), uint64(256<<20))
}

// A stream that unpacks to nothing that counts as a file still costs time: it ends
// where a bomb would.
func TestAStreamOfHeadersIsABomb(t *testing.T) {
	limits := DefaultLimits
	limits.Floor, limits.Ratio = 1<<20, 20
	name := strings.Repeat("n", 1<<19)
	var headers []byte
	one := tarred(t, map[string]string{name: ""}) // its name takes 512 KiB of headers
	long := one[:len(one)-3*512]                  // without the entry itself and the end
	for range 40 {
		headers = append(headers, long...)
	}
	_, err := openAs(t, "x.tar.gz", through(t, headers, asGzip), Options{Limits: limits})
	requireRefusal(t, err, "bomb", "")
}

// A rar of a few bytes may claim any size and any dictionary, for its second file as well
// as for its first.
func TestWhatARarClaimsIsNotBelieved(t *testing.T) {
	fine := rarFile{name: "a.txt", packed: "lamp", size: 4}
	fastest := func(exponent uint64) uint64 { return 1<<7 | exponent<<10 } // a dictionary of 128 KiB, doubled so many times
	for name, c := range map[string]struct {
		file  rarFile
		code  string
		entry string
	}{
		"terabytes, stored":          {rarFile{name: "zeros", packed: "0000", size: 1 << 40}, "bomb", "zeros"},
		"terabytes, packed":          {rarFile{name: "zeros", packed: strings.Repeat("0", 400), size: 1 << 40, method: fastest(1)}, "bomb", "zeros"},
		"more than a number holds":   {rarFile{name: "zeros", packed: "0000", size: 1<<63 + 5}, "", ""},
		"a dictionary of 4 GiB":      {rarFile{name: "zeros", packed: strings.Repeat("0", 400), size: 200 << 20, method: fastest(15)}, "bomb", ""},
		"a dictionary of 1 GiB":      {rarFile{name: "zeros", packed: strings.Repeat("0", 400), size: 200 << 20, method: fastest(13)}, "bomb", ""},
		"a size that nobody knows":   {rarFile{name: "zeros", packed: strings.Repeat("\xff", 400), unknown: true, method: fastest(1)}, "", ""},
		"packed bytes that are none": {rarFile{name: "zeros", packed: strings.Repeat("\xff", 400), size: 1 << 20, method: fastest(1)}, "broken-archive", "zeros"},
	} {
		for _, files := range [][]rarFile{{c.file}, {fine, c.file}} {
			require.Less(t, allocated(func() {
				_, err := open(t, rarOf(false, files...))
				bad := new(Error)
				require.ErrorAs(t, err, &bad, name)
				if c.code != "" {
					require.Equal(t, []string{c.code, c.entry}, []string{bad.Code, bad.Entry}, "%s: %v", name, err)
				}
			}), uint64(256<<20), name)
		}
	}
}
