package layout

import (
	"strings"

	"restlesscrate/internal/core/notes"
)

// maxNotes is how much of a text for people is read, in bytes.
const maxNotes = 64 << 10

// says gathers what the author's notes tell people to do. In a pack only the
// notes in an add-on's own folder are its own.
func (l *laying) says() {
	for _, c := range l.res.Crates {
		for _, e := range l.files {
			kind := notes.KindOf(e.Path.Base())
			if kind != notes.Readme && kind != notes.Install || len(l.res.Crates) > 1 && !e.Path.Within(c.Root) {
				continue
			}
			for _, line := range notes.Instructions(strings.ToValidUTF8(string(l.bytes(e, maxNotes)), "\ufffd")) {
				c.Says = append(c.Says, Said{Source: e.Path, Line: line.Number, Text: line.Text})
			}
		}
	}
}
