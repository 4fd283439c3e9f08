// Package facts reads what is true of a server out of what the server itself shows: the version
// of its game, its loader, its port. A rulebook says where each is told.
package facts

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Found is one fact with where it was read, for people.
type Found struct{ Name, Value, From string }

// Seen is what a look at a server has found. What is nil was not looked at.
type Seen struct {
	// Texts are those of [Want.Files] that are there.
	Texts map[tree.Path][]byte
	// Names are the files that are there, of the folders that [Wanted] names.
	Names []tree.Path
	Log   *string // what the log says
	// Answers are what the console has answered, by line.
	Answers map[string]string
}

// Want is what has to be seen for a rulebook's facts.
type Want struct {
	Files   []tree.Path // texts to read
	Folders []tree.Path // whose files count by their names, with what is in them
	Log     bool
	Lines   []string // for the console
}

// Wanted says what has to be seen on a server with these variables.
func Wanted(b *rulebook.Book, vars map[string]string) (w Want) {
	for _, f := range b.Facts {
		for _, rd := range f.Read {
			switch {
			case rd.File != "":
				if p, ok := fileOf(rd.File, vars); ok && !slices.Contains(w.Files, p) {
					w.Files = append(w.Files, p)
				}
			case rd.Named != "":
				base, _ := doublestar.SplitPattern(rd.Named)
				p := tree.Root
				if base != "." {
					parsed, err := tree.ParsePath(base)
					if err != nil {
						continue
					}
					p = parsed
				}
				if !slices.Contains(w.Folders, p) {
					w.Folders = append(w.Folders, p)
				}
			case rd.Log:
				w.Log = true
			case !slices.Contains(w.Lines, rd.Console):
				w.Lines = append(w.Lines, rd.Console)
			}
		}
	}
	return w
}

// Deep is how many folders below one of [Want.Folders] names may count: as many as the
// rulebook's globs have.
func Deep(b *rulebook.Book) (deep int) {
	for _, f := range b.Facts {
		for _, rd := range f.Read {
			_, rest := doublestar.SplitPattern(rd.Named)
			if strings.Contains(rest, "**") {
				return deepest
			}
			deep = max(deep, strings.Count(rest, "/"))
		}
	}
	return deep
}

// deepest is how far a glob with ** is followed: libraries of a loader lie near its root.
const deepest = 4

func fileOf(file string, vars map[string]string) (tree.Path, bool) {
	filled, err := rulebook.Fill(file, func(name string) (string, bool) { v, ok := vars[name]; return v, ok })
	if err != nil {
		return tree.Root, false
	}
	p, err := tree.ParsePath(filled)
	return p, err == nil
}

// Read reads the facts of a rulebook, in its order. What is nowhere told is not among them.
// looked names those of which it is known: those that were found, and those that were looked for
// everywhere. Where what comes first was not looked at, nothing is said of a fact.
func Read(b *rulebook.Book, vars map[string]string, seen Seen) (out []Found, looked map[string]bool) {
	looked = map[string]bool{}
	for _, f := range b.Facts {
		looked[f.Name] = true
		for _, rd := range f.Read {
			if !seen.shows(rd) {
				looked[f.Name] = false
				break
			}
			value, from := read(rd, vars, seen)
			if rd.Log { // what an earlier log said may stand in none that is there now
				looked[f.Name] = false
			}
			if value = strings.TrimSpace(value); value != "" && !strings.ContainsAny(value, "\r\n\x00") && len(value) <= longest {
				out, looked[f.Name] = append(out, Found{Name: f.Name, Value: value, From: from}), true
				break
			}
		}
	}
	return out, looked
}

// shows tells whether what a reading is about was looked at.
func (s Seen) shows(rd rulebook.FactReading) bool {
	switch {
	case rd.File != "":
		return s.Texts != nil
	case rd.Named != "":
		return s.Names != nil
	case rd.Log:
		return s.Log != nil
	}
	_, ok := s.Answers[rd.Console]
	return ok
}

// longest is how long a value may be, in bytes: what is longer is no version and no name.
const longest = 200

func read(rd rulebook.FactReading, vars map[string]string, seen Seen) (value, from string) {
	switch {
	case rd.File != "":
		p, ok := fileOf(rd.File, vars)
		if !ok {
			return "", ""
		}
		raw, ok := seen.Texts[p]
		if !ok {
			return "", ""
		}
		if rd.At == "" {
			return first(rd.Match, string(raw)), string(p)
		}
		doc, err := manifest.Read(rd.Format, raw)
		if err != nil {
			return "", "" // what cannot be read tells nothing; lint says what is wrong with it
		}
		v, _ := manifest.At(doc, rd.At)
		s, _ := v.(string)
		return s, string(p)
	case rd.Named != "":
		for _, p := range slices.Sorted(slices.Values(seen.Names)) {
			if !doublestar.MatchUnvalidated(rd.Named, string(p)) {
				continue
			}
			value := rd.Is
			if value == "" {
				value = first(rd.Match, path.Base(string(p)))
			}
			if value != "" {
				return value, fmt.Sprintf("the name of %s", p)
			}
		}
	case rd.Log:
		return last(rd.Match, *seen.Log), "the log"
	case rd.Console != "":
		return first(rd.Match, seen.Answers[rd.Console]), fmt.Sprintf("the console's answer to %q", rd.Console)
	}
	return "", ""
}

func all(expr, text string) [][]string {
	re, err := regexp.Compile("(?m)" + expr)
	if err != nil {
		return nil // the rulebook's reader has checked it
	}
	return re.FindAllStringSubmatch(text, -1)
}

func first(expr, text string) string {
	for _, m := range all(expr, text) {
		return m[1]
	}
	return ""
}

// last is the newest word of a log, which goes on over several starts.
func last(expr, text string) (value string) {
	for _, m := range all(expr, text) {
		value = m[1]
	}
	return value
}
