package version

import (
	"slices"
	"strings"
)

// Known are the numbers and words of a game that stand in the names of its
// downloads beside the add-on's own version.
type Known struct {
	Games   []string // versions of the game
	Loaders []string // words for what loads the add-ons
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
	words := fieldsOf(stem)
	words, t.Loader = takeWord(words, func(w string) bool {
		return slices.ContainsFunc(k.Loaders, func(l string) bool { return strings.EqualFold(l, w) })
	})
	rest, game := takeWord(words, k.IsGame)
	if game != "" {
		if name, ver := Split(join(rest)); ver != "" {
			t.Name, t.Version, t.Game = name, ver, plainGame(game)
			return t
		}
	}
	t.Name, t.Version = Split(join(words))
	t.Unsure = game != "" && t.Version != ""
	return t
}

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
