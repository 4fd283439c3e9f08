package lint_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// Each code beside the nearest text in which it must not be said.
func TestEveryFindingIsSaidWhereItIsSoAndNowhereElse(t *testing.T) {
	for _, c := range []struct {
		code, name, is, near string
		shipped              string
		line                 int
	}{
		{code: "text-unreadable", name: "a.yaml", is: "a: 1\n\tb: 2\n", near: "a: 1\nb: \"\t2\"\n", line: 2},
		{code: "text-unreadable", name: "a.json", is: "{\"a\": “x”}", near: "{\"a\": \"“x”\"}", line: 1},
		{code: "trailing-comma", name: "a.json", is: "{\n\"a\": [1,\n2,\n]\n}", near: "{\n\"a\": [1,\n2\n]\n}", line: 3},
		{code: "placeholder", name: "a.ini", is: "[x]\npassword = changeme\n", near: "[x]\npassword = changemen\n", line: 2},
		{code: "placeholder", name: "a.yaml", is: "owner: '@Name1'\n", near: "owner: '@here'\n", line: 1},
		{code: "typographic-quotes", name: "a.yaml", is: "a: “x y”\n", near: "a: say “x y” now\n", line: 1},
		{code: "open-quote", name: "a.ini", is: "[x]\na = \"open\n", near: "[x]\na = 5\" wide\n", line: 2},
		{code: "unquoted-spaces", name: "a.cfg", is: "set name \"a b\"\nset port 1\nset notice c d\n", near: "set name \"a b\"\nset port 1\nset notice \"c d\"\n", line: 3},
		{code: "doubled-key", name: "a.properties", is: "a=1\nb=2\na=3\n", near: "a=1\nb=2\na=1\n", line: 3},
		{code: "unknown-key", name: "a.toml", is: "sped = 1\n", near: "sped = 1\nspeed = 2\n", shipped: "speed = 3\n", line: 1},
		{code: "other-type", name: "a.yaml", is: "a: \"3\"\n", near: "a: 4\n", shipped: "a: 3\n", line: 1},
	} {
		t.Run(c.code, func(t *testing.T) {
			in := lint.Input{Path: tree.Path("config").Join(tree.Path(c.name))}
			if c.shipped != "" {
				in.Shipped = []byte(c.shipped)
			}
			in.Raw = []byte(c.is)
			found := lint.Text(in)
			require.Len(t, found, 1)
			require.Equal(t, c.code, found[0].Code)
			require.Equal(t, c.line, found[0].Line)
			if m := found[0].Tweak; m != nil {
				after, _, err := tweak.Apply([]byte(c.is), *m)
				require.NoError(t, err)
				in.Raw = after
				require.Empty(t, lint.Text(in), "its mend puts it right: %s", after)
			}
			in.Raw = []byte(c.near)
			require.Empty(t, lint.Text(in))
		})
	}
}

// Nothing is said of texts that are as they should be: of the corpus, and of each beside what
// was shipped where that is the same.
func TestNoFalseAlarmOnTheCorpus(t *testing.T) {
	known := map[string]string{ // what is meant to be wrong in it
		"lantern.ini": "", "words.properties": "doubled-key", "quay-books.properties": "doubled-key", "server.cfg": "placeholder", "saltpan.yaml": "",
	}
	files, err := filepath.Glob("../text/testdata/corpus/*")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		for _, x := range lint.Text(lint.Input{Path: tree.Path(filepath.Base(f)), Raw: raw, Shipped: raw}) {
			require.Equal(t, known[filepath.Base(f)], x.Code, x.What)
		}
	}
}

// Elements that share a name are many things: one is not measured by another.
func TestElementsOfOneNameAreNotComparedWithEachOther(t *testing.T) {
	shipped := []byte("<fair><stall sells=\"honey\" place=\"1\"/><stall tells=\"tales\" place=\"2\"/></fair>\n")
	require.Empty(t, lint.Text(lint.Input{Path: "fair.xml", Raw: shipped, Shipped: shipped, Format: text.XML}))
	mine := []byte("<fair><stall sells=\"honey\" place=\"1\"/><stal tells=\"tales\" place=\"2\"/></fair>\n")
	require.Empty(t, lint.Text(lint.Input{Path: "fair.xml", Raw: mine, Shipped: shipped, Format: text.XML}), "stall is not missing")
}

func TestABrokenTextSaysWhere(t *testing.T) {
	found := lint.Text(lint.Input{Path: "a.toml", Raw: []byte("a = 1\nb = two words\n"), Format: text.TOML})
	require.Len(t, found, 1)
	require.Equal(t, 2, found[0].Line)
	require.Contains(t, found[0].What, "a.toml, line 2")
}
