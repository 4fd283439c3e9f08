package propose

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// bakery is a server whose loaves are folders, with a list and a log that name them.
func bakery() Evidence {
	return Evidence{
		Tree: entries("oven", "oven.pem", "oven.toml", "light.sh", "loaves/rye/loaf.def", "loaves/rye/crumb.bin", "loaves/spelt/loaf.def", "loaves/spelt/crumb.bin", "ash/1.grey", "dials.json", "ash/oven.log"),
		Texts: map[tree.Path]string{
			"oven.toml":    "heat = 240\n",
			"light.sh":     "#!/bin/sh\nexec ./oven\n",
			"dials.json":   `{"guests": []}`,
			"ash/oven.log": "04:00:01 [hearth/1] loaf rises: rye (3 eggs)\n04:00:02 [hearth/2] loaf rises: spelt (0 eggs)\n04:00:03 could not bake rye\n04:00:03 could not bake spelt\n",
		},
	}
}

var seedLoaf = Download{Filename: "seed-loaf-main.zip", Entries: entries("seed-loaf-main/loaf.def", "seed-loaf-main/config.ini", "seed-loaf-main/README.md")}

// answered gives every first answer until nothing is asked, and what was asked.
func answered(t *testing.T, e Evidence, a Answers) (asked []string, l Learnt) {
	for range 9 {
		var err error
		l, err = Learn("bakery", "The Bakery", e, a)
		require.NoError(t, err)
		if len(l.Open) == 0 {
			return asked, l
		}
		q := l.Open[0]
		asked = append(asked, q.Key+"="+q.Options[0].Value)
		a, err = l.Answers.With(q.Key, q.Options[0].Value)
		require.NoError(t, err)
	}
	t.Fatal("it never stops asking: ", asked)
	return nil, l
}

func TestADownloadTeachesItsKindOnce(t *testing.T) {
	e := bakery()
	e.Downloads = []Download{seedLoaf}
	first, err := Learn("bakery", "The Bakery", e, nil)
	require.NoError(t, err)
	require.Equal(t, "What is seed-loaf-main.zip?", first.Open[0].Ask)
	require.Equal(t, "seed-loaf-main.zip", first.About)
	require.Contains(t, first.Open[0].Options[0].Why, "2 folders in loaves on the server hold one")
	for _, o := range first.Open[0].Options {
		require.NotContains(t, o.Value, "config.ini", "settings mark no add-on")
	}
	_, err = rulebook.Parse(first.Text)
	require.NoError(t, err, "a rulebook that knows nothing yet is one")

	asked, l := answered(t, e, nil)
	require.Equal(t, []string{"kind=folder loaf.def in loaves", "lists=none", `log=ash/oven.log: ` + ` loaf rises: (?P<name>\S+?)\s`}, asked)
	b, err := rulebook.Parse(l.Text)
	require.NoError(t, err)
	r, err := layout.Lay(b, layout.Archive{Filename: seedLoaf.Filename, Entries: seedLoaf.Entries}, nil)
	require.NoError(t, err)
	require.Equal(t, "seed-loaf", r.Crates[0].Name)
	files := map[tree.Path]bool{}
	for _, f := range r.Crates[0].Files {
		files[f.Path] = f.Settings
	}
	require.Equal(t, map[tree.Path]bool{"seed-loaf/loaf.def": false, "seed-loaf/config.ini": true}, files)

	e.Downloads = append(e.Downloads, Download{Filename: "poppy.zip", Entries: entries("poppy/loaf.def")})
	again, err := Learn("bakery", "The Bakery", e, l.Answers)
	require.NoError(t, err)
	require.Empty(t, again.Open, "the kind is known")
}

func TestAnotherKindKeepsTheNamesOfTheFirst(t *testing.T) {
	_, l := answered(t, bakery(), Answers{Kinds: "folder loaf.def in loaves"})
	e := bakery()
	e.Downloads = []Download{{Filename: "two-jams.zip", Entries: entries("plum.jam", "quince.jam")}}
	more, err := Learn("bakery", "The Bakery", e, l.Answers)
	require.NoError(t, err)
	require.Equal(t, []string{"What is two-jams.zip?"}, []string{more.Open[0].Ask})
	a, err := l.Answers.With(Kind, "loose *.jam in loaves")
	require.NoError(t, err)
	grown, err := Learn("bakery", "The Bakery", e, a)
	require.NoError(t, err)
	for _, text := range []string{string(l.Text), string(grown.Text)} {
		require.Contains(t, text, "\n  loaf:\n")
		require.Contains(t, text, "\n  loaves:\n    path: \"loaves\"\n")
	}
	require.Contains(t, string(grown.Text), "\n  jam:\n    about: loose files")
}

func TestAListIsWrittenAsItWasLearnt(t *testing.T) {
	e := bakery()
	e.Texts["bake.order"] = "bake rye\nbake spelt\n"
	e.Tree = append(e.Tree, entries("bake.order")...)
	_, l := answered(t, e, Answers{Kinds: "folder loaf.def in loaves"})
	require.Contains(t, string(l.Text), "entry: \"bake {folder}\"")
	bare := Evidence{Tree: entries("oven", "bake.order"), Texts: map[tree.Path]string{"bake.order": ""}}
	later, err := Learn("bakery", "The Bakery", bare, l.Answers)
	require.NoError(t, err)
	require.Contains(t, string(later.Text), "entry: \"bake {folder}\"", "though no add-on lies there any more")
	require.Empty(t, later.Open)
}

func TestAnEmptyListMayBeForAddons(t *testing.T) {
	e := bakery()
	l, err := Learn("bakery", "The Bakery", e, Answers{Kinds: "folder loaf.def in loaves; single *.bun in loaves"})
	require.NoError(t, err)
	require.Equal(t, Lists, l.Open[0].Key)
	require.Equal(t, none, l.Open[0].Options[0].Value, "nothing speaks for it but that it is empty")
	require.Equal(t, "dials.json at /guests by {file}", l.Open[0].Options[1].Value)
	a, err := l.Answers.With(Lists, "dials.json at /guests by {name}")
	require.NoError(t, err)
	l, err = Learn("bakery", "The Bakery", e, a)
	require.NoError(t, err)
	require.Contains(t, string(l.Text), "file: \"dials.json\"\n    form: json\n    entry: \"{name}\"\n    kinds: [bun]\n    at: \"/guests\"\n")
	a, err = l.Answers.With(Lists, "bake.order")
	require.NoError(t, err)
	_, err = Learn("bakery", "The Bakery", e, a)
	require.ErrorContains(t, err, "bake.order names no two add-ons")
}

func TestADownloadOfTheServersOwnFolders(t *testing.T) {
	e := bakery()
	e.Downloads = []Download{{Filename: "spring.zip", Entries: entries("spring/ash/2.grey", "spring/loaves/notes/x.dat")}}
	_, l := answered(t, e, nil)
	require.Contains(t, l.Answers[Kinds], "tree ash|loaves in .")
	b, err := rulebook.Parse(l.Text)
	require.NoError(t, err)
	r, err := layout.Lay(b, layout.Archive{Filename: "spring.zip", Entries: e.Downloads[0].Entries}, nil)
	require.NoError(t, err)
	require.Len(t, r.Crates, 1)
	require.Equal(t, tree.Path("ash/2.grey"), r.Crates[0].Files[0].Path)
}

func TestAnswersThatAreNone(t *testing.T) {
	for key, value := range map[string]string{"colour": "red", Kind: "bread", Log: "oven.log", listsMade: "x", listsAsked: "x"} {
		_, err := Answers{}.With(key, value)
		require.Error(t, err, key)
	}
	_, err := Answers{}.With(Log, `oven.log: rises (\S+)`)
	require.ErrorContains(t, err, "has no group")
	a, err := Answers{Kinds: "folder loaf.def in loaves"}.With(Kind, "folder loaf.def in loaves")
	require.NoError(t, err)
	require.Equal(t, "folder loaf.def in loaves", a[Kinds], "said twice is said once")
	require.True(t, Fits(a, seedLoaf))
	require.False(t, Fits(a, Download{Filename: "a.jam"}))
}

// Whatever stands around a name, the expression that is learnt finds that name in that line.
func TestALearntLineFindsItsName(t *testing.T) {
	words := rapid.SampledFrom([]string{"loaf", " rises", ": ", "[", "] ", "04:00:01 ", "-> '", "'", "(3 eggs)", " ok", " 1.2", "=", "µ", ".", "+", "\t"})
	rapid.Check(t, func(t *rapid.T) {
		before := strings.Join(rapid.SliceOfN(words, 0, 5).Draw(t, "before"), "")
		after := strings.Join(rapid.SliceOfN(words, 0, 3).Draw(t, "after"), "")
		name := rapid.SampledFrom([]string{"rye-loaf", "rye loaf"}).Draw(t, "name")
		line := before + name + after
		if within(line, len(before), len(name)) {
			return
		}
		match, ok := around(before, name, after, strings.Contains(name, " "))
		if !ok {
			return
		}
		m := regexp.MustCompile(match).FindStringSubmatch(line)
		require.NotNil(t, m, "%q in %q", match, line)
		require.Equal(t, name, m[1], "%q in %q", match, line)
	})
}

func TestWhatIsLearntIsAlwaysARulebook(t *testing.T) {
	part := rapid.SampledFrom([]string{"mods", "a b", "x.lf", "y.lf", "stall.lf", "it's", "z.toml", "q\"uote", "läden", "k.key", "config.ini", "one.log"})
	rapid.Check(t, func(t *rapid.T) {
		var paths []string
		for range rapid.IntRange(0, 12).Draw(t, "n") {
			p := part.Draw(t, "p")
			for range rapid.IntRange(0, 3).Draw(t, "d") {
				p += "/" + part.Draw(t, "q")
			}
			paths = append(paths, p)
		}
		e := Evidence{Tree: entries(paths...), Downloads: []Download{{Filename: "d-1.zip", Entries: entries(paths...)}}, Texts: map[tree.Path]string{"one.log": "up a b\nup läden\n", "z.toml": "a = 1\n"}}
		a := Answers{}
		for range 6 {
			l, err := Learn("any", "Any", e, a)
			require.NoError(t, err)
			if len(l.Open) == 0 {
				return
			}
			q := l.Open[0]
			value := q.Options[rapid.IntRange(0, len(q.Options)-1).Draw(t, "option")].Value
			if q.Key == Kind && value == none {
				return
			}
			a, err = l.Answers.With(q.Key, value)
			require.NoError(t, err)
		}
	})
}

// An entry that is put out of use by a sign of the game's own, and not by a comment.
func TestASignThatPutsAnEntryOutOfUseIsLearnt(t *testing.T) {
	e := Evidence{Tree: entries("gears/spindle-3.1.gear", "gears/bigwheel_0.4.gear", "gears/ratchet-1.0.2.gear"),
		Texts: map[tree.Path]string{"engaged.txt": "# gears in their order\nspindle-3.1.gear\nbigwheel_0.4.gear\n!ratchet-1.0.2.gear\n"}}
	l, err := Learn("clock", "Clock", e, Answers{Kinds: "single *.gear in gears"})
	require.NoError(t, err)
	require.Contains(t, l.Open[0].Options[0].Why, "3 of the 3")
	a, err := l.Answers.With(Lists, "engaged.txt")
	require.NoError(t, err)
	l, err = Learn("clock", "Clock", e, a)
	require.NoError(t, err)
	require.Contains(t, string(l.Text), "disabled: \"!{entry}\"")
}
