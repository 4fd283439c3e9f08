package facts

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

const reef = `format: 1
name: reef
title: Reef
places: {all: {path: .}}
variables: {shoal: {ask: which shoal, default: silver}}
log: {file: "logs/{shoal}.log"}
kinds:
  coral:
    recognise: {single: "*.coral"}
    put: [{take: "*", place: all}]
facts:
  game:
    - {file: "{shoal}/about.json", at: /built/version}
    - {log: true, match: '^reef v(\S+) wakes'}
  loader:
    - {named: "lib/keel-*.lib", is: keel}
    - {named: "reef.bin", is: plain}
  loader-version: {named: "lib/**/keel-*.lib", match: '^keel-(\d+(\.\d+)*)'}
  port: {console: "where", match: 'port (\d+)'}
`

func book(t *testing.T) *rulebook.Book {
	b, err := rulebook.Parse([]byte(reef))
	require.NoError(t, err)
	return b
}

var vars = map[string]string{"shoal": "silver"}

func TestWhatHasToBeSeenForFacts(t *testing.T) {
	w := Wanted(book(t), vars)
	require.Equal(t, []tree.Path{"silver/about.json"}, w.Files)
	require.Equal(t, []tree.Path{"lib", tree.Root}, w.Folders)
	require.True(t, w.Log)
	require.Equal(t, []string{"where"}, w.Lines)
	require.Equal(t, deepest, Deep(book(t)))
}

func TestFactsAreReadWhereTheRulebookSays(t *testing.T) {
	log := func(s string) *string { return &s }
	about := map[tree.Path][]byte{"silver/about.json": []byte(`{"built":{"version":"4.2"}}`)}
	for _, c := range []struct {
		name   string
		seen   Seen
		want   []Found
		looked string // those of which it is known
	}{
		{"nothing was looked at", Seen{}, nil, ""},
		{"a text", Seen{Texts: about}, []Found{{"game", "4.2", "silver/about.json"}}, "game"},
		{"a text that is not there, and the log not looked at", Seen{Texts: map[tree.Path][]byte{}}, nil, ""},
		{"the log's last word", Seen{Texts: map[tree.Path][]byte{}, Log: log("reef v4.1 wakes\nreef v4.3 wakes up\nbye\n")}, []Found{{"game", "4.3", "the log"}}, "game"},
		{"a log that says nothing any more leaves what it said", Seen{Texts: map[tree.Path][]byte{}, Log: log("bye\n")}, nil, ""},
		{"the text comes first", Seen{Texts: about, Log: log("reef v9 wakes\n")}, []Found{{"game", "4.2", "silver/about.json"}}, "game"},
		{"the log alone does not tell what a text may", Seen{Log: log("reef v9 wakes\n")}, nil, ""},
		{"a text that is none", Seen{Texts: map[tree.Path][]byte{"silver/about.json": []byte(`{"built":`)}, Log: log("")}, nil, ""},
		{"names", Seen{Names: []tree.Path{"lib/keel-2.1.lib", "reef.bin"}}, []Found{{"loader", "keel", "the name of lib/keel-2.1.lib"}, {"loader-version", "2.1", "the name of lib/keel-2.1.lib"}}, "loader loader-version"},
		{"another name", Seen{Names: []tree.Path{"reef.bin"}}, []Found{{"loader", "plain", "the name of reef.bin"}}, "loader loader-version"},
		{"no such name", Seen{Names: []tree.Path{}}, nil, "loader loader-version"},
		{"an answer", Seen{Answers: map[string]string{"where": "open on port 7100, and 3 inside"}}, []Found{{"port", "7100", `the console's answer to "where"`}}, "port"},
		{"too long to be one", Seen{Names: []tree.Path{tree.Path("lib/keel-" + strings.Repeat("1", 201) + ".lib")}}, []Found{{"loader", "keel", "the name of lib/keel-" + strings.Repeat("1", 201) + ".lib"}}, "loader loader-version"},
	} {
		got, looked := Read(book(t), vars, c.seen)
		require.Equal(t, c.want, got, c.name)
		var names []string
		for _, f := range book(t).Facts {
			if looked[f.Name] {
				names = append(names, f.Name)
			}
		}
		require.Equal(t, c.looked, strings.Join(names, " "), c.name)
	}
}
