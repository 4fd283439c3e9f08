package text

import (
	"bytes"
	"path"
	"regexp"
	"strings"
)

// suffixes are formats that the end of a file's name tells.
var suffixes = map[string]Format{
	".yaml": YAML, ".yml": YAML,
	".json": JSON, ".jsonc": Tolerant, ".json5": Tolerant,
	".toml": TOML, ".ini": INI, ".properties": Properties, ".xml": XML,
}

var (
	sectionLine = regexp.MustCompile(`(?m)^[ \t]*\[[^\]\r\n]+\][ \t]*\r?$`)
	pairLine    = regexp.MustCompile(`(?m)^[ \t]*[\w.-]+[ \t]*=`)
	colonLine   = regexp.MustCompile(`(?m)^[ \t]*[\w.-]+:([ \t]|\r?$)`)
	tableLine   = regexp.MustCompile(`(?m)^[ \t]*(return[ \t]*\{|(local[ \t]+)?[\w.]+[ \t]*=[ \t]*\{)|^[ \t]*--`)
	wordLine    = regexp.MustCompile(`(?m)^[ \t]*(\w+|"[^"\r\n]*")[ \t]+(\S+|"[^"\r\n]*")`)
	codeLine    = regexp.MustCompile(`(?m)^[^#;\r\n]*(\{|\}|["'\w)\]];)[ \t]*(//[^\r\n]*)?\r?$`)
)

// commandNames are ends of names under which lines of commands are kept. Elsewhere words in
// lines say nothing: prose and logs look the same.
var commandNames = map[string]bool{".cfg": true, ".conf": true, ".config": true, ".rc": true, ".settings": true}

var setLine = regexp.MustCompile(`(?m)^[ \t]*set[ \t]+\w+[ \t]+\S`)

// Guess tells the format of a text by its file's name, and by what it looks like where the
// name does not tell.
func Guess(name string, source []byte) Format {
	if f, ok := suffixes[strings.ToLower(path.Ext(name))]; ok {
		if f == JSON && (bytes.Contains(source, []byte("//")) || bytes.Contains(source, []byte("/*"))) {
			return tolerant(source)
		}
		return f
	}
	head := source[:min(len(source), 64<<10)]
	first := bytes.TrimLeft(bytes.TrimPrefix(head, []byte(Mark)), " \t\r\n")
	count := func(e *regexp.Regexp) int { return len(e.FindAllIndex(head, -1)) }
	lines := 1 + bytes.Count(head, []byte("\n"))
	pairs, colons := count(pairLine), count(colonLine)
	candidates := []struct {
		f  Format
		is bool
	}{
		{XML, bytes.HasPrefix(first, []byte("<"))},
		{Tolerant, bytes.HasPrefix(first, []byte("{")) || bytes.HasPrefix(first, []byte("//"))},
		{Script, count(tableLine) > 0},
		{INI, count(sectionLine) > 0 && pairs+colons > 0},
		{INI, pairs > 0 && count(codeLine)*4 < contentLines(head) && pairs*4 >= contentLines(head)},
		{YAML, colons > 0 && colons*4 >= contentLines(head)},
		{Commands, (commandNames[strings.ToLower(path.Ext(name))] && lines > 1 || count(setLine) > 1) && count(wordLine)*3 >= contentLines(head)*2},
	}
	for _, c := range candidates {
		if !c.is {
			continue
		}
		if _, err := Parse(source, c.f); err == nil {
			return c.f
		}
	}
	return Lines
}

// tolerant tells whether a JSON text has comments, and not only such signs in its values.
func tolerant(source []byte) Format {
	d, err := Parse(source, Tolerant)
	if err != nil {
		return Tolerant
	}
	for i := 0; i < len(source); i++ {
		switch {
		case source[i] == '"':
			if end := quotedIn(source, i); end > 0 {
				i = end - 1
			}
		case source[i] == '/' && d.comment(i) > i:
			return Tolerant
		}
	}
	return JSON
}

// contentLines counts the lines that are not blank and no comment by their first sign.
func contentLines(source []byte) (n int) {
	for _, line := range bytes.Split(source, []byte("\n")) {
		if line = bytes.TrimSpace(line); len(line) > 0 && bytes.IndexByte([]byte("#;!-/"), line[0]) < 0 {
			n++
		}
	}
	return max(n, 1)
}
