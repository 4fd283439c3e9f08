package agree_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// seen is a server with some texts, folders and add-ons.
func seen(texts map[tree.Path]string) agree.Seen {
	return agree.Seen{
		Text:    func(p tree.Path) ([]byte, bool) { t, ok := texts[p]; return []byte(t), ok },
		Folders: func(tree.Path) ([]string, bool) { return []string{"reedbank", "saltpan"}, true },
		Addons:  []string{"tide-base", "tide-lamps"},
	}
}

func TestEachBoundIsLookedAtOnBothSides(t *testing.T) {
	const head = "format: 1\nname: x\ntitle: X\nplaces: {root: {path: .}}\nkinds: {k: {recognise: {single: \"*.x\"}, put: [{take: \"*\", place: root}]}}\nagreements:\n  - "
	for name, c := range map[string]struct {
		rule, holds, breaks, says, set string
	}{
		"equal":    {"{value: {file: a.yaml, at: /port}, with: {file: b.toml, at: /port}}", "port: 7", "port: 8", "port is 8 (a.yaml, line 1), and port is 7 (b.toml, line 2); the two must be equal.", "7"},
		"numbers":  {"{value: {file: a.yaml, at: /port}, with: {file: b.toml, at: /port}}", "port: 7.0", "port: 70", "must be equal", "7"},
		"at-most":  {"{value: {file: a.yaml, at: /port}, with: {file: b.toml, at: /port}, bound: at-most, because: it is the last}", "port: 6", "port: 8", "it must be at most that: it is the last.", "7"},
		"at-least": {"{value: {file: a.yaml, match: 'port: (\\d+)'}, with: {file: b.toml, at: /port}, bound: at-least}", "port: 9", "port: 6", "at least", "7"},
		"one-of":   {"{value: {file: a.yaml, at: /tide}, bound: one-of, values: [mild, wild]}", "tide: mild", "tide: mildd", "tide is mildd (a.yaml, line 1); it must be one of mild, wild.", "mild"},
		"in-list":  {"{value: {file: a.yaml, at: /lamp}, with: {file: b.toml, at: /lamps}, bound: in-list}", "lamp: red", "lamp: rad", "which lamps does not hold (b.toml, line 3)", "red"},
		"folder":   {"{value: {file: a.yaml, at: /home}, bound: folder, in: ports}", "home: saltpan", "home: saltpam", "home names saltpam (a.yaml, line 1), which is not a folder in ports; there is saltpan.", "saltpan"},
		"add-on":   {"{value: {file: a.yaml, at: /load, separator: \",\"}, bound: add-on}", "load: tide-base,tide-lamps", "load: tide-base, tide-lmaps", "load names tide-lmaps", ""},
	} {
		t.Run(name, func(t *testing.T) {
			b, err := rulebook.Parse([]byte(head + c.rule + "\n"))
			require.NoError(t, err)
			other := "# the other\nport = 7\nlamps = [\"red\", \"green\"]\n"
			require.Empty(t, agree.Check(b, nil, seen(map[tree.Path]string{"a.yaml": c.holds + "\n", "b.toml": other})))
			require.Empty(t, agree.Check(b, nil, seen(map[tree.Path]string{"b.toml": other})), "nothing can be said of a text that is not there")
			broken := c.breaks + "\n"
			found := agree.Check(b, nil, seen(map[tree.Path]string{"a.yaml": broken, "b.toml": other}))
			require.Len(t, found, 1)
			require.Contains(t, found[0].What, c.says)
			if c.set == "" {
				require.Nil(t, found[0].Tweak)
				return
			}
			require.Equal(t, c.set, found[0].Tweak.Value)
			after, _, err := tweak.Apply([]byte(broken), *found[0].Tweak)
			require.NoError(t, err)
			require.Empty(t, agree.Check(b, nil, seen(map[tree.Path]string{"a.yaml": string(after), "b.toml": other})), "its mend puts it right")
		})
	}
}

func TestAnAgreementThatSaysTooMuchIsRefused(t *testing.T) {
	for _, rule := range []string{"{value: {file: a.yaml, at: /x}}", "{value: {file: a.yaml, at: /x}, bound: one-of}", "{value: {file: a.yaml, at: /x}, bound: folder, values: [a]}", "{value: {file: a.yaml, at: /x}, bound: add-on, in: x}"} {
		_, err := rulebook.Parse([]byte("format: 1\nname: x\ntitle: X\nplaces: {root: {path: .}}\nkinds: {k: {recognise: {single: \"*.x\"}, put: [{take: \"*\", place: root}]}}\nagreements:\n  - " + rule + "\n"))
		require.ErrorContains(t, err, "an agreement with bound", rule)
	}
}
