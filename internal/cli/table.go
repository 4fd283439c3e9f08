package cli

import (
	"io"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// apart is how many spaces stand between columns: one would be too few.
const apart = 2

// rows writes a table without lines. It lines cells up by the width that a terminal gives them; a
// cell is one line, and no line ends with spaces.
//
// The writer of tables in go-pretty takes ten times as long, which shows where thousands of add-ons
// are listed; its widths are used.
func (a *App) rows(head []string, lines [][]string) {
	all := make([][]string, 0, 1+len(lines))
	if head != nil {
		titles := make([]string, len(head))
		for i, h := range head {
			titles[i] = strings.ToUpper(h)
		}
		all = append(all, titles)
	}
	all = append(all, lines...)
	var widest []int
	cells := make([][]cell, len(all))
	for i, line := range all {
		cells[i] = make([]cell, 0, len(line))
		for j, words := range line {
			c := cellOf(words)
			cells[i] = append(cells[i], c)
			if j == len(widest) {
				widest = append(widest, 0)
			}
			widest[j] = max(widest[j], c.width)
		}
	}
	var out strings.Builder
	for _, line := range cells {
		gap := 0
		for j, c := range line {
			if c.width > 0 {
				out.WriteString(strings.Repeat(" ", gap))
				out.WriteString(c.words)
				gap = 0
			}
			gap += widest[j] - c.width + apart
		}
		out.WriteByte('\n')
	}
	_, _ = io.WriteString(a.Out, out.String())
}

// cell is what stands in a table, and how wide a terminal draws it.
type cell struct {
	words string
	width int
}

// cellOf makes one line of words that may hold several.
func cellOf(words string) cell {
	if !strings.ContainsFunc(words, func(r rune) bool { return r < ' ' || r > '~' }) {
		return cell{words, len(words)}
	}
	words = seen(strings.Join(strings.FieldsFunc(words, func(r rune) bool { return r == '\n' || r == '\r' || r == '\t' }), " "))
	return cell{words, text.StringWidth(words)}
}
