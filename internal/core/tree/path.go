// Package tree holds what every other part of the core shares: the paths of
// a server's tree, what can stand at a path, and the digests that name
// content. It knows no disk and no transport.
package tree

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Path names one spot below a root: slash-separated, relative, valid UTF-8,
// with no empty, "." or ".." part, in the host's exact spelling. The zero
// value, [Root], names the root itself. A Path made by [ParsePath] or by the
// methods here cannot lead out of its root.
type Path string

// Root is the root folder itself.
const Root Path = ""

// maxPart is the longest part most file systems take, in bytes.
const maxPart = 255

// PathError says why a text is not a [Path].
type PathError struct {
	Text string // the text as it was given
	Why  string // what is wrong with it, as a clause
}

func (e *PathError) Error() string { return fmt.Sprintf("path %q %s", e.Text, e.Why) }

// ParsePath checks text and returns it as a Path. The error is a *[PathError].
func ParsePath(text string) (Path, error) {
	fail := func(why string) (Path, error) { return Root, &PathError{Text: text, Why: why} }
	switch {
	case text == "":
		return fail("is empty")
	case !utf8.ValidString(text):
		return fail("is not valid UTF-8")
	case strings.HasPrefix(text, "/"):
		return fail("is absolute; paths start below the root")
	case strings.Contains(text, `\`):
		return fail(`holds a backslash; parts are separated by "/"`)
	case strings.ContainsFunc(text, func(r rune) bool { return r < 0x20 || r >= 0x7f && r < 0xa0 || r == 0x2028 || r == 0x2029 }):
		return fail("holds a control character")
	}
	for part := range strings.SplitSeq(text, "/") {
		switch {
		case part == "":
			return fail("has an empty part")
		case part == ".":
			return fail(`has a "." part`)
		case part == "..":
			return fail(`leads out of its root with ".."`)
		case len(part) > maxPart:
			return fail(fmt.Sprintf("has a part longer than %d bytes", maxPart))
		}
	}
	return Path(text), nil
}

// MustPath is [ParsePath] for constants; it panics on a text that is no path.
func MustPath(text string) Path {
	p, err := ParsePath(text)
	if err != nil {
		panic(err)
	}
	return p
}

// String gives the path as a person reads it; the root is ".".
func (p Path) String() string {
	if p == Root {
		return "."
	}
	return string(p)
}

// Join puts q below p.
func (p Path) Join(q Path) Path {
	switch {
	case p == Root:
		return q
	case q == Root:
		return p
	}
	return p + "/" + q
}

// Dir is the folder that p stands in; the root's is the root.
func (p Path) Dir() Path {
	if i := strings.LastIndexByte(string(p), '/'); i >= 0 {
		return p[:i]
	}
	return Root
}

// Base is the last part of p, empty for the root.
func (p Path) Base() string { return string(p[strings.LastIndexByte(string(p), '/')+1:]) }

// Parts are the names from the root down to p.
func (p Path) Parts() []string {
	if p == Root {
		return nil
	}
	return strings.Split(string(p), "/")
}

// Depth is the number of parts; the root's is 0.
func (p Path) Depth() int {
	if p == Root {
		return 0
	}
	return strings.Count(string(p), "/") + 1
}

// Within tells whether p is folder or stands anywhere below it.
func (p Path) Within(folder Path) bool {
	if folder == Root || p == folder {
		return true
	}
	n := len(folder)
	return len(p) > n && p[n] == '/' && p[:n] == folder
}

// Below gives p relative to folder. ok is false where p is not below it.
func (p Path) Below(folder Path) (rel Path, ok bool) {
	switch {
	case p == folder || !p.Within(folder):
		return Root, false
	case folder == Root:
		return p, true
	}
	return p[len(folder)+1:], true
}

// Ancestors are the folders above p, the outermost first, without the root.
func (p Path) Ancestors() []Path {
	var up []Path
	for i, c := range []byte(p) {
		if c == '/' {
			up = append(up, p[:i])
		}
	}
	return up
}

// Fold is the key under which two spellings clash on a host that is blind to
// case: Unicode NFC, then full case folding. It is for comparing, never for
// naming a file.
func (p Path) Fold() string { return Fold(string(p)) }

// Fold is [Path.Fold] for any text.
func Fold(s string) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return r >= utf8.RuneSelf }) {
		return strings.ToLower(s) // which is what folding does to ASCII
	}
	return cases.Fold().String(norm.NFC.String(s))
}
