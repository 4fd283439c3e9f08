package settings_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/settings"
)

// FuzzApply changes any text in every form: it refuses, or what it changed is there,
// doing it again changes nothing, and the undo gives the text back to the byte.
func FuzzApply(f *testing.F) {
	lists := []settings.List{
		{Form: settings.LineForm, Entry: "call {key}", Disabled: "# {entry}", Quote: `"`},
		{Form: settings.JSONForm, Entry: "{key}", At: "/stalls"},
		{Form: settings.YAMLForm, Entry: "{key}", At: "/stalls"},
		{Form: settings.JoinedForm, Entry: "{key}", Match: `(?m)^stalls=(.*)$`, Separator: ","},
		{Form: settings.ValueForm, Entry: "{key}", Match: `(?m)^fair=(.*)$`},
	}
	verbs := []settings.Verb{settings.Add, settings.Drop, settings.On, settings.Off, settings.Set}
	f.Add([]byte("call a\r\n# call b\ncall \"c d\"  # why\n"), "b", 0, 2)
	f.Add([]byte("{ // all\n  \"stalls\": [\"a\", /* b */ \"c\",],\n}\n"), "d", 1, 0)
	f.Add([]byte("stalls:\n  - a # first\n  - 'b'\nother: {x: 1}\n"), "a", 2, 1)
	f.Add([]byte("stalls: [a, b]\n"), "c", 2, 0)
	f.Add([]byte("x=1\nstalls=a, b\nfair=old\n"), "b", 3, 1)
	f.Add([]byte("x=1\nstalls=a, b\nfair=old\n"), "new", 4, 4)
	f.Fuzz(func(t *testing.T, text []byte, key string, list, verb int) {
		op := settings.Op{List: lists[uint(list)%uint(len(lists))], Do: verbs[uint(verb)%uint(len(verbs))], Key: key}
		before := string(text)
		after, undo, err := settings.Apply(text, op)
		require.Equal(t, before, string(text), "the text is not written to")
		if err != nil {
			return
		}
		again, _, err := settings.Apply(after, op)
		require.NoError(t, err)
		require.Equal(t, string(after), string(again), "it is done already")
		if undo.Do == "" {
			require.Equal(t, before, string(after))
			return
		}
		back, _, err := settings.Apply(after, undo)
		require.NoError(t, err)
		require.Equal(t, before, string(back))
	})
}
