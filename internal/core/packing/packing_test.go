package packing

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
)

func side(s string) []layout.Fact {
	return []layout.Fact{{Kind: rulebook.Side, Name: s, From: "its head"}}
}

func TestWhoNeedsAnAddonIsToldByItsManifestOrAPerson(t *testing.T) {
	addons := []Addon{{Key: "a", Name: "a", Version: "1", Facts: side("both")}, {Key: "b", Name: "b", Facts: side("server")}, {Key: "c", Name: "c"}, {Key: "d", Name: "d", Facts: side("Client, Server")}, {Key: "e", Name: "e", Facts: side("both"), Files: []File{{Path: "x"}}}}
	got := Build(addons, []Said{{Addon: "c", Need: May, Note: "nice"}, {Addon: "b", Share: true}, {Addon: "e", Need: MustNot}, {Addon: "ghost", Name: "Ghost Lamps", Need: MustNot, Note: "it crashes you"}})
	var lines []string
	for _, e := range got {
		lines = append(lines, fmt.Sprintf("%s %s %s", e.Name, e.Need, e.Note))
	}
	require.Equal(t, []string{"a must ", "d must ", "c may nice", "e must-not ", "Ghost Lamps must-not it crashes you", "b none "}, lines)
	require.Empty(t, got[3].Files)
	need, _ := Told(nil)
	require.Equal(t, Unknown, need)
}

// Who does what a list of changes says has what the new list says.
func TestWhoFollowsTheChangesHasTheNewList(t *testing.T) {
	entries := rapid.SliceOfNDistinct(rapid.Custom(func(t *rapid.T) Entry {
		return Entry{Name: rapid.SampledFrom([]string{"a", "b", "c", "d"}).Draw(t, "name"), Version: rapid.SampledFrom([]string{"1", "2"}).Draw(t, "version"),
			Need: rapid.SampledFrom([]Need{Must, May, MustNot, None, Unknown}).Draw(t, "need")}
	}), 0, 4, func(e Entry) string { return e.Name })
	has := func(list []Entry) map[string]string {
		out := map[string]string{}
		for _, e := range list {
			if e.Need == Must || e.Need == May {
				out[e.Name] = e.Version
			}
		}
		return out
	}
	rapid.Check(t, func(t *rapid.T) {
		old, now := entries.Draw(t, "old"), entries.Draw(t, "now")
		mine := has(old)
		for _, c := range Changes(old, now) {
			switch c.What {
			case "add", "replace":
				mine[c.Name] = c.Is
			case "drop":
				delete(mine, c.Name)
			}
		}
		require.Equal(t, has(now), mine)
		require.Empty(t, Changes(now, now))
	})
}

func TestAListForAChat(t *testing.T) {
	text := Text("Reedbank", "reedbank.example:4000", "Bring a coat.", []Entry{{Name: "lamps", Version: "2", Need: Must, Source: "https://x.example/l", Files: []File{{Size: 5}}}, {Name: "ghost", Need: MustNot, Note: "it crashes you"}, {Name: "own", Need: None}}, func(n int64) string { return fmt.Sprint(n, " B") })
	require.Equal(t, "Reedbank\nJoin at reedbank.example:4000\n\nBring a coat.\n\nYou must have\n- lamps 2 (5 B), https://x.example/l\n\nYou must not have\n- ghost: it crashes you\n", text)
}
