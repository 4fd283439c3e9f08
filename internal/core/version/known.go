package version

import (
	"regexp"
	"slices"
	"strings"
)

// Known are the numbers and words of a game that stand in the names of its
// downloads beside the add-on's own version.
type Known struct {
	Games   []string // versions of the game
	Loaders []string // words for what loads the add-ons
	Names   []string // words for the game itself, which say nothing of an add-on
}

// Told is what a stem tells of a download.
type Told struct {
	Name    string
	Version string
	Game    string // the game version it names, if any
	Loader  string // the loader word it names, if any
	// Unsure is set where the one number in the name could be the game's
	// version as well as the add-on's own. It is taken for the add-on's.
	Unsure bool
}

// Tell is [Split] for a game whose versions and loader words are known:
// "lamps-9.3-keel-3.4" with game version 9.3 and loader keel gives lamps and
// 3.4. A number that stands in the list is the game's if another is left for
// the add-on.
func (k Known) Tell(stem string) Told {
	stem = strings.TrimSpace(DropCounter(strings.TrimSpace(stem)))
	var t Told
	words, glued := k.withoutGame(fieldsOf(stem))
	words, t.Loader = takeWord(words, func(w string) bool {
		return slices.ContainsFunc(k.Loaders, func(l string) bool { return strings.EqualFold(l, w) })
	})
	rest, game := takeWord(words, k.IsGame)
	if glued != "" {
		t.Name, t.Version = splitAny(join(words))
		t.Game = glued
		return t
	}
	if game != "" {
		if name, ver := splitAny(join(rest)); ver != "" {
			t.Name, t.Version, t.Game = name, ver, plainGame(game)
			return t
		}
	}
	t.Name, t.Version = splitAny(join(words))
	t.Unsure = game != "" && t.Version != ""
	return t
}

// leading is a version in front of a name: "3.4.2 pylon". It has a dot, so that "01 first"
// stays a name.
var leading = regexp.MustCompile(`(?i)^v?(\d+(?:\.\d+)+[0-9a-z.+~]*)[-_ ]+(\D.*)$`)

// splitAny is [Split], and reads a version in front of a name where none is behind it.
func splitAny(stem string) (name, ver string) {
	if name, ver = Split(stem); ver != "" {
		return name, ver
	}
	if m := leading.FindStringSubmatch(name); m != nil {
		return m[2], m[1]
	}
	return name, ver
}

// withoutGame takes the game's own names out of a stem: words of their own, what is glued to
// the start or the end of one ("LampsReed", "reedLamps"), and, with a version of the game behind
// it ("reed9.3"), that version too. Something of the stem always stays.
func (k Known) withoutGame(words []field) (rest []field, game string) {
	for i, w := range words {
		word := w.word
		for _, name := range k.Names {
			if len(word) < len(name) || len(words) == 1 && strings.EqualFold(word, name) {
				continue
			}
			head, tail := word[:len(name)], word[len(word)-len(name):]
			behind := word[len(name):]
			switch {
			case strings.EqualFold(word, name) && len(rest)+len(words)-i > 1:
				word = ""
			case strings.EqualFold(head, name) && behind != "" && (digit(behind[0]) || k.IsGame(behind)):
				word, game = "", behind
			case strings.EqualFold(head, name) && behind != "" && upper(behind[0]):
				word = behind
			case strings.EqualFold(tail, name) && upper(tail[0]) && len(word) > len(name):
				word = word[:len(word)-len(name)]
			}
		}
		if word != "" {
			before := w.before
			if len(rest) == 0 {
				before = ""
			}
			rest = append(rest, field{before, word})
		}
	}
	if len(rest) == 0 || Bare(join(rest)) {
		return words, ""
	}
	return rest, game
}

func upper(c byte) bool { return c >= 'A' && c <= 'Z' }

// IsGame tells whether a word is a known game version, with or without
// letters before it ("g9.3").
func (k Known) IsGame(w string) bool {
	return slices.ContainsFunc(k.Games, func(g string) bool { return strings.EqualFold(g, w) || strings.EqualFold(g, plainGame(w)) })
}

// plainGame drops up to three letters before a number.
func plainGame(w string) string {
	n := 0
	for n < len(w) && n < 3 && !digit(w[n]) && w[n] != '.' {
		n++
	}
	if n < len(w) && digit(w[n]) {
		return w[n:]
	}
	return w
}

// field is a word of a stem with the separators that stood before it.
type field struct{ before, word string }

func fieldsOf(stem string) []field {
	var out []field
	for i := 0; i < len(stem); {
		j := i
		for j < len(stem) && strings.IndexByte("-_ +", stem[j]) >= 0 {
			j++
		}
		end := j
		for end < len(stem) && strings.IndexByte("-_ +", stem[end]) < 0 {
			end++
		}
		out = append(out, field{stem[i:j], stem[j:end]})
		i = end
	}
	return out
}

// takeWord takes the first word that fits out; the first of all stays, since
// it begins the name.
func takeWord(words []field, fits func(string) bool) (rest []field, taken string) {
	for i, w := range words {
		if i > 0 && fits(strings.Trim(w.word, "()[]")) {
			return slices.Concat(words[:i], words[i+1:]), strings.Trim(w.word, "()[]")
		}
	}
	return words, ""
}

func join(words []field) string {
	var b strings.Builder
	for _, w := range words {
		b.WriteString(w.before)
		b.WriteString(w.word)
	}
	return b.String()
}
