package text_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/text"
)

// corpus gives every text of testdata/corpus.
func corpus(t testing.TB) map[string][]byte {
	t.Helper()
	files, err := filepath.Glob("testdata/corpus/*")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	out := map[string][]byte{}
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		out[filepath.Base(f)] = raw
	}
	return out
}

func parse(t testing.TB, name string, raw []byte) *text.Doc {
	t.Helper()
	d, err := text.Parse(raw, text.Guess(name, raw))
	require.NoError(t, err, name)
	return d
}

func parseAs(t testing.TB, name string, raw []byte, f text.Format) *text.Doc {
	t.Helper()
	d, err := text.Parse(raw, f)
	require.NoError(t, err, name)
	return d
}

func leaves(d *text.Doc) (out []*text.Node) {
	d.Root.Walk(func(n *text.Node) bool {
		if n.Kind == text.Scalar && n.Up != nil {
			out = append(out, n)
		}
		return true
	})
	return out
}

func TestEveryValueIsFoundAtItsPath(t *testing.T) {
	for name, raw := range corpus(t) {
		d := parse(t, name, raw)
		require.NotEmpty(t, leaves(d), name)
		for _, n := range leaves(d) {
			found, err := d.Find(d.Path(n))
			require.NoError(t, err, "%s %s", name, d.Path(n))
			require.Same(t, n, found, "%s %s", name, d.Path(n))
		}
	}
}

// Whatever value is set, no byte outside of it changes, and setting the old one back gives
// the old text.
func TestAValueIsSetAndNothingElse(t *testing.T) {
	set, left := 0, 0
	for name, raw := range corpus(t) {
		d := parse(t, name, raw)
		for _, n := range leaves(d) {
			value := map[text.Type]string{text.Number: "77", text.Bool: "false", text.Text: "re-set", text.Null: "77", text.Code: "77"}[n.Type]
			if n.Type == text.Bool && n.Value == "false" {
				value = "true"
			}
			out, err := d.Set(n, text.Value{Text: value})
			if err != nil {
				t.Logf("left alone: %s %s (%q): %v", name, d.Path(n), d.Raw(n), err)
				left++
				continue
			}
			set++
			require.Equal(t, string(raw[:n.At.From]), string(out[:n.At.From]), "%s %s", name, d.Path(n))
			tail := string(raw[n.At.To:])
			require.True(t, strings.HasSuffix(string(out), tail), "%s %s:\n%s", name, d.Path(n), out)
			now := parseAs(t, name, out, d.Format)
			at, err := now.Find(d.Path(n))
			require.NoError(t, err)
			require.Equal(t, value, at.Value, "%s %s", name, d.Path(n))
			back, err := now.Set(at, text.Value{Text: d.Raw(n), Raw: true})
			if n.At.Empty() {
				continue // nothing stood there, and the blank before the value stays
			}
			require.NoError(t, err, "%s %s", name, d.Path(n))
			require.Equal(t, string(raw), string(back), "%s %s", name, d.Path(n))
		}
	}
	require.Greater(t, set, 20*left, "hardly anything may be left alone")
}

// What is added can be taken out again, and then every byte is as before.
func TestAnEntryComesAndGoes(t *testing.T) {
	done, left := 0, 0
	for name, raw := range corpus(t) {
		d := parse(t, name, raw)
		d.Root.Walk(func(in *text.Node) bool {
			if in.Kind == text.Scalar {
				return true
			}
			step := "fresh"
			if in.Kind != text.Map {
				step = "-"
			}
			path := d.Path(in) + "/" + step
			out, err := d.Add(path, text.Value{Text: "71"}, text.Spot{})
			if err != nil {
				t.Logf("left alone: %s %s: %v", name, path, err)
				left++
				return true
			}
			done++
			now := parseAs(t, name, out, d.Format)
			if in.Kind != text.Map {
				path = d.Path(in) + "/" + number(len(in.Items))
			}
			at, err := now.Find(path)
			require.NoError(t, err, "%s %s\n%s", name, path, out)
			require.Equal(t, "71", at.Value)
			back, err := now.Remove(at)
			require.NoError(t, err, "%s %s\n%s", name, path, out)
			if len(in.Items) > 0 { // of the blank lines around the first one of a group, [tweak.Apply] takes care
				require.Equal(t, squeezed(raw), squeezed(back), "%s %s\n%s", name, path, out)
			}
			return true
		})
	}
	require.Greater(t, done, 5*left, "hardly anything may be left alone")
}

var blankLines = regexp.MustCompile(`(\r?\n)[ \t]*(\r?\n)+`)

// squeezed is a text without its blank lines.
func squeezed(raw []byte) string {
	return strings.Trim(blankLines.ReplaceAllString(string(raw), "$1"), "\r\n")
}

// An entry that is taken out takes nothing with it.
func TestAnEntryIsTakenOut(t *testing.T) {
	done, left := 0, 0
	for name, raw := range corpus(t) {
		d := parse(t, name, raw)
		d.Root.Walk(func(n *text.Node) bool {
			if n.Up == nil {
				return true
			}
			if _, err := d.Remove(n); err != nil {
				t.Logf("left alone: %s %s: %v", name, d.Path(n), err)
				left++
				return true
			}
			done++
			return true
		})
	}
	require.Greater(t, done, 10*left, "hardly anything may be left alone")
}

func number(n int) string { return strconv.Itoa(n) }
