// Package version tells names and versions apart in what authors call their
// downloads, and puts versions in order. It is tolerant: this trade writes
// versions in many ways, and a text it cannot read is still ordered.
package version

import (
	"regexp"
	"strings"
)

// counter is what browsers add to a second download: " (1)", "(2)", " - Copy".
var counter = regexp.MustCompile(`(?i)(\s*\(\d{1,3}\)|\s+-\s+copy)+$`)

// DropCounter takes a browser's copy counter off a stem (a file name without
// its suffix).
func DropCounter(stem string) string {
	if !strings.HasSuffix(stem, ")") && !strings.HasSuffix(stem, "y") && !strings.HasSuffix(stem, "Y") {
		return stem // most have none, and end otherwise
	}
	return counter.ReplaceAllString(stem, "")
}

// mark finds where a version begins inside a stem: a separator, or the start
// of a run of digits behind one, with an optional v.
var mark = regexp.MustCompile(`(?i)[-_ +]+v?(\d[0-9a-z.+_~-]*)$`)

// start is the leftmost place at which a version may begin.
var start = regexp.MustCompile(`(?i)[-_ +]+v?\d`)

// Split tells the name and the version in a stem apart: "tide-lamps-2.1.0"
// gives "tide-lamps" and "2.1.0". A copy counter is dropped first. Without a
// version the second result is empty and the first is the whole stem. A stem
// that is nothing but a version is a name. The number under which a site keeps a
// download, before the name or behind it, is no part of either.
func Split(stem string) (name, ver string) {
	stem = strings.TrimSpace(DropCounter(strings.TrimSpace(stem)))
	if first, rest, ok := cutNumber(stem); ok && siteNumber(first) {
		stem = rest
	}
	if !strings.ContainsAny(stem, "0123456789") {
		return stem, ""
	}
	for _, at := range start.FindAllStringIndex(stem, -1) {
		tail := stem[at[0]:]
		m := mark.FindStringSubmatch(tail)
		if m == nil || at[0] == 0 || !looksLike(m[1]) {
			continue
		}
		return stem[:at[0]], withoutSiteNumber(strings.TrimRight(m[1], "-_.+ "))
	}
	return stem, ""
}

var bare = regexp.MustCompile(`(?i)^v?\d[0-9a-z.+_~-]*$`)

// Bare tells whether a text is a version and nothing else: "2.1.0", "v3".
func Bare(text string) bool {
	text = strings.TrimSpace(text)
	return bare.MatchString(text) && looksLike(strings.TrimLeft(text, "vV"))
}

// looksLike refuses tails such as "2-player-map" where the number is part of
// the name: after the first dash only words that versions use may follow.
func looksLike(tail string) bool {
	fields := strings.FieldsFunc(tail, func(r rune) bool { return r == '-' || r == '_' || r == '+' || r == '~' })
	for i, f := range fields {
		if i == 0 || (f[0] >= '0' && f[0] <= '9') {
			continue
		}
		if _, ok := rank(word(f)); !ok {
			return false
		}
	}
	return len(fields) > 0
}

// word is the leading letters of f, lower case.
func word(f string) string {
	for i, r := range f {
		if (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') {
			return strings.ToLower(f[:i])
		}
	}
	return strings.ToLower(f)
}

// rank orders the words that versions carry: what comes before a release is
// negative, what comes after it positive.
func rank(w string) (int, bool) {
	switch w {
	case "dev", "snapshot", "nightly":
		return -50, true
	case "a", "alpha":
		return -40, true
	case "b", "beta":
		return -30, true
	case "pre", "preview":
		return -20, true
	case "rc":
		return -10, true
	case "", "final", "release", "ga", "build", "r", "w", "v":
		return 0, true
	case "p", "patch", "hotfix", "fix", "sp", "post", "rev":
		return 10, true
	}
	return 0, false
}

// Development tells whether a version says that it comes before a release: alpha, beta, rc, dev and
// words like these.
func Development(v string) bool {
	for _, p := range pieces(v) {
		if p.class == classBefore && p.rank < 0 {
			return true
		}
	}
	return false
}
