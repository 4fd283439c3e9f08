package archive

import (
	"fmt"
	"hash/maphash"
	"io"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// Look is what a file's first bytes say that it is, where that matters to a
// person who puts it on a server.
type Look string

// The looks that are told.
const (
	Ordinary       Look = ""
	WindowsProgram Look = "a Windows program or library"
	LinuxProgram   Look = "a Linux program or library"
	MacProgram     Look = "a macOS program or library"
	Script         Look = "a script"
)

// looker remembers the first bytes that pass through it.
type looker struct {
	io.Reader
	head []byte
}

func (l *looker) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	if len(l.head) < lookAt {
		l.head = append(l.head, p[:min(n, lookAt-len(l.head))]...)
	}
	return n, err
}

// lookAt is the number of leading bytes that identify a file.
const lookAt = 4

func (l *looker) look() Look {
	switch h := string(l.head); {
	case strings.HasPrefix(h, "MZ"):
		return WindowsProgram
	case h == "\x7fELF":
		return LinuxProgram
	case h == "\xcf\xfa\xed\xfe", h == "\xce\xfa\xed\xfe":
		return MacProgram
	case strings.HasPrefix(h, "#!"):
		return Script
	}
	return Ordinary
}

// scripts are suffixes of files that a person can run by clicking.
var scripts = []string{".bat", ".cmd", ".ps1", ".sh", ".vbs"}

// devices are names that Windows takes for devices whatever their suffix.
var devices = []string{"con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "lpt1", "lpt2", "lpt3"}

// remarks are what a person should know of the names and the looks of what is
// inside. None of it is refused: it may be just what they want.
func (l *Listing) remarks(filename string) []finding.Finding {
	var r remarks
	if claimed := bySuffix(filename); claimed != "" && claimed != l.Format && !strings.HasSuffix(string(l.Format), "."+string(claimed)) {
		r.add(finding.Note, "suffix", "", "it is called %s but its content is %s", filename, either(l.Format == Plain, "no archive", string(l.Format)))
	}
	byLook := map[Look][]tree.Path{}
	var hidden, double, device, turned, ends []tree.Path
	for _, it := range l.Items {
		if tree.Turns(string(it.Path)) {
			turned = append(turned, it.Path)
		}
		for at := it.Path; at != tree.Root; at = at.Dir() {
			if name := at.Base(); (strings.HasSuffix(name, ".") || strings.HasSuffix(name, " ")) && len(ends) < 100 && !slices.Contains(ends, at) {
				ends = append(ends, at)
			}
		}
		base := strings.ToLower(it.Path.Base())
		stem := strings.TrimSuffix(base, path.Ext(base))
		if slices.Contains(devices, strings.SplitN(base, ".", 2)[0]) {
			device = append(device, it.Path)
		}
		if it.Dir {
			continue
		}
		look := it.Looks
		if look == Ordinary && slices.Contains(scripts, path.Ext(base)) {
			look = Script
		}
		if look != Ordinary {
			byLook[look] = append(byLook[look], it.Path)
			if inner := path.Ext(stem); len(inner) > 1 && len(inner) <= 5 && strings.Trim(inner, ".0123456789") != "" {
				double = append(double, it.Path)
			}
		}
		if strings.HasPrefix(base, ".") {
			hidden = append(hidden, it.Path)
		}
	}
	for _, look := range []Look{WindowsProgram, LinuxProgram, MacProgram, Script} {
		r.list(finding.Note, "program", byLook[look], "is "+string(look), "are each "+string(look))
	}
	r.list(finding.Note, "hidden", hidden, "is a hidden file", "are hidden files")
	r.list(finding.Warn, "two-suffixes", double, "can be run but is called like something else", "can be run but are called like something else")
	r.list(finding.Warn, "device-name", device, "is a name that Windows takes for a device", "are names that Windows takes for devices")
	r.list(finding.Note, "ends-oddly", ends, "ends with a dot or a space, which Windows drops from names", "end with a dot or a space, which Windows drops from names")
	r.list(finding.Warn, "turned-name", turned, "holds characters that turn the direction of writing: it is not called what it looks like", "hold characters that turn the direction of writing: they are not called what they look like")
	r.twins(l.Items)
	r.alike(l.Items)
	return r.all
}

type remarks struct{ all []finding.Finding }

func (r *remarks) add(level finding.Level, code string, p tree.Path, format string, args ...any) {
	r.all = append(r.all, finding.Finding{Level: level, Code: code, Path: p, What: fmt.Sprintf(format, args...)})
}

// list says one thing of several files, naming the first few.
func (r *remarks) list(level finding.Level, code string, paths []tree.Path, one, many string) {
	switch n := len(paths); {
	case n == 0:
	case n == 1:
		r.add(level, code, paths[0], "%s %s", paths[0], one)
	default:
		r.add(level, code, paths[0], "%s %s", words.Few(paths), many)
	}
}

// twins finds names that differ only in case: on a host that does not tell
// them apart one would overwrite the other.
func (r *remarks) twins(items []Item) {
	// By a hash of the folded name: the names of a large archive, folded, would
	// be as much memory again as the archive's whole listing.
	seed := maphash.MakeSeed()
	first := make(map[uint64]int32, len(items))
	for i, it := range items {
		key := it.Path.Fold()
		sum := maphash.String(seed, key)
		other, twice := first[sum]
		if !twice {
			first[sum] = int32(i)
			continue
		}
		if p := items[other].Path; p != it.Path && p.Fold() == key {
			r.add(finding.Warn, "case-twins", it.Path, "%s and %s differ only in case; on a host that does not tell them apart only one can be", p, it.Path)
		}
	}
}

func either(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}
