// Package words says numbers, lists and sizes as people read them, in one way wherever
// the program speaks.
package words

import (
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/dustin/go-humanize/english"
)

// Count is a number with what it counts: "1 file", "3 files", "2 copies".
func Count(n int, thing string) string {
	return fmt.Sprintf("%d %s", n, english.PluralWord(n, thing, ""))
}

// few is how many names are worth reading; of more the rest is counted.
const few = 3

// Sentence is a clause with a capital letter and a full stop.
func Sentence(clause string) string {
	r, size := utf8.DecodeRuneInString(clause)
	return string(unicode.ToUpper(r)) + clause[size:] + "."
}

// Few lists at most three names, and says how many more there are.
func Few[T ~string](names []T) string {
	first := make([]string, 0, few)
	for _, name := range names[:min(few, len(names))] {
		first = append(first, string(name))
	}
	list := strings.Join(first, ", ")
	if more := len(names) - few; more > 0 {
		list += fmt.Sprintf(" and %d more", more)
	}
	return list
}

// Size is a number of bytes in decimal units.
func Size(bytes int64) string {
	switch {
	case bytes < 1000:
		return fmt.Sprintf("%d B", bytes)
	case bytes < 1_000_000:
		return fmt.Sprintf("%.1f kB", float64(bytes)/1e3)
	case bytes < 1_000_000_000:
		return fmt.Sprintf("%.1f MB", float64(bytes)/1e6)
	}
	return fmt.Sprintf("%.1f GB", float64(bytes)/1e9)
}

// Nearest is the name among others that a person may have meant: one that differs
// in case only, else in at most two letters; empty where there is none.
func Nearest(name string, others []string) string {
	best, least := "", 3
	for _, o := range others {
		d := distance(name, o)
		if strings.EqualFold(name, o) {
			d = 0
		}
		if d < least && d < max(2, len(name)/2) {
			best, least = o, d
		}
	}
	return best
}

// distance is how many letters must be put in, taken out or changed: Levenshtein's.
func distance(a, b string) int {
	x, y := []rune(a), []rune(b)
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i := range x {
		diagonal := row[0]
		row[0] = i + 1
		for j := range y {
			cost := 1
			if x[i] == y[j] {
				cost = 0
			}
			diagonal, row[j+1] = row[j+1], min(row[j+1]+1, row[j]+1, diagonal+cost)
		}
	}
	return row[len(y)]
}

// Long writes a length of time as people say it, to the minute: "2 h 30 min".
func Long(d time.Duration) string {
	h, m, s := int(d.Hours()), int(d.Minutes())%60, int(d.Seconds())%60
	switch {
	case h > 0 && m > 0:
		return fmt.Sprintf("%d h %d min", h, m)
	case h > 0:
		return fmt.Sprintf("%d h", h)
	case m > 0 || s == 0:
		return fmt.Sprintf("%d min", m)
	}
	return fmt.Sprintf("%d s", s)
}
