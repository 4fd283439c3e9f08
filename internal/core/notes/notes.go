// Package notes reads what authors put beside their add-ons: which files are
// meant for people, and which lines in them look like something to do. What
// it finds is only ever read out to a person; nothing is decided by it.
package notes

import (
	"path"
	"regexp"
	"strings"
)

// Kind is what a text for people is about.
type Kind string

// The kinds.
const (
	Readme  Kind = "readme"
	Install Kind = "install"
	Licence Kind = "licence"
	Changes Kind = "changes"
)

// KindOf tells by its name whether a file is for people; empty where it is not.
func KindOf(base string) Kind {
	base = strings.ToLower(base)
	switch ext := path.Ext(base); ext {
	case "", ".md", ".txt", ".rst", ".adoc", ".me":
	default:
		return ""
	}
	stem := strings.TrimSuffix(base, path.Ext(base))
	words := strings.FieldsFunc(stem, func(r rune) bool { return strings.ContainsRune(" _-.", r) })
	joined := strings.Join(words, "")
	has := func(list ...string) bool {
		for _, w := range list {
			if strings.Contains(joined, w) {
				return true
			}
		}
		return false
	}
	switch {
	case has("license", "licence", "copying"):
		return Licence
	case has("changelog", "changes", "history", "releasenotes", "whatsnew"):
		return Changes
	case has("install", "howto", "setup", "instructions"):
		return Install
	case has("readme", "lesen", "lisez", "notes", "leeme", "leiame", "leggimi"):
		return Readme
	}
	return ""
}

// MayBeText tells by its name whether a file may be a text for people.
func MayBeText(base string) bool {
	switch path.Ext(strings.ToLower(base)) {
	case ".md", ".txt", ".rst", ".adoc", ".me":
		return true
	}
	return false
}

// installing matches the words for installing and unpacking in the languages in which add-ons
// are written about.
var installing = regexp.MustCompile(`(?i)\b(instal\w*|einricht\w*|entpack\w*|kopier\w*|copi(?:er|ez|ar|e)\b|décompress\w*|extrai\w*|kurulum\w*|kur(?:un|mak)\w*|zainstal\w*|rozpakuj\w*|telepít\w*|asenna\w*|unzip\w*|extract\w*|drag\b|put (?:it|the|this) )|устано|распак|встанов|安装|安裝|解压|解壓|インストール|解凍|설치|압축`)

// Speaks tells whether a text, whatever it is called, speaks of installing.
func Speaks(text string) bool { return installing.MatchString(text) }

// Line is a line that looks like something to do.
type Line struct {
	Number int // counts from 1
	Text   string
}

// most is the number of lines of one text that are reported; a text with more is a manual.
const most = 12

// telling matches the words by which authors tell people to do something.
var telling = regexp.MustCompile(`(?i)\b(needs?|requires?|required|depends on|before|make sure|must|add (the|this|a) (following )?lines?|rename|delete|remove|replace|edit|set the|key|only (works|for)|does not work|not compatible|version \S*\d|\d\S* or (newer|later|higher))\b`)

// marks are what lists and headings begin with.
var marks = regexp.MustCompile(`^\s*(#{1,6}|[-*+>•]|\d{1,2}[.)])\s+`)

// Instructions picks the lines of a readme or of install notes that look like
// something to do, without the marks of lists and headings. Lines inside fences
// are examples and are left.
func Instructions(text string) []Line {
	var out []Line
	fenced, number := false, 0
	for line := range strings.Lines(text) {
		number++
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "```") || strings.HasPrefix(line, "~~~") {
			fenced = !fenced
			continue
		}
		heading := strings.HasPrefix(line, "#")
		line = strings.TrimSpace(marks.ReplaceAllString(line, ""))
		if fenced || heading || len(line) < 8 || len(line) > 300 || !telling.MatchString(line) && !installing.MatchString(line) {
			continue
		}
		if out = append(out, Line{number, line}); len(out) == most {
			break
		}
	}
	return out
}
