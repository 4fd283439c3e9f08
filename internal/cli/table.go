package cli

import (
	"io"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// apart is how many spaces stand between columns: one would be too few.
const apart = 2

// rows writes a table without lines between its cells. It lines them up by the width that a terminal
// gives them, and no line ends with spaces. A cell may hold several lines.
//
// The writer of tables in go-pretty takes ten times as long, which shows where thousands of add-ons
// are listed; its widths are used.
func (a *App) rows(head []string, lines [][]string) {
	all := make([][]cell, 0, 1+len(lines))
	if head != nil {
		titles := make([]string, len(head))
		for i, h := range head {
			titles[i] = strings.ToUpper(h)
		}
		all = appendCells(all, titles)
	}
	for _, l := range lines {
		all = appendCells(all, l)
	}
	var widest []int
	for _, line := range all {
		for j, c := range line {
			if j == len(widest) {
				widest = append(widest, 0)
			}
			widest[j] = max(widest[j], c.width)
		}
	}
	var out strings.Builder
	for _, line := range all {
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

// cell is what stands in one line of a table, and how wide a terminal draws it.
type cell struct {
	words string
	width int
}

// appendCells adds the lines of a row: as many as its highest cell has.
func appendCells(all [][]cell, row []string) [][]cell {
	line := make([]cell, len(row))
	var below []string // what is left for the lines below, if anything is
	for i, words := range row {
		first, rest, cut := strings.Cut(words, "\n")
		line[i] = cellOf(first)
		if cut {
			if below == nil {
				below = make([]string, len(row))
			}
			below[i] = rest
		}
	}
	all = append(all, line)
	if below != nil {
		return appendCells(all, below)
	}
	return all
}

// cellOf measures one line.
func cellOf(words string) cell {
	if !strings.ContainsFunc(words, func(r rune) bool { return r < ' ' || r > '~' }) {
		return cell{words, len(words)}
	}
	words = seen(strings.ReplaceAll(words, "\t", " "))
	return cell{words, text.StringWidth(words)}
}
