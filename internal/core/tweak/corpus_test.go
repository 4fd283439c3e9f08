package tweak_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tweak"
)

// habits are how hosts and people write the same text: line ends, a mark, no end, another
// encoding. ok is false where a text cannot be written so.
var habits = map[string]func(string) ([]byte, bool){
	"as it is":     func(s string) ([]byte, bool) { return []byte(s), true },
	"windows ends": func(s string) ([]byte, bool) { return []byte(crlf(s)), true },
	"no last end":  func(s string) ([]byte, bool) { return []byte(strings.TrimRight(s, "\r\n")), true },
	"a mark":       func(s string) ([]byte, bool) { return []byte(text.Mark + strings.TrimPrefix(s, text.Mark)), true },
	"mixed ends": func(s string) ([]byte, bool) {
		lines := strings.SplitAfter(strings.ReplaceAll(s, "\r\n", "\n"), "\n")
		for i := range lines {
			if i%3 == 1 {
				lines[i] = crlf(lines[i])
			}
		}
		return []byte(strings.Join(lines, "")), true
	},
	"utf-16": func(s string) ([]byte, bool) {
		raw, err := text.UTF16Little.Encode([]byte(text.Mark + strings.TrimPrefix(s, text.Mark)))
		return raw, err == nil
	},
	"western": func(s string) ([]byte, bool) {
		raw, err := text.Western.Encode([]byte(strings.TrimPrefix(s, text.Mark)))
		return raw, err == nil && !bytes.Equal(raw, []byte(s))
	},
}

func crlf(s string) string {
	return strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "\n"), "\n", "\r\n")
}

// Every kind of tweak on every text of the corpus in every habit: it runs or is refused with
// a reason, keeps what it does not change, and goes back to the byte.
func TestEveryKindOnEveryTextInEveryHabit(t *testing.T) {
	files, err := filepath.Glob("../text/testdata/corpus/*")
	require.NoError(t, err)
	texts, done, refused := 0, map[tweak.Verb]int{}, map[tweak.Verb]int{}
	for _, file := range files {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		format := text.Guess(filepath.Base(file), raw)
		for habit, write := range habits {
			as, ok := write(string(raw))
			if !ok {
				continue
			}
			enc, is := text.EncodingOf(as)
			require.True(t, is, "%s, %s", file, habit)
			source, err := enc.Decode(as)
			require.NoError(t, err)
			d, err := text.Parse(source, format)
			require.NoError(t, err, "%s, %s", file, habit)
			texts++
			for i, tw := range some(d, format) {
				if habit != "as it is" && i%7 != texts%7 {
					continue // each habit takes others of them, so that all of it takes seconds
				}
				tw = tweak.Bind(source, tw)
				after, undo, err := settings.Apply(as, settings.Tweaked(tw))
				if err != nil {
					var unsafe *text.UnsafeError
					reasoned := errors.As(err, &unsafe) || strings.Contains(err.Error(), "nothing was changed") || errors.Is(err, text.ErrNotThere) || strings.Contains(err.Error(), "comments") || strings.Contains(err.Error(), "not clear") || strings.Contains(err.Error(), "cannot be") || strings.Contains(err.Error(), "already") || strings.Contains(err.Error(), "what stands there") || strings.Contains(err.Error(), "no groups")
					require.True(t, reasoned, "%s, %s: %s: %v", file, habit, tw, err)
					if !strings.Contains(err.Error(), "has no comments") {
						refused[tw.Do]++
					}
					continue
				}
				if undo.Do == "" {
					continue
				}
				done[tw.Do]++
				again, nothing, err := settings.Apply(after, settings.Tweaked(tw))
				require.NoError(t, err, "%s, %s: %s again", file, habit, tw)
				require.Empty(t, nothing.Do, "%s, %s: %s again:\n%s", file, habit, tw, again)
				back, _, err := settings.Apply(after, undo)
				require.NoError(t, err, "%s, %s: back from %s", file, habit, tw)
				require.Equal(t, string(as), string(back), "%s, %s: back from %s", file, habit, tw)
			}
		}
	}
	require.Greater(t, texts, 100)
	for _, verb := range []tweak.Verb{tweak.Set, tweak.Add, tweak.Drop, tweak.Comment, tweak.Insert, tweak.Replace, tweak.Copy, tweak.Each, tweak.Cut} {
		require.Greater(t, done[verb], refused[verb], "%s", verb)
	}
	require.Greater(t, done[tweak.Uncomment], 40, "prose looks like values now and then, and is refused")
}

// some gives tweaks of every kind that a text may take.
func some(d *text.Doc, f text.Format) (out []tweak.Tweak) {
	n := 0
	d.Root.Walk(func(node *text.Node) bool {
		if node.Up == nil {
			out = append(out, tweak.Tweak{Do: tweak.Insert, Format: f, Text: d.Sign() + " put in", Where: tweak.Where{Start: true}})
			return true
		}
		n++
		at := d.Path(node)
		if node.Kind == text.Scalar {
			value := map[text.Type]string{text.Number: "91", text.Bool: "true", text.Text: "ninety", text.Code: "91", text.Null: "x"}[node.Type]
			out = append(out, tweak.Tweak{Do: tweak.Set, Format: f, At: at, Value: value})
			if strings.Count(string(d.Source), node.Value) == 1 && len(node.Value) > 3 && node.Type == text.Text {
				out = append(out, tweak.Tweak{Do: tweak.Replace, Format: f, Text: node.Value, Value: "quite-another", Count: 1})
			}
		}
		if n%3 == 0 {
			out = append(out, tweak.Tweak{Do: tweak.Drop, Format: f, At: at}, tweak.Tweak{Do: tweak.Comment, Format: f, At: at})
		}
		if n%4 == 0 && node.Up.Kind == text.Map && !strings.ContainsAny(node.Key, "#@") {
			out = append(out, tweak.Tweak{Do: tweak.Copy, Format: f, At: at, Key: "copy-of-it"})
		}
		if node.Kind == text.Map {
			out = append(out, tweak.Tweak{Do: tweak.Add, Format: f, At: at + "/fresh-one", Value: "71"})
		}
		return true
	})
	out = append(out, tweak.Tweak{Do: tweak.Add, Format: f, At: "/fresh-one", Value: "71"})
	return append(append(out, eaches(d, f)...), commentLines(d, f)...)
}

// fits gives a value of the type that stands there already.
var fits = map[text.Type]string{text.Number: "91", text.Bool: "true", text.Text: "ninety", text.Code: "91"}

// eaches change every item of collections whose items are of one kind.
func eaches(d *text.Doc, f text.Format) (out []tweak.Tweak) {
	d.Root.Walk(func(node *text.Node) bool {
		if len(node.Items) < 2 {
			return true
		}
		at, first := d.Path(node), node.Items[0]
		if first.Kind == text.Scalar && !slices.ContainsFunc(node.Items, func(n *text.Node) bool { return n.Kind != text.Scalar || n.Type != first.Type }) && len(node.Items) < 30 {
			out = append(out, tweak.Tweak{Do: tweak.Each, Format: f, At: at, Value: fits[first.Type]})
		}
		for _, i := range first.Items {
			if first.Kind == text.Map && i.Kind == text.Scalar && fits[i.Type] != "" {
				out = append(out, tweak.Tweak{Do: tweak.Each, Format: f, At: at, Item: text.Join(i.Key), Value: fits[i.Type]})
				break
			}
		}
		return true
	})
	return out
}

// commentLines have lines that stand in comments count, and take others out.
func commentLines(d *text.Doc, f text.Format) (out []tweak.Tweak) {
	lines := strings.Split(strings.ReplaceAll(string(d.Source), "\r\n", "\n"), "\n")
	for i, line := range lines {
		bare := strings.TrimSpace(line)
		body, is := strings.CutPrefix(bare, d.Sign())
		if body = strings.TrimSpace(body); !is || d.Sign() == "" || len(body) < 4 || strings.Count(string(d.Source), body) > 1 {
			continue
		}
		if strings.ContainsAny(body, ":=") && !strings.HasSuffix(body, ":") {
			out = append(out, tweak.Tweak{Do: tweak.Uncomment, Format: f, Text: body})
		}
		if i%2 == 0 {
			out = append(out, tweak.Tweak{Do: tweak.Cut, Format: f, Text: bare})
		}
	}
	return out
}
