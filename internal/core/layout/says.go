package layout

import (
	"io"
	"strings"

	"restlesscrate/internal/core/notes"
	"restlesscrate/internal/core/tree"
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
			for _, line := range notes.Instructions(l.readNotes(e.Path)) {
				c.Says = append(c.Says, Said{Source: e.Path, Line: line.Number, Text: line.Text})
			}
		}
	}
}

func (l *laying) readNotes(p tree.Path) string {
	if l.archive.Texts == nil {
		return ""
	}
	f, err := l.archive.Texts.Open(string(p))
	if err != nil {
		return "" // the notes are for people; what cannot be read is shown as such there
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, maxNotes))
	if err != nil {
		return ""
	}
	return strings.ToValidUTF8(string(raw), "\ufffd")
}
