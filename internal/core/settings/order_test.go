package settings_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/settings"
)

// forms are texts around a list of each form, with what stands in front of and
// behind it.
var forms = map[string]struct {
	list          settings.List
	before, after string
	text          func(names []string) string
}{
	"line": {settings.List{Form: "line", Entry: "call {key}", Disabled: "# {entry}"}, "# a\n\nset x\n", "set y\n# z\n", func(names []string) (s string) {
		for _, n := range names {
			s += "call " + n + "\n"
		}
		return s
	}},
	"json": {settings.List{Form: "json", Entry: "{key}", At: "/load"}, "{ // a\n \"x\": 1, \"load\": [", "], \"y\": [\"b\"]}\n", func(names []string) string {
		return `"` + strings.Join(names, "\",\n  \"") + `"`
	}},
	"yaml": {settings.List{Form: "yaml", Entry: "{key}", At: "/load"}, "x: 1 # a\nload: [", "] # b\ny: [b]\n", func(names []string) string { return strings.Join(names, ", ") }},
	"yaml in lines": {settings.List{Form: "yaml", Entry: "{key}", At: "/load"}, "x: 1 # a\nload:\n", "y: [b]\n", func(names []string) (s string) {
		for _, n := range names {
			s += "  - " + n + "\n"
		}
		return s
	}},
	"joined": {settings.List{Form: "joined", Entry: "@{key}", Match: `(?m)^load=(.*)$`, Separator: ";"}, "x=@a\nload=", "\ny=@b;@c\n", func(names []string) string {
		return "@" + strings.Join(names, ";@")
	}},
}

// TestOneIsTakenBackWithoutTheOthers does changes one after the other and takes
// one of them back: what is named then is as if that one had never been done, and
// what is not of the list is as it was.
func TestOneIsTakenBackWithoutTheOthers(t *testing.T) {
	for form, f := range forms {
		t.Run(form, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				var start []string
				for i := range rapid.IntRange(1, 5).Draw(t, "names") {
					start = append(start, fmt.Sprintf("n%d", i))
				}
				text := []byte(f.before + f.text(start) + f.after)
				var undos []settings.Op
				want := slices.Clone(start)
				first := rapid.IntRange(0, 8).Draw(t, "the one that goes back")
				for i := range rapid.IntRange(1, 6).Draw(t, "changes") {
					// Each has a name of its own: what two do to one name cannot be told apart.
					key := fmt.Sprintf("n%d", (first+i*2)%12)
					op := settings.Op{List: f.list, Do: settings.Add, Key: key}
					if slices.Contains(start, key) {
						op.Do = settings.Drop
					}
					var undo settings.Op
					var err error
					text, undo, err = settings.Apply(text, op)
					require.NoError(t, err)
					undos = append(undos, undo)
					if i == 0 {
						continue
					}
					if op.Do == settings.Drop {
						want = slices.DeleteFunc(want, func(n string) bool { return n == key })
					} else {
						want = append(want, key)
					}
				}
				text, _, err := settings.Apply(text, undos[0])
				require.NoError(t, err)
				items, err := f.list.Read(text)
				require.NoError(t, err)
				on, _ := names(items)
				require.ElementsMatch(t, want, on)
				require.Contains(t, string(text), strings.TrimRight(f.before, "[\n"))
				require.Contains(t, string(text), strings.TrimLeft(f.after, "]"))
			})
		})
	}
}

// TestDisablingComesBackAmongOthers takes a disabled entry on again after other
// changes around it.
func TestDisablingComesBackAmongOthers(t *testing.T) {
	l := forms["line"].list
	text := []byte("call a\n\tcall b\ncall c\n")
	text, undo, err := settings.Apply(text, settings.Op{List: l, Do: settings.Off, Key: "b"})
	require.NoError(t, err)
	require.Equal(t, "call a\n\t# call b\ncall c\n", string(text))
	text = []byte("call a2\n\t# call b\n# new\ncall c\n")
	text, _, err = settings.Apply(text, undo)
	require.NoError(t, err)
	require.Equal(t, "call a2\n\tcall b\n# new\ncall c\n", string(text))
}

// TestWhatWasDroppedComesBackToItsPlace puts an entry back between its old
// neighbours though the text around it is another one.
func TestWhatWasDroppedComesBackToItsPlace(t *testing.T) {
	l := forms["line"].list
	text, undo, err := settings.Apply([]byte("call a\ncall b\ncall c\n"), settings.Op{List: l, Do: settings.Drop, Key: "b"})
	require.NoError(t, err)
	require.Equal(t, "call a\ncall c\n", string(text))
	back := func(now, want string) {
		text, _, err := settings.Apply([]byte(now), undo)
		require.NoError(t, err)
		require.Equal(t, want, string(text))
	}
	back("call a\ncall x\ncall c\n", "call a\ncall b\ncall x\ncall c\n")
	back("call x\ncall c\n", "call x\ncall b\ncall c\n")
	back("call x\n", "call x\ncall b\n")
}

func TestSeveralChangesAreTakenBackInTheRightOrder(t *testing.T) {
	l := forms["json"].list
	const text = "{\"load\": [\"a\"]}"
	after, undo, err := settings.ApplyAll([]byte(text), []settings.Op{{List: l, Do: settings.Add, Key: "b"}, {List: l, Do: settings.Add, Key: "a"}, {List: l, Do: settings.Drop, Key: "a"}, {List: l, Do: settings.Drop, Key: "b"}})
	require.NoError(t, err)
	require.Equal(t, `{"load": []}`, string(after))
	require.Len(t, undo, 3, "what changed nothing has no undo")
	back, _, err := settings.ApplyAll(after, undo)
	require.NoError(t, err)
	require.Equal(t, text, string(back))
}

// TestWhatGoesWithTheNameIsWrittenAnew changes the version behind a name where
// the entry stands, and changes it back.
func TestWhatGoesWithTheNameIsWrittenAnew(t *testing.T) {
	for form, c := range map[string]struct {
		list            settings.List
		text, want, add string
	}{
		"line": {settings.List{Form: "line", Entry: "fly {key} {version}", Disabled: "# {entry}"}, "\tfly  a 1 # red\nfly b 2\n", "\tfly a 1.1 # red\nfly b 2\n", "\tfly  a 1 # red\nfly b 2\nfly c 3\n"},
		"json": {settings.List{Form: "json", Entry: "{key}@{version}"}, `["a@1", "b@2"]`, `["a@1.1", "b@2"]`, `["a@1", "b@2", "c@3"]`},
		"join": {settings.List{Form: "joined", Entry: "{version}:{key}", Match: "=(.*)", Separator: ","}, "=1:a,2:b", "=1.1:a,2:b", "=1:a,2:b,3:c"},
	} {
		got, undo, err := settings.Apply([]byte(c.text), settings.Op{List: c.list, Do: settings.Add, Key: "a", Values: map[string]string{"version": "1.1"}})
		require.NoError(t, err, form)
		require.Equal(t, c.want, string(got), form)
		undo.Hunk = nil // by meaning, not by the bytes
		back, _, err := settings.Apply(got, undo)
		require.NoError(t, err, form)
		require.Equal(t, c.text, string(back), form)
		got, _, err = settings.Apply([]byte(c.text), settings.Op{List: c.list, Do: settings.Add, Key: "c", Values: map[string]string{"version": "3"}})
		require.NoError(t, err, form)
		require.Equal(t, c.add, string(got), form)
		_, _, err = settings.Apply([]byte(c.text), settings.Op{List: c.list, Do: settings.Add, Key: "c"})
		require.ErrorContains(t, err, "has no {version} that can be written", form)
	}
}
