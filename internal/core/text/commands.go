package text

import (
	"bytes"
	"strings"
)

// parseCommands reads lines of NAME VALUE, or KEYWORD NAME VALUE. A word is a keyword where
// several lines with three words begin with it and go on differently.
func (d *Doc) parseCommands() {
	d.Root = &Node{Kind: Map, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	var lines [][]Span
	second := map[string]map[string]bool{} // second words, by the first
	d.eachLine(func(from, to int) {
		words := d.words(from, to)
		if len(words) == 0 {
			return
		}
		lines = append(lines, words)
		if len(words) >= 3 {
			first := d.word(words[0])
			if second[first] == nil {
				second[first] = map[string]bool{}
			}
			second[first][d.word(words[1])] = true
		}
	})
	for _, words := range lines {
		key, rest := words[0], words[1:]
		if first := d.word(words[0]); len(words) >= 3 && (len(second[first]) > 1 || first == "set") {
			key, rest = words[1], words[2:]
		}
		n := &Node{Type: Null, Key: unquoted(d.word(key)), KeyAt: key, At: Span{key.To, key.To}, whole: Span{words[0].From, words[len(words)-1].To}}
		if len(rest) > 0 {
			n.Type, n.At = Text, Span{rest[0].From, rest[len(rest)-1].To}
			n.Value = d.word(n.At)
			if len(rest) == 1 {
				n.Value = unquoted(n.Value)
			}
		}
		d.Root.add(n)
	}
}

func (d *Doc) word(s Span) string { return string(d.Source[s.From:s.To]) }

// words parts a line into words, of which one in quotes is one, up to a comment.
func (d *Doc) words(from, to int) (out []Span) {
	for at := skipBlanks(d.Source, from); at < to; at = skipBlanks(d.Source, at) {
		if d.comment(at) > at {
			break
		}
		end := at
		if c := d.Source[at]; c == '"' || c == '\'' {
			end = quotedWord(d.Source[:to], at)
		}
		if end <= at {
			end = to
			if i := bytes.IndexAny(d.Source[at:to], " \t"); i >= 0 {
				end = at + i
			}
		}
		out = append(out, Span{at, end})
		at = end
	}
	return out
}

// quotedWord gives the end of the word in quotes that begins at a place, or -1. Where a
// backslash before a quote would leave the word open, or glued to the next one, it stands for
// itself: "C:\fair\" is such a word.
func quotedWord(line []byte, at int) int {
	ends := func(i int) bool { return i == len(line) || line[i] == ' ' || line[i] == '\t' }
	escaped := quotedIn(line, at)
	if escaped > 0 && ends(escaped) {
		return escaped
	}
	for i := at + 1; i < len(line); i++ {
		if line[i] == line[at] && ends(i+1) {
			return i + 1
		}
	}
	return escaped
}

// parseLines takes every line for a value.
func (d *Doc) parseLines() {
	d.Root = &Node{Kind: List, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	d.eachLine(func(from, to int) {
		d.Root.add(&Node{Type: Text, Value: string(d.Source[from:to]), At: Span{from, to}, whole: Span{from, to}})
	})
}

// looks tells what a word is taken for where nothing else says it.
func looks(s string) Type {
	switch strings.ToLower(s) {
	case "true", "false":
		return Bool
	case "null", "~", "nil":
		return Null
	}
	if number.MatchString(s) {
		return Number
	}
	return Text
}
