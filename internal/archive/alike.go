package archive

import (
	"slices"
	"strings"
	"unicode"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// disguises are letters of other scripts that are drawn like Latin ones
// (Unicode Technical Standard 39, as far as file names of this trade go).
var disguises = strings.NewReplacer(
	"а", "a", "е", "e", "о", "o", "р", "p", "с", "c", "х", "x", "у", "y", "і", "i", "ѕ", "s", "ј", "j", "к", "k", "м", "m", "т", "t", "в", "b", "н", "h",
	"А", "A", "Е", "E", "О", "O", "Р", "P", "С", "C", "Х", "X", "І", "I", "К", "K", "М", "M", "Т", "T", "В", "B", "Н", "H",
	"ο", "o", "α", "a", "ν", "v", "ι", "i", "Ο", "O", "Α", "A", "Ε", "E", "Ι", "I", "Ν", "N", "Ρ", "P", "Τ", "T", "Χ", "X",
	"\u2010", "-", "\u2011", "-", "\u2013", "-", "\u00a0", " ", "\u200b", "", "\u200d", "",
)

// alike finds two names that are drawn alike but are not the same. items are
// sorted by path.
func (r *remarks) alike(items []Item) {
	first := map[string]tree.Path{}
	for _, it := range items {
		if plain(it.Path) {
			continue // of two that look alike at least one is written with other letters
		}
		drawn := disguises.Replace(string(it.Path))
		other, twice := first[drawn]
		if i, ok := slices.BinarySearchFunc(items, drawn, func(it Item, p string) int { return strings.Compare(string(it.Path), p) }); ok && !twice {
			other, twice = items[i].Path, true
		}
		if twice && other != it.Path {
			r.add(finding.Warn, "look-alike", it.Path, "%q and %q look alike, but are written with other letters", other, it.Path)
			continue
		}
		first[drawn] = it.Path
	}
}

func plain(p tree.Path) bool {
	return !strings.ContainsFunc(string(p), func(r rune) bool { return r > unicode.MaxASCII })
}
