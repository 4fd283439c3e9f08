package hosts

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"

	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
)

// LogLine is a line of a server's log, with the add-on that it speaks of.
type LogLine struct {
	Number int
	Text   string
	Addon  string
}

// beginning is how much of a log's end is shown first.
const beginning = 16 << 10

// Log gives a server's log from where an earlier piece ended; an empty next is
// its last few lines. A log that was begun anew is given from its beginning.
func (s *Service) Log(ctx context.Context, name, next string) (lines []LogLine, after string, err error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return nil, "", err
	}
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, "", err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return nil, "", err
	}
	defer h.Close()
	p, err := s.Power(ctx, srv, h, b)
	if err != nil {
		return nil, "", err
	}
	if p.log == tree.Root {
		return nil, "", fault.New(fault.Conflict, "no-log", "rulebook %s does not say where the log is", b.Name).WithMend("Add log: {file: ...} to it.")
	}
	end, err := p.LogEnd(ctx)
	if err != nil {
		return nil, "", err
	}
	since := deploy.LogMark{Size: max(0, end.Size-beginning)}
	if next != "" {
		if err := json.Unmarshal([]byte(next), &since); err != nil {
			return nil, "", fault.New(fault.Usage, "bad-cursor", "%q is no place in a log", next)
		}
	}
	raw, from, err := p.LogFrom(ctx, since)
	if err != nil {
		return nil, "", err
	}
	if cut := bytes.LastIndexByte(raw, '\n'); cut >= 0 {
		raw = raw[:cut+1] // a line that is still being written comes with the next piece
	} else {
		raw = nil
	}
	if whole := from + int64(len(raw)); whole != end.Size {
		end.Size, end.Tail, end.Modified = whole, "", 0 // they are of what comes with the next piece
	}
	mark, err := json.Marshal(end)
	text := rollcall.Decode(raw)
	if next == "" && from > 0 { // the first line was cut
		_, text, _ = strings.Cut(text, "\n")
	}
	return spoken(b.Log, text), string(mark), err
}

// spoken ties lines to the add-ons that they are about.
func spoken(rules rulebook.Log, text string) (out []LogLine) {
	about := map[int]string{}
	for _, h := range rollcall.Read(rules, text).Heard {
		for _, l := range h.Lines {
			about[l.Number] = h.Name
		}
	}
	n := 0
	for line := range strings.Lines(text) {
		n++
		out = append(out, LogLine{Number: n, Text: rollcall.Plain(line), Addon: about[n]})
	}
	return out
}
