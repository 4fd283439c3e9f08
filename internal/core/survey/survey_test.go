package survey

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// host counts times in seconds.
var host = draft.Host{Set: ability.Set{Resolution: 1000}}

func file(text string) tree.State {
	return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text))}
}

// recorded is a file that the host reported at 10 s, and that was seen so at 20 s.
func recorded(text, owner string) draft.Row {
	row := draft.Row{State: file(text), Reported: draft.Reported{Size: int64(len(text)), Modified: 10_000, SeenAt: 20_000}}
	if owner != "" {
		row.Claims = []draft.Claim{{Addon: owner, Label: owner + "@1"}}
	}
	return row
}

// server is a tree by path: what a file holds, and its time; a folder ends with a slash, and a
// link holds "->".
type server map[string]struct {
	text string
	at   int64
}

// look surveys a server as a walk does: level by level, each folder's names in order.
func (s server) look(c *Comparing) Result {
	folders := []tree.Path{tree.Root}
	for len(folders) > 0 {
		var next []tree.Path
		for _, f := range folders {
			names := map[string]bool{}
			for p := range s {
				rest := p
				if f != tree.Root {
					var in bool
					if rest, in = strings.CutPrefix(p, string(f)+"/"); !in {
						continue
					}
				}
				name, _, folder := strings.Cut(rest, "/")
				if name != "" {
					names[name] = names[name] || folder
				}
			}
			for _, name := range slices.Sorted(maps.Keys(names)) {
				p := f.Join(tree.Path(name))
				it := s[string(p)]
				state := tree.State{Being: tree.Content, Size: int64(len(it.text))}
				switch {
				case names[name]:
					state = tree.State{Being: tree.Folder}
				case it.text == "->":
					state = tree.State{Being: tree.Foreign}
				}
				if c.Folder(p, state, it.at) {
					next = append(next, p)
				}
			}
		}
		folders = next
	}
	for _, p := range c.Doubtful() {
		text := s[string(p)].text
		c.Read(p, tree.Sum([]byte(text)), int64(len(text)))
	}
	return c.Result()
}

func said(r Result) (out []string) {
	for _, i := range r.Items {
		s := fmt.Sprintf("%s %s", i.Kind, i.Path)
		if i.Owner != "" {
			s += " of " + i.Owner
		}
		if i.In != "" {
			s += " in " + i.In
		}
		if i.Files > 0 {
			s += fmt.Sprintf(" (%d, %d B)", i.Files, i.Bytes)
		}
		out = append(out, s)
	}
	return out
}

func TestWhatDiffersIsTold(t *testing.T) {
	ledger := map[tree.Path]draft.Row{
		"fixtures/lamps.tdx":    recorded("lamps", "lamps"),
		"fixtures/base.tdx":     recorded("base!", "base"),
		"stalls/drum/stall.lf":  recorded("stall", "drum"),
		"stalls/drum/beats.lf":  recorded("beats", "drum"),
		"stalls/drum":           {State: tree.State{Being: tree.Folder}},
		"stalls/wheel/wheel.lf": recorded("wheel", "wheel"),
		"stalls/wheel/deep/a":   recorded("a", "wheel"),
		"charts/a.chart":        recorded("chart", "charts"),
		"links/a.bin":           recorded("bin", "links"),
		"links":                 {State: tree.State{Being: tree.Folder}},
	}
	s := server{
		"fixtures/lamps.tdx":   {"lamps", 10_000},  // as it was
		"fixtures/base.tdx":    {"based", 30_000},  // as long, and newer
		"fixtures/old.tdx":     {"old", 5_000},     // unknown beside others
		"stalls/drum/stall.lf": {"longer", 10_000}, // longer
		"stalls/drum/beats.lf": {"beats", 30_000},  // touched, and the same
		"stalls/drum/mine.txt": {"mine", 5_000},    // unknown in an add-on's folder
		"extra/one/a":          {"aa", 1},          // an unknown folder
		"extra/b":              {"bbb", 2},
		"world/now.txt":        {"tick", 9}, // the server's own
		"logs/a.log":           {"log", 9},
		"notes/todo.txt":       {"todo", 9}, // ignored
		"empty/":               {},
		"links":                {"->", 0},
		".restless-crate/lock": {"us", 1},
	}
	rules := Rules{Own: []string{"logs/*.log"}, OwnDirs: []tree.Path{"world"}, Ignore: []string{"notes"}, Places: []tree.Path{"fixtures", "stalls"}}
	r := s.look(New(ledger, rules, host, false))
	require.Equal(t, []string{
		"missing charts of charts@1 (1, 5 B)",
		"unknown empty",
		"unknown extra (2, 5 B)",
		"changed fixtures/base.tdx of base@1",
		"unknown fixtures/old.tdx",
		"changed links of links@1 (1, 3 B)",
		"unknown stalls/drum/mine.txt in drum@1",
		"changed stalls/drum/stall.lf of drum@1",
		"missing stalls/wheel of wheel@1 (2, 6 B)",
	}, said(r))
	require.Equal(t, Counts{Files: 11, Bytes: 44, Folders: 9, Same: 2, Read: 1, Changed: 3, Missing: 4, Unknown: 4, Own: 2, OwnSize: 7, Ignored: 1}, r.Counts)
	require.True(t, r.Counts.Differs())
	for _, i := range r.Items {
		if i.Path == "fixtures/base.tdx" {
			require.Equal(t, tree.Sum([]byte("based")), i.Is.Digest, "it was read")
		}
		if i.Path == "stalls/drum/stall.lf" {
			require.True(t, i.Is.Digest.IsZero(), "its length alone tells")
		}
	}
}

func TestThoroughReadsEverythingThatIsKnown(t *testing.T) {
	ledger := map[tree.Path]draft.Row{"a": recorded("same!", "x"), "b": recorded("other", "x")}
	s := server{"a": {"same!", 10_000}, "b": {"swapp", 10_000}, "c": {"new", 1}}
	require.Equal(t, []string{"unknown c"}, said(s.look(New(ledger, Rules{}, host, false))), "times prove nothing here")
	c := New(ledger, Rules{}, host, true)
	require.Equal(t, []string{"changed b of x@1", "unknown c"}, said(s.look(c)))
}

func TestATextThatTheServerWritesIsReadThoughItIsLonger(t *testing.T) {
	row := recorded("conf", "")
	row.Listed = []draft.Listing{{Addon: "lamps", Key: "lamps"}}
	c := New(map[tree.Path]draft.Row{"game.conf": row}, Rules{}, host, false)
	require.False(t, c.Folder("game.conf", tree.State{Being: tree.Content, Size: 9}, 30_000))
	require.Equal(t, []tree.Path{"game.conf"}, c.Doubtful())
	same, _ := c.Read("game.conf", tree.Sum([]byte("conf and ")), 9)
	require.False(t, same)
	c.Held("game.conf")
	require.Equal(t, Result{Items: []Item{}, Counts: Counts{Files: 1, Bytes: 9, Edited: 1}}, c.Result())
}

// Whatever a server holds, each of its files is counted once, and each recorded one is told of once.
func TestEveryFileCountsOnce(t *testing.T) {
	names := []string{"a", "b", "c"}
	rapid.Check(t, func(t *rapid.T) {
		path := func(what string) tree.Path {
			return tree.Path(strings.Join(rapid.SliceOfN(rapid.SampledFrom(names), 1, 4).Draw(t, what), "/"))
		}
		free := func(p tree.Path, have func(tree.Path) bool, all []tree.Path) bool { // no file is a folder too
			for _, up := range p.Ancestors() {
				if have(up) {
					return false
				}
			}
			return !slices.ContainsFunc(all, func(o tree.Path) bool { return o.Within(p) })
		}
		ledger := map[tree.Path]draft.Row{}
		for range rapid.IntRange(0, 6).Draw(t, "recorded") {
			p := path("recorded path")
			if free(p, func(q tree.Path) bool { _, ok := ledger[q]; return ok }, slices.Collect(maps.Keys(ledger))) {
				ledger[p] = recorded(rapid.SampledFrom([]string{"x", "yy"}).Draw(t, "text"), rapid.SampledFrom(names).Draw(t, "owner"))
			}
		}
		s := server{}
		for range rapid.IntRange(0, 8).Draw(t, "there") {
			p := path("path")
			var all []tree.Path
			for q := range s {
				all = append(all, tree.Path(q))
			}
			if _, is := s[string(p)]; !is && free(p, func(q tree.Path) bool { _, ok := s[string(q)]; return ok }, all) {
				s[string(p)] = struct {
					text string
					at   int64
				}{rapid.SampledFrom([]string{"x", "yy", "z"}).Draw(t, "text"), rapid.SampledFrom([]int64{10_000, 30_000}).Draw(t, "time")}
			}
		}
		rules := Rules{Own: []string{"a/b/**"}, OwnDirs: []tree.Path{"b/c"}, Ignore: []string{"c/a"}}
		thorough := rapid.Bool().Draw(t, "thorough")
		r := s.look(New(ledger, rules, host, thorough))
		n := r.Counts
		wrong := 0 // recorded files that are there and differ, of which the survey may trust the times of some
		for p, row := range ledger {
			if it, is := s[string(p)]; is && file(it.text).Digest != row.State.Digest && (thorough || !row.Reported.Trusts(int64(len(it.text)), it.at, host)) {
				wrong++
			}
		}
		changed, missing := 0, 0
		for _, i := range r.Items {
			switch {
			case i.Kind == Changed && i.Was.Being == tree.Content && i.Is.Being == tree.Content:
				changed++
			case i.Kind == Missing && i.Was.Being == tree.Content:
				missing++
			case i.Kind == Missing:
				missing += i.Files
			case i.Kind == Changed && i.Was.Being == tree.Folder:
				missing += i.Files
			case i.Kind == Changed && i.Was.Being == tree.Content:
				missing++ // a folder stands where the file was
			}
		}
		require.Equal(t, wrong, changed)
		inFolders := 0 // files in a folder that stands where a recorded file was: nobody looks into it
		for q := range s {
			for _, up := range tree.Path(q).Ancestors() {
				if row, ok := ledger[up]; ok && row.State.Being == tree.Content {
					inFolders++
				}
			}
		}
		require.Equal(t, len(s)-inFolders, n.Files)
		{
			strangers := 0 // a recorded folder may be a file now
			for _, i := range r.Items {
				if i.Kind == Changed && i.Was.Being == tree.Folder {
					strangers++
				}
			}
			require.Equal(t, n.Files, n.Same+changed+n.Unknown+n.Own+n.Ignored+strangers)
		}
		require.Equal(t, len(ledger), n.Same+changed+missing)
	})
}
