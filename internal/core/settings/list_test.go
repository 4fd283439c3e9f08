package settings_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/settings"
)

// listCase is one file of testdata/lists, written by hand.
type listCase struct {
	About  string
	List   list
	Text   string
	Holds  []string // the names that count, in order
	Off    []string // those that are disabled
	Broken string   // what the error says where the text cannot be used
	Does   []struct {
		Do, Key, After string
		Before         []string
		Gives          string
		Same           bool   // nothing changes
		Error          string // what the error says
	}
}

type list struct {
	Form, Entry, At, Match, Separator, Missing, Below, Disabled, Quote, Order string
	Begin                                                                     bool
	Others                                                                    []string
}

func (l list) list() settings.List {
	return settings.List{Form: l.Form, Entry: l.Entry, Others: l.Others, At: l.At, Match: l.Match, Separator: l.Separator,
		Missing: l.Missing, Below: l.Below, Disabled: l.Disabled, Quote: l.Quote, Order: l.Order, Begin: l.Begin}
}

func TestLoadListsKeepEveryOtherByte(t *testing.T) {
	files, err := filepath.Glob("testdata/lists/*.yaml")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 30)
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".yaml"), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			var c listCase
			require.NoError(t, yaml.Unmarshal(raw, &c))
			c.check(t)
		})
	}
}

func (c listCase) check(t *testing.T) {
	l := c.List.list()
	items, err := l.Read([]byte(c.Text))
	if c.Broken != "" {
		require.ErrorContains(t, err, c.Broken)
		_, _, err = settings.Apply([]byte(c.Text), settings.Op{List: l, Do: settings.Add, Key: "x"})
		require.ErrorContains(t, err, c.Broken)
		return
	}
	require.NoError(t, err)
	on, off := names(items)
	require.Equal(t, orNone(c.Holds), on)
	require.Equal(t, orNone(c.Off), off)
	for _, do := range c.Does {
		op := settings.Op{List: l, Do: settings.Verb(do.Do), Key: do.Key, After: do.After, Before: do.Before}
		what := do.Do + " " + do.Key
		got, undo, err := settings.Apply([]byte(c.Text), op)
		if do.Error != "" {
			require.ErrorContains(t, err, do.Error, what)
			continue
		}
		require.NoError(t, err, what)
		if do.Same {
			require.Equal(t, c.Text, string(got), what)
			require.Empty(t, undo.Do, what)
			continue
		}
		require.Equal(t, do.Gives, string(got), what)
		again, nothing, err := settings.Apply(got, op)
		require.NoError(t, err, what)
		require.Equal(t, do.Gives, string(again), "%s twice", what)
		require.Empty(t, nothing.Do, "%s twice", what)
		back, redo, err := settings.Apply(got, undo)
		require.NoError(t, err, what)
		require.Equal(t, c.Text, string(back), "%s taken back", what)
		forth, _, err := settings.Apply(back, redo)
		require.NoError(t, err, what)
		require.Equal(t, do.Gives, string(forth), "%s taken back and done again", what)
	}
}

func names(items []settings.Item) (on, off []string) {
	on, off = []string{}, []string{}
	for _, i := range items {
		if i.Off {
			off = append(off, i.Key)
		} else {
			on = append(on, i.Key)
		}
	}
	return on, off
}

func orNone(s []string) []string { return append([]string{}, s...) }
