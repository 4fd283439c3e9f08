// Package rollcall finds out, from a server's log and from its console's answer,
// which add-ons loaded, which failed and why, and which said nothing.
//
// [Read] takes a log apart; [Call] compares what it tells with what should be
// there. Nothing here knows a game: a rulebook's expressions say what lines mean.
package rollcall

import (
	"regexp"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"restlesscrate/internal/core/rulebook"
)

// Line is one line of a log, counted from where reading began.
type Line struct {
	Number int    `json:"number"` // from 1
	Text   string `json:"text"`
}

// Heard is what a log or a console says of one add-on.
type Heard struct {
	Name    string
	Version string
	Loaded  bool
	Failed  bool
	Why     string   // the first reason that is told
	Needs   []string // what it asks for and does not have
	Lines   []Line
}

// Log is a log taken apart.
type Log struct {
	Ready  bool
	Heard  []Heard // in the order in which they are first spoken of
	Errors []Line  // trouble with no add-on
	Lines  int
	Last   string // line that says anything, cut where it is long
}

// reader is a rulebook's expressions.
type reader struct {
	ready, loaded, failed, missing, trouble, harmless, ignore []*regexp.Regexp
}

// compile makes expressions that a rulebook was checked to hold.
func compile(exprs []string) (out []*regexp.Regexp) {
	for _, e := range exprs {
		out = append(out, regexp.MustCompile(e))
	}
	return out
}

// any tells whether some expression matches.
func anyOf(exprs []*regexp.Regexp, text string) bool {
	return slices.ContainsFunc(exprs, func(e *regexp.Regexp) bool { return e.MatchString(text) })
}

// without takes out of a line what is to be ignored.
func without(ignore []*regexp.Regexp, line string) string {
	for _, e := range ignore {
		line = e.ReplaceAllString(line, "")
	}
	return line
}

// Read takes the text of a log apart, from a start on. A last line without an end
// may still be being written, and is not read.
func Read(rules rulebook.Log, text string) Log {
	r := reader{ready: compile(rules.Ready), loaded: compile(rules.Loaded), failed: compile(rules.Failed), missing: compile(rules.Missing), trouble: compile(rules.Error),
		harmless: compile(rules.Harmless), ignore: compile(rules.Ignore)}
	var out Log
	for line := range strings.Lines(text) {
		if !strings.HasSuffix(line, "\n") {
			break
		}
		out.Lines++
		plain := without(r.ignore, Plain(line))
		r.line(&out, Line{Number: out.Lines, Text: plain})
		if says := strings.TrimSpace(plain); says != "" {
			out.Last = says
		}
	}
	out.Last = shortened(out.Last)
	return out
}

// longestLast is the number of characters of a last line that are reported.
const longestLast = 120

func shortened(line string) string {
	if all := []rune(line); len(all) > longestLast {
		return string(all[:longestLast]) + "…"
	}
	return line
}

func (r *reader) line(out *Log, l Line) {
	if anyOf(r.harmless, l.Text) {
		return
	}
	if anyOf(r.ready, l.Text) {
		out.Ready = true
	}
	switch {
	case r.match(out, r.loaded, l, func(h *Heard, g groups) {
		h.Loaded, h.Failed, h.Why, h.Version = true, false, "", g.named("version") // it may have failed before, and come back
	}):
	case r.match(out, r.missing, l, func(h *Heard, g groups) {
		h.Needs = append(h.Needs, g.named("needs"))
		if h.Why == "" {
			h.Why = "it needs " + g.named("needs")
		}
		h.Failed, h.Loaded = true, false
	}):
	case r.match(out, r.failed, l, func(h *Heard, g groups) {
		if h.Why == "" {
			h.Why = g.named("why")
		}
		h.Failed, h.Loaded = true, false
	}):
	case anyOf(r.trouble, l.Text):
		out.Errors = append(out.Errors, l)
	}
}

// groups are the named groups of a match.
type groups struct {
	names []string
	found []string
}

func (g groups) named(name string) string {
	if i := slices.Index(g.names, name); i >= 0 {
		return g.found[i]
	}
	return ""
}

// match notes a line for every add-on that it names. It tells whether the line is of the sort
// that the expressions find.
func (r *reader) match(out *Log, exprs []*regexp.Regexp, l Line, note func(*Heard, groups)) (found bool) {
	for _, expr := range exprs {
		for _, m := range expr.FindAllStringSubmatch(l.Text, -1) {
			found = true
			g := groups{expr.SubexpNames(), m}
			name := g.named("name")
			if name == "" { // a need that nobody is named for is everybody's trouble
				if !slices.Contains(out.Errors, l) {
					out.Errors = append(out.Errors, l)
				}
				continue
			}
			h := out.of(name)
			if !slices.Contains(h.Lines, l) {
				h.Lines = append(h.Lines, l)
			}
			note(h, g)
		}
	}
	return found
}

// of gives what is heard of an add-on, from nothing on.
func (out *Log) of(name string) *Heard {
	i := slices.IndexFunc(out.Heard, func(h Heard) bool { return h.Name == name })
	if i < 0 {
		out.Heard = append(out.Heard, Heard{Name: name})
		i = len(out.Heard) - 1
	}
	return &out.Heard[i]
}

// Answer takes the console's answer to the line that asks for what is loaded.
func Answer(c rulebook.Console, text string) []Heard {
	exprs, ignore := compile(c.Line), compile(c.Ignore)
	var item []*regexp.Regexp
	if c.Item != "" {
		item = compile([]string{c.Item})
	}
	var out Log
	n := 0
	for line := range strings.Lines(text) {
		n++
		l := Line{n, without(ignore, Plain(line))}
		loaded := func(name, version string) {
			h := out.of(name)
			if h.Loaded = true; version != "" {
				h.Version = version
			}
			if !slices.Contains(h.Lines, l) {
				h.Lines = append(h.Lines, l)
			}
		}
		for _, expr := range exprs {
			for _, m := range expr.FindAllStringSubmatch(l.Text, -1) {
				g := groups{expr.SubexpNames(), m}
				if name := g.named("name"); name != "" {
					loaded(name, g.named("version"))
				}
				if list := g.named("list"); list != "" {
					eachItem(list, c.Separator, item, loaded)
				}
			}
		}
	}
	return out.Heard
}

// eachItem takes a list apart.
func eachItem(list, separator string, item []*regexp.Regexp, each func(name, version string)) {
	for piece := range strings.SplitSeq(list, separator) {
		piece = strings.TrimSpace(piece)
		if len(item) == 0 {
			if piece != "" {
				each(piece, "")
			}
			continue
		}
		if m := item[0].FindStringSubmatch(piece); m != nil {
			g := groups{item[0].SubexpNames(), m}
			each(g.named("name"), g.named("version"))
		}
	}
}

// colour matches a terminal's escape sequences.
var colour = regexp.MustCompile("\x1b\\[[0-9;?]*[A-Za-z]")

// Plain is a line without its end and without colours.
func Plain(line string) string {
	return colour.ReplaceAllString(strings.TrimRight(line, "\r\n"), "")
}

// Decode turns a log's bytes into text: UTF-16 where its mark says so, UTF-8
// where it is that, else Latin-1, in which every byte is a letter.
func Decode(raw []byte) string {
	if len(raw) >= 2 && (raw[0] == 0xff && raw[1] == 0xfe || raw[0] == 0xfe && raw[1] == 0xff) {
		little := raw[0] == 0xff
		units := make([]uint16, 0, len(raw)/2)
		for i := 2; i+1 < len(raw); i += 2 {
			u := uint16(raw[i])<<8 | uint16(raw[i+1])
			if little {
				u = uint16(raw[i+1])<<8 | uint16(raw[i])
			}
			units = append(units, u)
		}
		return string(utf16.Decode(units))
	}
	text := strings.TrimPrefix(string(raw), "\ufeff")
	if utf8.ValidString(text) {
		return text
	}
	// A piece that was cut out of UTF-8 may begin or end within a letter.
	piece := strings.TrimLeftFunc(text[:min(len(text), 3)], func(r rune) bool { return r == utf8.RuneError }) + text[min(len(text), 3):]
	for range utf8.UTFMax - 1 {
		if utf8.ValidString(piece) {
			return piece
		}
		piece = piece[:max(0, len(piece)-1)]
	}
	out := make([]rune, len(raw))
	for i, b := range raw {
		out[i] = rune(b)
	}
	return string(out)
}

// LastStart cuts a log that holds several starts: what is left is from behind the
// ready line before the last one on. What a server said while it stopped may be in
// front.
func LastStart(rules rulebook.Log, text string) string {
	ready, ignore := compile(rules.Ready), compile(rules.Ignore)
	if ready == nil {
		return text
	}
	at, last, before := 0, -1, 0
	for line := range strings.Lines(text) {
		at += len(line)
		if anyOf(ready, without(ignore, Plain(line))) {
			if last >= 0 {
				before = last
			}
			last = at
		}
	}
	return text[before:]
}
