package archive

import (
	"path"
	"strings"
)

// Format is what an archive is, by its content.
type Format string

// The formats. A plain file is what none of the others is.
const (
	Zip      Format = "zip"
	Tar      Format = "tar"
	Gzip     Format = "gz"
	Bzip2    Format = "bz2"
	XZ       Format = "xz"
	Zstd     Format = "zst"
	SevenZip Format = "7z"
	Rar      Format = "rar"
	Plain    Format = "file"
)

// magics are the first bytes of each format.
var magics = []struct {
	bytes  string
	format Format
}{
	{"PK\x03\x04", Zip}, {"PK\x05\x06", Zip},
	{"\x1f\x8b", Gzip}, {"BZh", Bzip2}, {"\xfd7zXZ\x00", XZ}, {"\x28\xb5\x2f\xfd", Zstd},
	{"7z\xbc\xaf\x27\x1c", SevenZip}, {"Rar!\x1a\x07", Rar},
}

// identify tells the format by the first 512 bytes.
func identify(head []byte) Format {
	for _, m := range magics {
		if strings.HasPrefix(string(head), m.bytes) {
			return m.format
		}
	}
	if len(head) >= 262 && string(head[257:262]) == "ustar" {
		return Tar
	}
	return Plain
}

// suffixes are what archives of each format are called.
var suffixes = map[string]Format{
	".zip": Zip, ".tar": Tar, ".gz": Gzip, ".tgz": Gzip, ".bz2": Bzip2, ".tbz2": Bzip2, ".xz": XZ, ".txz": XZ,
	".zst": Zstd, ".tzst": Zstd, ".7z": SevenZip, ".rar": Rar,
}

// bySuffix tells the format that a file's name claims; empty where its suffix
// is none of an archive's.
func bySuffix(name string) Format { return suffixes[strings.ToLower(path.Ext(name))] }
