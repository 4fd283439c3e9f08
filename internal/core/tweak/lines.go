package tweak

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"restlesscrate/internal/core/text"
)

// byLines does what is about lines and words. Where the text can be read before, it can be
// read afterwards, or nothing is changed.
func byLines(source []byte, t Tweak) (after []byte, undo Tweak, err error) {
	if t.Text == "" {
		return nil, Tweak{}, errors.New("say which lines are meant")
	}
	d, broken := text.Parse(source, t.Format)
	if broken != nil {
		if d, err = text.Parse(source, text.Lines); err != nil {
			return nil, Tweak{}, err
		}
	}
	switch t.Do {
	case Insert:
		after, undo, err = insert(d, t)
	case Cut:
		after, undo, err = cut(d, t)
	case Replace:
		after, undo, err = replace(d, t)
	case Uncomment:
		after, undo, err = uncomment(d, t)
	default:
		var at text.Span
		if at, err = stands(d.Source, t.Text); err == nil {
			after, undo, err = outcomment(d, at, t)
		} else if found, _, _ := d.Commented(strings.Split(t.Text, "\n")); len(found) > 0 {
			return source, Tweak{}, nil
		}
	}
	if err != nil || undo.Do == "" {
		return after, undo, err
	}
	if broken == nil {
		if _, err := text.Parse(after, t.Format); err != nil {
			return nil, Tweak{}, fmt.Errorf("the changed text would not be readable: %w; nothing was changed", err)
		}
	}
	return after, undo, nil
}

// stands finds the one place where lines stand, each as a whole line and without regard to
// the blanks around it. The error wraps [text.ErrNotThere].
func stands(source []byte, want string) (text.Span, error) {
	all := places(source, want)
	switch len(all) {
	case 0:
		return text.Span{}, fmt.Errorf("no line is %q: %w", short(want), text.ErrNotThere)
	case 1:
		return all[0], nil
	}
	line := func(s text.Span) int { return 1 + bytes.Count(source[:s.From], []byte("\n")) }
	return text.Span{}, fmt.Errorf("%q stands in line %d and in line %d; it is not clear which is meant", short(want), line(all[0]), line(all[1]))
}

func places(source []byte, want string) (out []text.Span) {
	lines := splitLines(source)
	wanted := strings.Split(strings.ReplaceAll(strings.TrimRight(want, "\r\n"), "\r\n", "\n"), "\n")
	for i := 0; i+len(wanted) <= len(lines); i++ {
		fits := true
		for j, w := range wanted {
			if strings.TrimSpace(string(source[lines[i+j].From:lines[i+j].To])) != strings.TrimSpace(w) {
				fits = false
				break
			}
		}
		if fits {
			out = append(out, text.Span{From: lines[i].From, To: lines[i+len(wanted)-1].To})
		}
	}
	return out
}

// splitLines gives every line with its end, and without a byte-order mark.
func splitLines(source []byte) (out []text.Span) {
	at := 0
	if bytes.HasPrefix(source, []byte(text.Mark)) {
		at = len(text.Mark)
	}
	for at < len(source) {
		end := len(source)
		if i := bytes.IndexByte(source[at:], '\n'); i >= 0 {
			end = at + i + 1
		}
		out = append(out, text.Span{From: at, To: end})
		at = end
	}
	return out
}

func spliced(source []byte, at text.Span, by string) []byte {
	out := append([]byte{}, source[:at.From]...)
	out = append(out, by...)
	return append(out, source[at.To:]...)
}

func outcomment(d *text.Doc, lines text.Span, t Tweak) ([]byte, Tweak, error) {
	out, err := d.Outcomment(lines, t.Value)
	if err != nil {
		return nil, Tweak{}, err
	}
	body := strings.TrimRight(string(d.Source[lines.From:lines.To]), "\r\n")
	return out, Tweak{Do: Uncomment, Format: t.Format, Text: strings.ReplaceAll(body, "\r\n", "\n")}, nil
}

func uncomment(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	want := strings.Split(strings.ReplaceAll(strings.TrimRight(t.Text, "\r\n"), "\r\n", "\n"), "\n")
	found, bare, leads := d.Commented(want)
	switch {
	case len(found) == 0 && len(places(d.Source, t.Text)) > 0:
		return d.Source, Tweak{}, nil // it counts already
	case len(found) == 0:
		return nil, Tweak{}, fmt.Errorf("no comment reads %q: %w", short(t.Text), text.ErrNotThere)
	case len(found) > 1:
		return nil, Tweak{}, fmt.Errorf("%d comments read %q; it is not clear which is meant", len(found), short(t.Text))
	}
	return spliced(d.Source, found[0], bare[0]), Tweak{Do: Comment, Format: t.Format, Text: t.Text, Value: leads[0]}, nil
}

// labelled puts comments around lines, by the sign of the text.
func labelled(d *text.Doc, t Tweak) (string, error) {
	if t.Label == "" {
		return t.Text, nil
	}
	sign := d.Sign()
	if sign == "" || strings.ContainsAny(t.Label, "\r\n") {
		return "", errors.New("this format has no comments of a line, so the lines cannot be labelled in it")
	}
	return sign + " " + t.Label + " begins\n" + strings.TrimRight(t.Text, "\r\n") + "\n" + sign + " " + t.Label + " ends", nil
}

func insert(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	source := d.Source
	var err error
	if t.Text, err = labelled(d, t); err != nil {
		return nil, Tweak{}, err
	}
	if len(places(source, t.Text)) > 0 {
		return source, Tweak{}, nil
	}
	eol := text.EOL(source)
	body := strings.ReplaceAll(strings.ReplaceAll(strings.TrimRight(t.Text, "\r\n"), "\r\n", "\n"), "\n", eol)
	at := len(source)
	switch w := t.Where; {
	case w.Start:
		at = 0
		if bytes.HasPrefix(source, []byte(text.Mark)) {
			at = len(text.Mark)
		}
	case w.Before != "" || w.After != "":
		anchor, err := stands(source, w.Before+w.After)
		if err != nil {
			return nil, Tweak{}, err
		}
		if at = anchor.From; w.After != "" {
			at = anchor.To
		}
	case w.Like != "":
		found := false
		for _, l := range splitLines(source) {
			if strings.HasPrefix(strings.TrimSpace(string(source[l.From:l.To])), w.Like) {
				at, found = l.To, true
			}
		}
		if !found {
			return nil, Tweak{}, fmt.Errorf("no line begins with %q: %w", w.Like, text.ErrNotThere)
		}
	}
	undo := Tweak{Do: Cut, Format: t.Format, Text: t.Text}
	if at > 0 && source[at-1] != '\n' && string(source[:at]) != text.Mark {
		return spliced(source, text.Span{From: at, To: at}, eol+body), undo, nil
	}
	return spliced(source, text.Span{From: at, To: at}, body+eol), undo, nil
}

func cut(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	at, err := stands(d.Source, t.Text)
	if errors.Is(err, text.ErrNotThere) {
		return d.Source, Tweak{}, nil
	}
	if err != nil {
		return nil, Tweak{}, err
	}
	undo := Tweak{Do: Insert, Format: t.Format, Text: strings.TrimRight(string(d.Source[at.From:at.To]), "\r\n"), Where: Where{Start: true}}
	if above := strings.TrimSpace(lastLine(string(d.Source[:at.From]))); above != "" && len(places(d.Source, above)) == 1 {
		undo.Where = Where{After: above}
	}
	if at.To == len(d.Source) && at.From > 0 && d.Source[at.To-1] != '\n' { // the line above is the last one then
		at.From -= len(text.EOL(d.Source[:at.From]))
	}
	return spliced(d.Source, at, ""), undo, nil
}

// Places gives where words stand in a text, as pairs of offsets. Whole leaves out those within
// longer names, of letters, digits, _ and -.
func Places(source []byte, words string, whole bool) (out [][2]int) {
	for at := 0; words != ""; {
		i := bytes.Index(source[at:], []byte(words))
		if i < 0 {
			break
		}
		from, to := at+i, at+i+len(words)
		before, _ := utf8.DecodeLastRune(source[:from])
		after, _ := utf8.DecodeRune(source[to:])
		if !whole || !(from > 0 && ofName(before)) && !(to < len(source) && ofName(after)) {
			out = append(out, [2]int{from, to})
		}
		at = to
	}
	return out
}

// Swapped gives a text of one line with other words in the place of some, by the rule of [Places].
func Swapped(line, words, by string, whole bool) string {
	var out strings.Builder
	at := 0
	for _, f := range Places([]byte(line), words, whole) {
		out.WriteString(line[at:f[0]] + by)
		at = f[1]
	}
	return out.String() + line[at:]
}

func ofName(r rune) bool {
	return r == '_' || r == '-' || unicode.IsLetter(r) || unicode.IsDigit(r)
}

// replace writes other words for some, as often as was expected.
func replace(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	found := Places(d.Source, t.Text, t.Words)
	if len(found) <= len(t.Skip) && t.Value != "" && bytes.Contains(d.Source, []byte(t.Value)) {
		return d.Source, Tweak{}, nil // it is replaced already
	}
	if len(found) == 0 {
		return nil, Tweak{}, fmt.Errorf("%q is nowhere in it: %w", short(t.Text), text.ErrNotThere)
	}
	if t.Count > 0 && len(found) != t.Count {
		return nil, Tweak{}, &CountError{Want: t.Count, Found: len(found)}
	}
	var out bytes.Buffer
	at, done := 0, 0
	for i, f := range found {
		if slices.Contains(t.Skip, i+1) {
			continue
		}
		out.Write(d.Source[at:f[0]])
		out.WriteString(t.Value)
		at = f[1]
		done++
	}
	out.Write(d.Source[at:])
	if t.Text == t.Value || done == 0 {
		return d.Source, Tweak{}, nil
	}
	return out.Bytes(), Tweak{Do: Replace, Format: t.Format, Text: t.Value, Value: t.Text, Count: done, Words: t.Words}, nil
}
