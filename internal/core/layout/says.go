package layout

import (
	"strings"

	"restlesscrate/internal/core/notes"
	"restlesscrate/internal/core/tree"
)

// maxNotes is the number of bytes of a text for people that are read.
const maxNotes = 64 << 10

// isNote tells whether a file is for people: by its name, or because it is a text that speaks
// of installing. What is placed on the server is a note only by its name.
func (l *laying) isNote(e tree.Entry, placed bool) bool {
	switch kind := notes.KindOf(e.Path.Base()); {
	case kind == notes.Readme || kind == notes.Install:
		return true
	case kind != "" || placed || e.Size > maxNotes || !notes.MayBeText(e.Path.Base()):
		return false
	}
	return notes.Speaks(string(l.readings().bytes(e, maxNotes)))
}

// says gathers what the author's notes tell people to do. In a pack only the
// notes in an add-on's own folder are its own.
func (l *laying) says() {
	placed := make(map[tree.Path]bool, len(l.files))
	for _, c := range l.res.Crates {
		for _, f := range c.Files {
			placed[f.Source] = true
		}
	}
	for _, c := range l.res.Crates {
		for _, e := range l.files {
			if len(l.res.Crates) > 1 && !e.Path.Within(c.Root) || !l.isNote(e, placed[e.Path]) {
				continue
			}
			for _, line := range notes.Instructions(strings.ToValidUTF8(string(l.readings().bytes(e, maxNotes)), "\ufffd")) {
				c.Says = append(c.Says, Said{Source: e.Path, Line: line.Number, Text: line.Text})
			}
		}
	}
}
