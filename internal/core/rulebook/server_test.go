package rulebook

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/version"
)

// whole is a rulebook that says everything that the language can.
const whole = `format: 1
name: hill
title: Kite Hill
case: blind
game: {versions: ["3.1"], loaders: [reel]}
variables:
  meadow: {ask: "which meadow", default: south}
  flock: {ask: "which flock", default: reds, per: add-on}
places:
  kites: {path: "{meadow}/kites"}
  log-books: {path: books, data: true}
kinds:
  kite:
    recognise: {marker: kite.toml}
    several: true
    id: {read: {file: kite.toml, at: /id}}
    version: {read: [{file: kite.toml, at: /version}, {file: about.txt, match: 'v(\S+)'}]}
    needs: {file: kite.toml, at: /needs, item: /id, range: /version}
    side: {file: "*.conf", at: /side, format: ini}
    put:
      - {take: "tails/*", place: kites, as: "tails/{file}", also: true, optional: tails}
      - {take: "**", place: kites, as: "{name}/{path}", settings: true}
  kit:
    recognise: {single: "*.run"}
    installer: run it at home
load-lists:
  aloft: {file: "{meadow}/hill.conf", form: joined, match: 'kites=(.*)', separator: ",", entry: "{name}", kinds: [kite]}
  order: {file: order.json, form: json, at: /kites, entry: "{name}@{version}"}
  lines: {file: order.txt, form: line, entry: "fly {name}", disabled: "# {entry}"}
log: {file: hill.log, ready: '^up$', loaded: '^(?P<name>\S+) flies', failed: '^(?P<name>\S+) fell', missing: 'wants (?P<needs>\S+)'}
console: {send: kites, line: '^- (?P<name>\S+)'}
first-run: ["books/**"]
agreements:
  - {value: {file: hill.conf, match: 'max=(\d+)'}, with: {file: limits.yaml, at: /kites}, bound: at-most, because: lines tangle}
by-hand:
  - {what: open the gate, text: "7000/udp", kinds: kite}
`

func TestEverythingThatTheLanguageCanSay(t *testing.T) {
	b, err := Parse([]byte(whole))
	require.NoError(t, err)
	require.True(t, b.CaseBlind)
	require.Equal(t, version.Known{Games: []string{"3.1"}, Loaders: []string{"reel"}}, b.Known)
	require.Equal(t, Variable{Name: "flock", Ask: "which flock", Default: "reds", PerAddon: true}, b.Variables[1])
	require.True(t, b.Places[1].Data)
	k := b.Kinds[0]
	require.True(t, k.Several)
	require.Equal(t, []string{"1.2"}, k.VerIn[1].Found([]byte("kites\nv1.2 of today\n")))
	k.VerIn[1].match = nil
	require.Equal(t, []Reading{{File: "kite.toml", At: "/needs", Format: manifest.TOML, Item: "/id", Range: "/version", Line: 18}}, k.Facts[Needs])
	require.Equal(t, manifest.INI, k.Facts[Side][0].Format)
	require.Equal(t, Rule{Take: []string{"tails/*"}, Place: "kites", As: "tails/{file}", Also: true, Optional: "tails", Line: 21}, k.Rules[0])
	require.True(t, k.Rules[1].Settings)
	require.Equal(t, "run it at home", b.Kinds[1].Installer)
	require.Equal(t, LoadList{Name: "aloft", File: "{meadow}/hill.conf", Form: "joined", Entry: "{name}", Kinds: []string{"kite"}, Match: "kites=(.*)", Separator: ",", Line: 27}, b.Lists[0])
	require.Equal(t, "# {entry}", b.Lists[2].Disabled)
	require.Equal(t, []string{`wants (?P<needs>\S+)`}, b.Log.Missing)
	require.Equal(t, Console{Send: "kites", Line: []string{`^- (?P<name>\S+)`}}, b.Console)
	require.Equal(t, []string{"books/**"}, b.FirstRun)
	require.Equal(t, []Agreement{{Left: Setting{File: "hill.conf", Match: `max=(\d+)`}, Right: Setting{File: "limits.yaml", At: "/kites", Format: manifest.YAML}, Bound: "at-most", Because: "lines tangle", Line: 34}}, b.Agree)
	require.Equal(t, []ByHand{{What: "open the gate", Text: "7000/udp", Kinds: []string{"kite"}}}, b.ByHand)
	require.Equal(t, "a folder with kite.toml; each one is an add-on", k.Recognised())
	require.Equal(t, "one file *.run; an installer that is run elsewhere", b.Kinds[1].Recognised())
}

func TestWhatIsWrongWithTheServersPartIsSaidWithItsPlace(t *testing.T) {
	for name, c := range map[string]struct{ old, new, want string }{
		"a form":                {"form: line", "form: lines", `line 29, column 34: form is "lines"; it is one of line, json, yaml, joined`},
		"a list without at":     {"form: json, at: /kites,", "form: json,", `line 28, column 3: a load list of form json needs at: where in the file the list is`},
		"joined by what":        {`, separator: ","`, ``, `line 27, column 3: a load list of form joined needs match (which value) and separator`},
		"at with lines":         {"form: line,", "form: line, at: /x,", `at goes with form json or yaml, not with line`},
		"match with lines":      {"form: line,", "form: line, match: '(x)',", `match, separator and if-missing go with form joined, not with line`},
		"a list begun in lines": {"form: line,", "form: line, if-missing: {line: x},", `match, separator and if-missing go with form joined, not with line`},
		"a line with no list":   {`separator: ","`, `separator: ",", if-missing: {line: nothing}`, `the line of if-missing is to hold an empty list, as match finds it: "nothing" does not`},
		"files of what":         {`"fly {name}"`, `"fly {name}", files: "*.kite"`, `files goes with an entry that holds {file} or {folder}`},
		"begun in lines":        {"form: line,", "form: line, if-missing: begin,", `if-missing: begin goes with form json or yaml`},
		"begun of the whole":    {"form: json, at: /kites,", `form: json, at: "", if-missing: begin,`, `if-missing: begin needs a list below a key`},
		"a word that is told":   {"several: true", "several: true\n    tells: {name: {file: kite.toml, at: /x}}", `{name} means something else already`},
		"an entry's word":       {`"fly {name}"`, `"fly {name} {nam}"`, `entry holds {nam}; did you mean "name"?`},
		"an entry of both":      {`"fly {name}"`, `"fly {name} {file}"`, `entry holds at most one of {name}, {id}, {folder} and {file}`},
		"others unlike":         {`"fly {name}", disabled`, `"fly {name}", others: "soar", disabled`, `"soar" does not hold the placeholders of entry, in their order`},
		"quotes in JSON":        {`{name}@{version}"}`, `{name}@{version}", quote: "'"}`, `disabled, quote and others go with form line, not with json`},
		"an order":              {`"fly {name}", disabled`, `"fly {name}", order: first, disabled`, `order is "first"; it is one of end, name, needs`},
		"an unknown kind":       {"kinds: [kite]", "kinds: [kit e]", `there is no kind "kit e"; did you mean "kite"?`},
		"an unknown variable":   {`"{meadow}/hill.conf"`, `"{meadw}/hill.conf"`, `file holds {meadw}, but there is no variable "meadw"`},
		"a group":               {`'^(?P<name>\S+) flies'`, `'^(\S+) flies'`, `loaded: it has no group "name"; write (?P<name>...) around what it finds`},
		"a group twice":         {`'^(?P<name>\S+) flies'`, `'^(?P<name>\S+) flies|(?P<name>\S+) soars'`, `loaded: the group "name" stands twice, and only the first would count`},
		"a key twice":           {"form: line,", "form: line, form: line,", `"form" stands here a second time`},
		"an expression":         {`'^up$'`, `'^up($'`, `ready: missing closing )`},
		"a bound":               {"bound: at-most", "bound: at-moost", `bound is "at-moost"; it is one of equal, at-most, at-least`},
		"both at and match":     {"at: /kites}, bound", "at: /kites, match: '(x)'}, bound", `a value needs exactly one of at and match`},
		"no format":             {"file: limits.yaml, at", "file: limits, at", `the suffix of "limits" does not tell how it is written; use match`},
		"a reading of both":     {"at: /id}}", "at: /id, match: '(x)'}}", `a reading needs exactly one of at (a JSON Pointer into a manifest) and match`},
		"a reading's format":    {"format: ini", "format: inni", `there is no format "inni"; did you mean "ini"?`},
		"an unclear suffix":     {", format: ini", "", `the suffix of "*.conf" does not tell how it is written; add format: one of toml, yaml`},
		"a pointer":             {"at: /id}}", "at: id}}", `at: "id" is no JSON Pointer: it begins with a slash`},
		"an installer puts":     {"installer: run it at home", "installer: run it\n    put: [{take: x, place: kites}]", `kind kit is an installer, which is run elsewhere; it cannot put files too`},
		"nothing to put":        {"installer: run it at home", "about: nothing", `kind kit needs the key "put"`},
		"yes or no":             {"several: true", "several: yess", `several is "yess"; it is true or false`},
		"an optional name":      {"optional: tails", "optional: the tails", `"the tails" cannot name an optional part`},
		"per add-on":            {"default: reds, ", "", `variable flock is asked per add-on, so it needs a default`},
		"per what":              {"per: add-on", "per: addon", `per is "addon"; it is one of server, add-on`},
		"repack alone":          {`{single: "*.run"}`, `{single: "*.run", repack: true}`, `repack goes with holds`},
		"left and optional":     {`{take: "**", place: kites, as: "{name}/{path}", settings: true}`, `{leave: "**", settings: true}`, `a rule that leaves files out has nothing optional, also, settings or into`},
	} {
		text := strings.Replace(whole, c.old, c.new, 1)
		require.NotEqual(t, whole, text, name)
		_, err := Parse([]byte(text))
		require.ErrorContains(t, err, c.want, name)
	}
}

func TestALogAndAConsoleInSeveralForms(t *testing.T) {
	const rest = "format: 1\nname: kites\ntitle: Kites\nplaces: {kites: {path: kites}}\nkinds: {kite: {recognise: {single: \"*.kite\"}, takes-effect: reload, reload: reload all, put: [{take: \"*.kite\", place: kites, as: \"{file}\"}]}}\n"
	b, err := Parse([]byte(rest + "log: {file: hill.log, ready: [^up$, ^aloft$], loaded: ['^(?P<name>\\w+) flies'], ignore: '^\\d+ '}\nconsole: {send: kites, line: ['up: (?P<list>.*)', '^- (?P<name>\\w+)'], separator: ', ', item: '(?P<name>\\w+)'}\n"))
	require.NoError(t, err)
	require.Equal(t, []string{"^up$", "^aloft$"}, b.Log.Ready)
	require.Equal(t, ", ", b.Console.Separator)
	require.Equal(t, "reload all", b.Kinds[0].Reload, "one line for all of a kind")
	for text, want := range map[string]string{
		"console: {send: kites, line: 'up: (?P<list>.*)'}\n":                             "separator goes with a line",
		"console: {send: kites, line: '(?P<name>.*)', separator: ','}\n":                 "separator goes with a line",
		"console: {send: kites, line: '(?P<name>.*)', item: '(?P<name>.*)'}\n":           "item goes with a line",
		"console: {send: kites, line: 'up: .*'}\n":                                       `it has no group "name"`,
		"console: {send: kites, line: 'up: (?P<list>.*)', separator: ',', item: '.*'}\n": `it has no group "name"`,
		"log: {file: hill.log, loaded: ['(?P<name>.*)', 'x']}\n":                         `it has no group "name"`,
		"log: {file: hill.log, ready: ['(']}\n":                                          "missing closing",
	} {
		_, err := Parse([]byte(rest + text))
		require.ErrorContains(t, err, want, text)
	}
}

func TestFaultsOfFacts(t *testing.T) {
	for facts, want := range map[string]string{
		`{game: {file: a.json}}`:                                "exactly one of at, match and is",
		`{game: {file: a.json, at: /v, match: '(v)'}}`:          "exactly one of at, match and is",
		`{game: {file: a.bin, at: /v}}`:                         `the suffix of "a.bin" does not tell`,
		`{game: {file: a.json, named: b, match: '(v)'}}`:        "exactly one of file, named, log and console",
		`{game: {match: '(v)'}}`:                                "exactly one of file, named, log and console",
		`{game: {console: v, at: /v}}`:                          "at is a place in a file",
		`{game: {console: v, is: x}}`:                           "is goes with named",
		`{game: {named: "*.x", is: x, match: '(v)'}}`:           "by is or by match",
		`{game: {log: true, match: '(v)'}}`:                     "there is no log",
		`{game: {file: a.txt, match: 'v'}}`:                     "has no group",
		`{game: []}`:                                            "says nowhere where it is read",
		`{world: {file: a.json, at: /v}}`:                       "is a variable of this rulebook already",
		`{game: {file: "{nope}/a.json", at: /v}}`:               `there is no variable "nope"`,
		`{game: [{file: a.json, at: /v}, {named: "[", is: x}]}`: "is not a glob",
	} {
		_, err := Parse([]byte("format: 1\nname: a\ntitle: A\nplaces: {all: {path: .}}\nvariables: {world: {ask: which}}\nkinds: {k: {recognise: {single: x}, put: [{take: \"*\", place: all}]}}\nfacts: " + facts + "\n"))
		require.ErrorContains(t, err, want, facts)
	}
}
