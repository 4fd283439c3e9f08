package cli

import (
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// drawn is a table as go-pretty writes it.
func drawn(head []string, lines [][]string) string {
	row := func(cells []string) (out table.Row) {
		for _, c := range cells {
			out = append(out, c)
		}
		return out
	}
	t := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatUpper
	t.SetStyle(style)
	t.AppendHeader(row(head))
	for _, l := range lines {
		t.AppendRow(row(l))
	}
	t.SuppressTrailingSpaces()
	return t.Render() + "\n"
}

func TestATableIsDrawnAsTheLibraryDrawsIt(t *testing.T) {
	word := rapid.StringMatching(`[a-z0-9äß漢字é\x{1F980}.,/~]{1,9}([ \n][a-zö]{1,5})?`)
	rapid.Check(t, func(t *rapid.T) {
		wide := rapid.IntRange(1, 5).Draw(t, "columns")
		head := rapid.SliceOfN(word, wide, wide).Draw(t, "head")
		lines := rapid.SliceOfN(rapid.SliceOfN(rapid.OneOf(word, rapid.Just("")), wide, wide), 1, 6).Draw(t, "lines")
		var out strings.Builder
		(&App{Out: &out}).rows(head, lines)
		require.Equal(t, drawn(head, lines), out.String())
	})
}

// What stands in a cell keeps to its column.
func TestACellIsAsWideAsItIsShown(t *testing.T) {
	var out strings.Builder
	(&App{Out: &out}).rows(nil, [][]string{{"two\twords\nbelow", "a"}, {"\x1b[31mred", "b"}, {"漢字", "c"}, {"", "d"}, {"last", ""}})
	require.Equal(t, strings.Join([]string{
		`two words      a`,
		`below`,
		`\u001b[31mred  b`,
		`漢字           c`,
		`               d`,
		`last`, ``}, "\n"), out.String())
}
