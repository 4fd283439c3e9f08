package propose

import (
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/tree"
)

// archives are suffixes of downloads that are archives for people. Under any other suffix an
// archive is an add-on that the game reads as it is.
var archives = []string{".zip", ".tar", ".gz", ".tgz", ".bz2", ".xz", ".zst", ".7z", ".rar"}

// plain tells whether a download is one file to the game, whatever is packed in it.
func (d Download) plain() bool {
	return len(d.Entries) == 0 || !slices.Contains(archives, strings.ToLower(path.Ext(d.Filename)))
}

// outside is the evidence without what is inside packed files.
func (e Evidence) outside() Evidence {
	out := e
	out.Downloads = slices.Clone(e.Downloads)
	for i, d := range e.Downloads {
		if d.plain() {
			out.Downloads[i].Entries = nil
			continue
		}
		out.Downloads[i].Entries = slices.DeleteFunc(slices.Clone(d.Entries), func(x tree.Entry) bool { return strings.Contains(string(x.Path), "!/") })
	}
	return out
}

// told is where the version is read in an add-on's own files.
type told struct{ file, version, match string }

// tells finds the manifest of a form's add-ons and the pointer of its version. The name is
// that of the folder or the file: what a manifest calls an add-on is not where it lies.
func tells(e Evidence, f form) told {
	if f.shape == Folder {
		return read(anyOf(f.signs), f.texts(e))
	}
	if f.shape != Single {
		return told{}
	}
	inner := f.manifests(e)
	if len(inner) == 0 {
		return told{}
	}
	name := slices.Sorted(maps.Keys(inner))[0]
	for other := range inner { // the one that most of them have
		if len(inner[other]) > len(inner[name]) || len(inner[other]) == len(inner[name]) && other < name {
			name = other
		}
	}
	return read(name, inner[name]) // a reading looks into a single file by itself
}

// anyOf is a glob for markers that differ only in what stands before the suffix; else for the
// first of them.
func anyOf(signs []string) string {
	suffix := path.Ext(signs[0])
	stems := make([]string, len(signs))
	for i, s := range signs {
		if path.Ext(s) != suffix || strings.ContainsAny(s, "*?[{,") {
			return signs[0]
		}
		stems[i] = strings.TrimSuffix(s, suffix)
	}
	if len(stems) == 1 {
		return signs[0]
	}
	return "{" + strings.Join(stems, ",") + "}" + suffix
}

// texts gives the markers' texts in the downloads.
func (f form) texts(e Evidence) (out []string) {
	for _, d := range e.Downloads {
		for p, text := range d.Texts {
			if f.signed(p.Base()) {
				out = append(out, text)
			}
		}
	}
	slices.Sort(out)
	return out
}

// manifests are texts at the top of the form's packed files, by their names.
func (f form) manifests(e Evidence) map[string][]string {
	out := map[string][]string{}
	for _, d := range e.Downloads {
		for p, text := range d.Texts {
			packed, inner, nested := strings.Cut(string(p), "!/")
			switch {
			case d.plain() && f.signed(d.Filename) && p.Depth() == 1 && manifest.FormatOf(p.Base()) != "":
				out[p.Base()] = append(out[p.Base()], text)
			case nested && f.signed(tree.Path(packed).Base()) && !strings.Contains(inner, "/") && manifest.FormatOf(inner) != "":
				out[inner] = append(out[inner], text)
			}
		}
	}
	return out
}

// versionLine is what a version is read by in a text of no known format, as a rulebook has it in
// single quotes.
func versionLine(word string) string {
	return `(?i)` + word + `\s*[=:]?\s*["'']?([0-9][^"''\s]*)`
}

// read finds where a manifest tells what, by the texts that there are of it.
func read(file string, texts []string) told {
	t := told{file: file}
	format := manifest.FormatOf(file)
	if format == "" {
		t.match = versionLine("version")
		for _, word := range []string{"version", "release", "revision", "ver"} {
			line := regexp.MustCompile(strings.ReplaceAll(versionLine(word), "''", "'"))
			if slices.ContainsFunc(texts, line.MatchString) {
				t.match = versionLine(word)
				break
			}
		}
		return t
	}
	for _, text := range texts {
		v, err := manifest.Read(format, []byte(text))
		if err != nil {
			continue
		}
		t.version = orElse(t.version, pointerTo(v, "version"))
	}
	if len(texts) == 0 {
		t.version = "/version"
	}
	return t
}

// pointerTo finds a text under one of some words, at the top of a manifest or one below.
func pointerTo(v manifest.Value, words ...string) string {
	top, ok := v.(map[string]manifest.Value)
	if !ok {
		return ""
	}
	key := func(m map[string]manifest.Value) string {
		for _, word := range words {
			for _, k := range slices.Sorted(maps.Keys(m)) {
				if s, ok := m[k].(string); ok && s != "" && strings.EqualFold(k, word) {
					return "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(k)
				}
			}
		}
		return ""
	}
	if at := key(top); at != "" {
		return at
	}
	for _, k := range slices.Sorted(maps.Keys(top)) {
		if below, ok := top[k].(map[string]manifest.Value); ok {
			if at := key(below); at != "" {
				return "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(k) + at
			}
		}
	}
	return ""
}

func orElse(a, b string) string {
	if a != "" {
		return a
	}
	return b
}
