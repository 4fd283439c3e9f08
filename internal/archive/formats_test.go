package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"
	"github.com/ulikunitz/xz"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/testbed"
)

// lamps is what every archive of these tests holds.
var lamps = map[string]string{"lamps/lamp.lf": strings.Repeat("lamp ", 3000), "lamps/run.sh": "#!/bin/sh\n", "lamps/empty": ""}

func tarred(t testing.TB, files map[string]string) []byte {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for name, text := range files {
		require.NoError(t, w.WriteHeader(&tar.Header{Name: name, Typeflag: tar.TypeReg, Size: int64(len(text)), Mode: 0o644}))
		_, err := io.WriteString(w, text)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

// through packs bytes with a writer.
func through(t testing.TB, raw []byte, open func(io.Writer) (io.WriteCloser, error)) []byte {
	var b bytes.Buffer
	w, err := open(&b)
	require.NoError(t, err)
	_, err = w.Write(raw)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return b.Bytes()
}

func asGzip(w io.Writer) (io.WriteCloser, error) { return gzip.NewWriter(w), nil }
func asXZ(w io.Writer) (io.WriteCloser, error)   { return xz.NewWriter(w) }
func asZstdOf(window int) func(io.Writer) (io.WriteCloser, error) {
	return func(w io.Writer) (io.WriteCloser, error) { return zstd.NewWriter(w, zstd.WithWindowSize(window)) }
}
func asZstd(w io.Writer) (io.WriteCloser, error) { return zstd.NewWriter(w) }

// by7z packs files with the 7z program.
func by7z(t testing.TB, files map[string]string, args ...string) []byte {
	program := testbed.Need(t, "7z", "p7zip-full")
	dir := t.TempDir()
	for name, text := range files {
		p := filepath.Join(dir, "in", name)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
	}
	out := filepath.Join(dir, "out.x")
	cmd := exec.Command(program, append(append([]string{"a"}, args...), out, ".")...)
	cmd.Dir = filepath.Join(dir, "in")
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	raw, err := os.ReadFile(out)
	require.NoError(t, err)
	return raw
}

// rarFile is a file of a RAR 5.0 archive: what is packed, and what its header claims.
type rarFile struct {
	name, packed string
	size         uint64 // unpacked
	method       uint64 // how it is packed and with what dictionary; 0 stored
	unknown      bool   // whether the header says that nobody knows the size
}

// rarred writes a RAR 5.0 archive of stored files (technote of the format).
func rarred(files map[string]string, volume bool) []byte {
	var list []rarFile
	for name, text := range files {
		list = append(list, rarFile{name: name, packed: text, size: uint64(len(text))})
	}
	return rarOf(volume, list...)
}

func rarOf(volume bool, files ...rarFile) []byte {
	raw := []byte("Rar!\x1a\x07\x01\x00")
	block := func(fields []byte, data string) {
		sized := append(binary.AppendUvarint(nil, uint64(len(fields))), fields...)
		raw = binary.LittleEndian.AppendUint32(raw, crc32.ChecksumIEEE(sized))
		raw = append(append(raw, sized...), data...)
	}
	number := func(b []byte, n ...uint64) []byte {
		for _, x := range n {
			b = binary.AppendUvarint(b, x)
		}
		return b
	}
	archiveFlags, blockFlags := uint64(0), uint64(2)
	if volume {
		archiveFlags, blockFlags = 1, 2|0x10
	}
	block(number(nil, 1, 0, archiveFlags), "")
	for _, f := range files {
		fileFlags := uint64(4)
		if f.unknown {
			fileFlags |= 8
		}
		h := number(nil, 2, blockFlags, uint64(len(f.packed)), fileFlags, f.size, 0o100644)
		h = binary.LittleEndian.AppendUint32(h, crc32.ChecksumIEEE([]byte(f.packed)))
		h = number(h, f.method, 1, uint64(len(f.name)))
		block(append(h, f.name...), f.packed)
	}
	end := uint64(0)
	if volume {
		end = 1
	}
	block(number(nil, 5, 0, end), "")
	return raw
}

// held gives what a listing holds by path, without folders.
func held(l *Listing) map[string]tree.Digest {
	out := map[string]tree.Digest{}
	for _, it := range l.Items {
		if !it.Dir {
			out[string(it.Path)] = it.Digest
		}
	}
	return out
}

func digests(files map[string]string) map[string]tree.Digest {
	out := map[string]tree.Digest{}
	for name, text := range files {
		out[name] = tree.Sum([]byte(text))
	}
	return out
}

func TestEveryFormatIsReadToTheByte(t *testing.T) {
	plain := tarred(t, lamps)
	bz := by7z(t, map[string]string{"x.tar": string(plain)}, "-tbzip2")
	for name, c := range map[string]struct {
		raw    []byte
		format Format
	}{
		"tar":         {plain, Tar},
		"tar.gz":      {through(t, plain, asGzip), "tar.gz"},
		"tar.bz2":     {bz, "tar.bz2"},
		"tar.xz":      {through(t, plain, asXZ), "tar.xz"},
		"tar.zst":     {through(t, plain, asZstd), "tar.zst"},
		"7z solid":    {by7z(t, lamps, "-t7z", "-ms=on"), SevenZip},
		"7z one each": {by7z(t, lamps, "-t7z", "-ms=off", "-m0=lzma"), SevenZip},
		"rar":         {rarred(lamps, false), Rar},
	} {
		l, err := openAs(t, "lamps", c.raw, Options{Limits: DefaultLimits})
		require.NoError(t, err, name)
		require.Equal(t, c.format, l.Format, name)
		require.Equal(t, digests(lamps), held(l), name)
	}
}

func TestACompressedSingleFileIsThatFile(t *testing.T) {
	for suffix, open := range map[string]func(io.Writer) (io.WriteCloser, error){".gz": asGzip, ".xz": asXZ, ".zst": asZstd} {
		l, err := openAs(t, "lamp.lf"+suffix, through(t, []byte("glow"), open), Options{Limits: DefaultLimits})
		require.NoError(t, err)
		require.Equal(t, digests(map[string]string{"lamp.lf": "glow"}), held(l), suffix)
	}
}

func TestTruncatedArchivesAreBroken(t *testing.T) {
	plain := tarred(t, lamps)
	for name, raw := range map[string][]byte{
		"tar.gz": through(t, plain, asGzip), "tar.xz": through(t, plain, asXZ), "tar.zst": through(t, plain, asZstd),
		"7z": by7z(t, lamps, "-t7z"), "rar": rarred(lamps, false),
	} {
		_, err := openAs(t, "x", raw[:len(raw)*2/3], Options{Limits: DefaultLimits})
		var bad *Error
		require.ErrorAs(t, err, &bad, name)
		require.Equal(t, "broken-archive", bad.Code, name)
	}
}

func TestEncryptedAndManyVolumesAreTold(t *testing.T) {
	_, err := open(t, by7z(t, lamps, "-t7z", "-psecret"))
	var bad *Error
	require.ErrorAs(t, err, &bad)
	require.Equal(t, "encrypted", bad.Code)
	_, err = open(t, by7z(t, lamps, "-t7z", "-psecret", "-mhe=on"))
	require.ErrorAs(t, err, &bad)
	require.Equal(t, "encrypted", bad.Code, "%v", err)
	_, err = open(t, rarred(map[string]string{"a": "x"}, true))
	require.ErrorAs(t, err, &bad)
	require.Equal(t, "many-volumes", bad.Code, "%v", err)
	require.Contains(t, err.Error(), "one part of a rar in several parts")
}

// largeDictionary makes a 7z say that its LZMA2 dictionary is 1 GiB, and puts
// the checksums of its headers right (7z format, signature header).
func largeDictionary(raw []byte) []byte {
	start := 32 + binary.LittleEndian.Uint64(raw[12:])
	header := raw[start : start+binary.LittleEndian.Uint64(raw[20:])]
	header[bytes.Index(header, []byte{0x21, 0x21, 0x01})+3] = 36
	binary.LittleEndian.PutUint32(raw[28:], crc32.ChecksumIEEE(header))
	binary.LittleEndian.PutUint32(raw[8:], crc32.ChecksumIEEE(raw[12:32]))
	return raw
}

func TestADictionaryThatIsTooLargeIsRefusedWithItsSize(t *testing.T) {
	_, err := open(t, largeDictionary(by7z(t, lamps, "-t7z", "-m0=lzma2", "-mhc=off")))
	requireRefusal(t, err, "bomb", "")
	require.Contains(t, err.Error(), "it needs a dictionary of 1024 MiB")
	x := through(t, tarred(t, lamps), asXZ)
	// The dictionary's size stands behind the filter's id and the size of its
	// properties in the first block header; 36 means 1 GiB (.xz format, 5.3.1).
	at := bytes.Index(x[12:], []byte{0x21, 0x01}) + 12 + 2
	x[at] = 36
	_, err = open(t, x)
	requireRefusal(t, err, "bomb", "")
	require.Equal(t, "it needs a dictionary of 1024 MiB of memory to be unpacked; more than 128 MiB is refused", err.Error())
	large := through(t, bytes.Repeat([]byte("lamp"), 1<<20), func(w io.Writer) (io.WriteCloser, error) { return zstd.NewWriter(w, zstd.WithWindowSize(256<<20)) })
	limits := DefaultLimits
	limits.Dictionary = 1 << 20
	_, err = openAs(t, "x.zst", large, Options{Limits: limits})
	requireRefusal(t, err, "bomb", "")
}

func TestABombThatDoesNotSayHowLargeItIsIsStopped(t *testing.T) {
	zeros := through(t, bytes.Repeat([]byte{0}, 8<<20), asGzip)
	limits := DefaultLimits
	limits.Total = 1 << 20
	_, err := openAs(t, "zeros.gz", zeros, Options{Limits: limits})
	requireRefusal(t, err, "bomb", "zeros")
}

func TestArchivesInsideArchives(t *testing.T) {
	inner := zipped(t, func(z *zip.Writer) {
		put(t, z, &zip.FileHeader{Name: "deep/x.txt", Method: zip.Deflate}, strings.Repeat("x", 999))
	})
	gz := through(t, tarred(t, map[string]string{"y.txt": "y"}), asGzip)
	for _, method := range []uint16{zip.Store, zip.Deflate} {
		l, err := open(t, zipped(t, func(z *zip.Writer) {
			put(t, z, &zip.FileHeader{Name: "README", Method: method}, "unpack me")
			put(t, z, &zip.FileHeader{Name: "parts/inner.zip", Method: method}, string(inner))
			put(t, z, &zip.FileHeader{Name: "more.tar.gz", Method: method}, string(gz))
			put(t, z, &zip.FileHeader{Name: "lamp.tdx", Method: method}, string(inner))
			put(t, z, &zip.FileHeader{Name: "fake.zip", Method: method}, "no zip")
		}))
		require.NoError(t, err)
		require.Equal(t, digests(map[string]string{
			"README": "unpack me", "parts/inner.zip": string(inner), "more.tar.gz": string(gz), "lamp.tdx": string(inner), "fake.zip": "no zip",
			"parts/inner.zip!/deep/x.txt": strings.Repeat("x", 999), "more.tar.gz!/y.txt": "y",
		}), held(l), "a single-file add-on that is a zip stays a file")
		require.Len(t, l.Notes, 1)
		require.Equal(t, "fake.zip is called an archive but is none", l.Notes[0].What)
	}
}

func TestInnerArchivesAreLookedIntoThreeDeep(t *testing.T) {
	raw := []byte("bottom")
	name := "bottom.txt"
	for _, outer := range []string{"d3.zip", "d2.zip", "d1.zip", "d0.zip"} {
		raw = zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: name, Method: zip.Deflate}, string(raw)) })
		name = outer
	}
	l, err := open(t, raw)
	require.NoError(t, err)
	require.Contains(t, held(l), "d1.zip!/d2.zip!/d3.zip")
	require.NotContains(t, held(l), "d1.zip!/d2.zip!/d3.zip!/bottom.txt")
	require.Equal(t, "d1.zip!/d2.zip!/d3.zip is an archive inside 3 others and is not looked into", l.Notes[0].What)
}

func TestABrokenInnerArchiveDoesNotSpoilTheRest(t *testing.T) {
	l, err := open(t, zipped(t, func(z *zip.Writer) {
		put(t, z, &zip.FileHeader{Name: "a.zip"}, "PK\x03\x04 cut")
		put(t, z, &zip.FileHeader{Name: "b.txt"}, "b")
		evil := zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "../up"}, "x") })
		put(t, z, &zip.FileHeader{Name: "evil.zip"}, string(evil))
	}))
	require.NoError(t, err)
	require.Len(t, held(l), 3)
	require.Contains(t, l.Notes[0].What, "a.zip is an archive that is not looked into")
	require.Contains(t, l.Notes[1].What, `evil.zip is an archive that is not looked into: entry "../up" leads out of its root`)
}

func TestOldCodePages(t *testing.T) {
	raw := zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "\x84rger.txt", NonUTF8: true}, "x") })
	l, err := open(t, raw)
	require.NoError(t, err)
	require.Contains(t, held(l), "ärger.txt", "0x84 is ä in IBM437")
	require.Equal(t, "code-page", l.Notes[0].Code)
	l, err = openAs(t, "x.zip", raw, Options{Limits: DefaultLimits, CodePage: "windows-1252"})
	require.NoError(t, err)
	require.Contains(t, held(l), "„rger.txt", "0x84 is a low quote in windows-1252")
	_, err = openAs(t, "x.zip", raw, Options{Limits: DefaultLimits, CodePage: "klingon"})
	requireRefusal(t, err, "unknown-code-page", "")
}

func TestWhatAPersonShouldKnowIsTold(t *testing.T) {
	l, err := openAs(t, "lamps.rar", zipped(t, func(z *zip.Writer) {
		for name, text := range map[string]string{
			"a/tool.exe": "MZ..", "a/lib.so": "\x7fELF", "a/go.bat": "rem", "a/photo.png.exe": "MZ..", "a/lib-1.2.so": "\x7fELF",
			"tool/lamp.lf": "1", "tool/l\u0430mp.lf": "2", "tool/land.lf": "3",
			".hidden": "h", "aux.lf": "a", "Readme": "1", "README": "2",
		} {
			put(t, z, &zip.FileHeader{Name: name}, text)
		}
	}), Options{Limits: DefaultLimits})
	require.NoError(t, err)
	var said []string
	for _, f := range l.Notes {
		said = append(said, string(f.Level)+" "+f.What)
	}
	require.ElementsMatch(t, []string{
		"warn README and Readme differ only in case; on a host that does not tell them apart only one can be",
		"warn a/photo.png.exe can be run but is called like something else",
		"warn \"tool/lamp.lf\" and \"tool/l\u0430mp.lf\" look alike, but are written with other letters",
		"warn aux.lf is a name that Windows takes for a device",
		"note .hidden is a hidden file",
		"note a/photo.png.exe, a/tool.exe are each a Windows program or library",
		"note a/lib-1.2.so, a/lib.so are each a Linux program or library",
		"note a/go.bat is a script",
		"note it is called lamps.rar but its content is zip",
	}, said)
}
