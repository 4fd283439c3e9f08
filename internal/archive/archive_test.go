package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

func open(t *testing.T, raw []byte) (*Listing, error) {
	t.Helper()
	return openAs(t, "download", raw, Options{Limits: DefaultLimits})
}

// openAs opens an archive with a pack in a real stockroom, and checks that
// every file can be read where the listing says it is.
func openAs(t *testing.T, name string, raw []byte, o Options) (*Listing, error) {
	t.Helper()
	room, err := stockroom.Open(t.TempDir(), nil)
	require.NoError(t, err)
	pack, err := room.Pack(tree.Sum(raw))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, pack.Close()) })
	o.Filename, o.Pack = name, func() (Pack, error) { return pack, nil }
	l, err := Open(t.Context(), bytes.NewReader(raw), int64(len(raw)), o)
	if err != nil {
		return nil, err
	}
	for _, it := range l.Items {
		if it.Dir {
			continue
		}
		var in io.ReaderAt = bytes.NewReader(raw)
		if it.Packed {
			in = pack
		}
		text, err := io.ReadAll(it.Span.Reader(in))
		require.NoError(t, err, it.Path)
		require.Equal(t, it.Digest, tree.Sum(text), it.Path)
		require.EqualValues(t, len(text), it.Size, it.Path)
	}
	return l, nil
}

func zipped(t *testing.T, add func(z *zip.Writer)) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	add(z)
	require.NoError(t, z.Close())
	return b.Bytes()
}

func put(t *testing.T, z *zip.Writer, h *zip.FileHeader, text string) {
	t.Helper()
	w, err := z.CreateHeader(h)
	require.NoError(t, err)
	_, err = io.WriteString(w, text)
	require.NoError(t, err)
}

func TestZipIsListedAndHashedAndReadInPlace(t *testing.T) {
	long := strings.Repeat("harbour ", 5000)
	raw := zipped(t, func(z *zip.Writer) {
		tool := &zip.FileHeader{Name: "d/tool.sh", Method: zip.Deflate}
		tool.SetMode(0o755)
		put(t, z, tool, long)
		put(t, z, &zip.FileHeader{Name: "d/plain", Method: zip.Store}, "stored")
		put(t, z, &zip.FileHeader{Name: "empty/"}, "")
		put(t, z, &zip.FileHeader{Name: `win\dows\file`}, "w")
	})
	l, err := open(t, raw)
	require.NoError(t, err)
	require.Equal(t, Zip, l.Format)
	got := map[string]tree.Entry{}
	for _, it := range l.Items {
		got[string(it.Path)] = it.Entry
		if !it.Dir {
			text, err := io.ReadAll(it.Span.Reader(bytes.NewReader(raw)))
			require.NoError(t, err)
			require.Equal(t, it.Digest, tree.Sum(text))
		}
	}
	require.Equal(t, map[string]tree.Entry{
		"d/tool.sh":     {Path: "d/tool.sh", Size: int64(len(long)), Digest: tree.Sum([]byte(long)), Exec: true},
		"d/plain":       {Path: "d/plain", Size: 6, Digest: tree.Sum([]byte("stored"))},
		"empty":         {Path: "empty", Dir: true},
		"win/dows/file": {Path: "win/dows/file", Size: 1, Digest: tree.Sum([]byte("w"))},
	}, got)
}

func TestTarIsListedAndReadInPlace(t *testing.T) {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for _, h := range []*tar.Header{{Name: "./", Typeflag: tar.TypeDir}, {Name: "./a/", Typeflag: tar.TypeDir, Mode: 0o755}, {Name: "./a/x", Typeflag: tar.TypeReg, Size: 3, Mode: 0o700}} {
		require.NoError(t, w.WriteHeader(h))
	}
	_, err := io.WriteString(w, "abc")
	require.NoError(t, err)
	require.NoError(t, w.Close())
	l, err := open(t, b.Bytes())
	require.NoError(t, err)
	require.Equal(t, Tar, l.Format)
	require.Len(t, l.Items, 2)
	require.Equal(t, tree.Entry{Path: "a/x", Size: 3, Exec: true, Digest: tree.Sum([]byte("abc"))}, l.Items[1].Entry)
	raw, err := io.ReadAll(l.Items[1].Span.Reader(bytes.NewReader(b.Bytes())))
	require.NoError(t, err)
	require.Equal(t, "abc", string(raw))

	_, err = open(t, b.Bytes()[:1537])
	requireRefusal(t, err, "broken-archive", "")
}

func requireRefusal(t *testing.T, err error, code, entry string) {
	t.Helper()
	var bad *Error
	require.ErrorAs(t, err, &bad)
	require.Equal(t, code, bad.Code, "%v", err)
	require.Equal(t, entry, bad.Entry)
}

func TestHostileEntriesAreRefusedByName(t *testing.T) {
	link := &zip.FileHeader{Name: "link"}
	link.SetMode(fs.ModeSymlink | 0o777)
	device := &zip.FileHeader{Name: "device"}
	device.SetMode(fs.ModeDevice | 0o600)
	for name, c := range map[string]struct {
		code, entry string
		add         func(z *zip.Writer)
	}{
		"leaves the root": {"unsafe-entry", "../up", func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "../up"}, "x") }},
		"leaves inside":   {"unsafe-entry", "a/../../up", func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "a/../../up"}, "x") }},
		"backslashes":     {"unsafe-entry", `..\up`, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: `..\up`}, "x") }},
		"absolute":        {"unsafe-entry", "/etc/x", func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "/etc/x"}, "x") }},
		"a drive":         {"unsafe-entry", "C:/x", func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "C:/x"}, "x") }},
		"a mark of ours":  {"unsafe-entry", "x.zip!/a", func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "x.zip!/a"}, "x") }},
		"a link":          {"unsafe-entry", "link", func(z *zip.Writer) { put(t, z, link, "/etc/passwd") }},
		"a device":        {"unsafe-entry", "device", func(z *zip.Writer) { put(t, z, device, "") }},
		"twice": {"unsafe-entry", "a", func(z *zip.Writer) {
			put(t, z, &zip.FileHeader{Name: "a"}, "1")
			put(t, z, &zip.FileHeader{Name: "a"}, "2")
		}},
		"file and folder": {"unsafe-entry", "a/b", func(z *zip.Writer) {
			put(t, z, &zip.FileHeader{Name: "a"}, "1")
			put(t, z, &zip.FileHeader{Name: "a/b"}, "2")
		}},
	} {
		_, err := open(t, zipped(t, c.add))
		t.Run(name, func(t *testing.T) { requireRefusal(t, err, c.code, c.entry) })
	}
}

func TestBombsAreRefusedBeforeTheyAreUnpacked(t *testing.T) {
	raw := zipped(t, func(z *zip.Writer) {
		put(t, z, &zip.FileHeader{Name: "zeros", Method: zip.Deflate}, strings.Repeat("\x00", 1<<20))
	})
	limits := DefaultLimits
	limits.Floor, limits.Ratio = 1<<10, 50
	_, err := openAs(t, "x.zip", raw, Options{Limits: limits})
	requireRefusal(t, err, "bomb", "zeros")
	limits = DefaultLimits
	limits.Total = 1 << 19
	_, err = openAs(t, "x.zip", raw, Options{Limits: limits})
	requireRefusal(t, err, "bomb", "zeros")
	limits = DefaultLimits
	limits.Entries = 0
	_, err = openAs(t, "x.zip", raw, Options{Limits: limits})
	requireRefusal(t, err, "bomb", "zeros")
}

func TestALyingSizeOrBrokenBytesAreFoundOut(t *testing.T) {
	text := strings.Repeat("abcdefgh", 100)
	raw := zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "a", Method: zip.Deflate}, text) })
	// The table of contents says how large the entry is (APPNOTE 4.3.12).
	at := bytes.Index(raw, []byte("PK\x01\x02"))
	lying := bytes.Clone(raw)
	binary.LittleEndian.PutUint32(lying[at+24:], 10)
	_, err := open(t, lying)
	requireRefusal(t, err, "broken-archive", "a")
	stored := zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "a", Method: zip.Store}, text) })
	stored[bytes.Index(stored, []byte(text))+17] ^= 1
	_, err = open(t, stored)
	requireRefusal(t, err, "broken-archive", "a")
	require.Contains(t, err.Error(), "its checksum is")
	encrypted := bytes.Clone(raw)
	encrypted[at+8] |= 1
	_, err = open(t, encrypted)
	requireRefusal(t, err, "encrypted", "a")
	_, err = open(t, raw[:len(raw)/2])
	requireRefusal(t, err, "broken-archive", "")
}

// sparseZip64 writes a zip that begins with one stored entry of just over 4 GiB of
// zeros, most of which is a hole in the file, so that everything behind it
// needs 64-bit figures (APPNOTE 4.3.14 and 4.5.3).
func sparseZip64(t *testing.T) (*os.File, int64) {
	t.Helper()
	const large = 4104 << 20
	f, err := os.Create(filepath.Join(t.TempDir(), "large.zip"))
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	sum, zeros := crc32.NewIEEE(), make([]byte, 8<<20)
	for range large / len(zeros) {
		sum.Write(zeros)
	}
	holes := &holes{f: f, zeros: zeros}
	z := zip.NewWriter(holes)
	w, err := z.CreateRaw(&zip.FileHeader{Name: "zeros.bin", Method: zip.Store, CRC32: sum.Sum32(), CompressedSize64: large, UncompressedSize64: large})
	require.NoError(t, err)
	for range large / len(zeros) {
		_, err := w.Write(zeros)
		require.NoError(t, err)
	}
	put(t, z, &zip.FileHeader{Name: "behind.txt", Method: zip.Deflate}, "far behind")
	require.NoError(t, z.Close())
	return f, holes.at
}

// holes skips over zeros instead of writing them.
type holes struct {
	f     *os.File
	at    int64
	zeros []byte
}

func (h *holes) Write(p []byte) (int, error) {
	if len(p) < 4096 || !bytes.Equal(p, h.zeros[:len(p)]) {
		if _, err := h.f.WriteAt(p, h.at); err != nil {
			return 0, err
		}
	}
	h.at += int64(len(p))
	return len(p), nil
}

func TestAZip64IsReadBehindFourGiB(t *testing.T) {
	f, size := sparseZip64(t)
	limits := DefaultLimits
	l, err := Open(t.Context(), f, size, Options{Limits: limits, Filename: "large.zip"})
	require.NoError(t, err)
	require.Equal(t, tree.Sum([]byte("far behind")), held(l)["behind.txt"])
	require.EqualValues(t, 4104<<20, l.Items[1].Size)
}

func TestAnArchiveOfSeventyThousandEntries(t *testing.T) {
	l, err := open(t, zipped(t, func(z *zip.Writer) { // more than 65,535 need the 64-bit table of contents
		for i := range 70_000 {
			put(t, z, &zip.FileHeader{Name: fmt.Sprintf("d%02d/%05d", i%50, i)}, fmt.Sprint(i))
		}
	}))
	require.NoError(t, err)
	require.Len(t, l.Items, 70_000)
	require.Equal(t, tree.Sum([]byte("69999")), held(l)["d49/69999"])
}

func TestOtherFilesAreFilesAndSaySo(t *testing.T) {
	l, err := open(t, []byte("just bytes"))
	require.NoError(t, err)
	require.Equal(t, &Listing{Format: Plain}, l)
	l, err = open(t, nil)
	require.NoError(t, err)
	require.Empty(t, l.Items)
}

// FuzzOpen opens any bytes as a download: it lists what can be read at the
// place it names, or refuses.
func FuzzOpen(f *testing.F) {
	zip1 := zippedF(f)
	plain := tarred(f, map[string]string{"a": "x", "d/b": "text"})
	f.Add(zip1)
	f.Add(plain)
	f.Add(through(f, plain, asGzip))
	f.Add(through(f, plain, asXZ))
	f.Add(through(f, plain, asZstd))
	f.Add(rarred(map[string]string{"a": "x", "d/b": "text"}, false))
	f.Add(by7z(f, map[string]string{"a": "x", "d/b": "text"}, "-t7z"))
	limits := DefaultLimits
	limits.Total = 1 << 20
	f.Fuzz(func(t *testing.T, raw []byte) {
		l, err := openAs(t, "x.zip", raw, Options{Limits: limits})
		if err != nil {
			return
		}
		for _, it := range l.Items {
			_, err := tree.ParsePath(string(it.Path))
			require.NoError(t, err)
		}
	})
}

// zippedF is a zip with a zip in it.
func zippedF(f *testing.F) []byte {
	text := "text"
	for _, name := range []string{"a/b", "inner.zip"} {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		require.NoError(f, err)
		_, err = io.WriteString(w, text)
		require.NoError(f, err)
		require.NoError(f, z.Close())
		text = b.String()
	}
	return []byte(text)
}
