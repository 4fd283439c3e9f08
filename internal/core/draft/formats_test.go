package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// ruled has the rulebook say what format a text has, and that one of its values is a secret.
func ruled(f text.Format, secret string) func(*Request) {
	return func(r *Request) {
		r.Format = func(tree.Path) text.Format { return f }
		r.Secret = func(_ tree.Path, at string) bool { return at == secret }
	}
}

// diffOf is how the change of a text is shown.
func diffOf(d *Draft, p tree.Path) string {
	for _, s := range d.Steps {
		if s.Path == p && s.Verb == EditText {
			return s.Diff
		}
	}
	return ""
}

// Words in lines look like prose: that they are commands, the rulebook alone knows.
func TestASecretOfATextWhoseFormatTheRulebookSaysIsNotShown(t *testing.T) {
	f := newFair("gate hush\nrows 3\n")
	require.Equal(t, text.Lines, text.Guess("fair.order", []byte(f.text)))
	change := tweak.Tweak{Do: tweak.Set, Format: text.Commands, At: "/rows", Value: "4"}
	d := f.draft(func(r *Request) { tweaks(change)(f, r); ruled(text.Commands, "/gate")(r) })
	require.Contains(t, diffOf(d, "fair.order"), "+rows 4")
	require.NotContains(t, diffOf(d, "fair.order"), "hush")
	require.True(t, changeAt(d, "fair.order").Edits[0].Secret)
}

func TestASecretOfATextThatIsMadeIsNotShown(t *testing.T) {
	f := newFair("")
	d := f.draft(func(r *Request) { tweaks(begun("gate hush\nrows 3\n"))(f, r); ruled(text.Commands, "/gate")(r) })
	require.Contains(t, diffOf(d, "fair.order"), "+rows 3")
	require.NotContains(t, diffOf(d, "fair.order"), "hush")
}

// What is not written in UTF-8 is shown as it reads, with its secrets masked.
func TestASecretOfATextInAnotherEncodingIsNotShown(t *testing.T) {
	raw, err := text.UTF16Little.Encode([]byte(text.Mark + "password = hush\nrows = 3\n"))
	require.NoError(t, err)
	f := newFair(string(raw))
	d := f.draft(func(r *Request) { tweaks(setting("/rows", "4"))(f, r) })
	require.Contains(t, diffOf(d, "fair.order"), "+rows = 4")
	require.NotContains(t, diffOf(d, "fair.order"), "hush")
	require.NotContains(t, diffOf(d, "fair.order"), "h\x00u\x00s\x00h")
}

// Two values that stand side by side, each changed by one of the two, are no conflict by meaning.
func TestAnUpdateIsMergedInTheFormatThatTheRulebookSays(t *testing.T) {
	was, mine, theirs := "rows 3\nlamps 2\n", "rows 4\nlamps 2\n", "rows 3\nlamps 9\n"
	f := newFair("")
	d := f.draft(func(r *Request) { board(was, mine, theirs)(f, r); ruled(text.Commands, "")(r) })
	require.NotContains(t, strings.Join(codes(d), " "), "settings-conflict")
	after, _, err := ApplyEdits([]byte(mine), changeAt(d, "fair.order").Edits)
	require.NoError(t, err)
	require.Equal(t, "rows 4\nlamps 9\n", string(after))
}

// A tweak that names no format is done in the one that its text has, whatever its encoding is.
func TestATweakIsDoneInTheFormatOfItsText(t *testing.T) {
	raw, err := text.UTF16Little.Encode([]byte(text.Mark + "lamps = 2\nrows = 3\n"))
	require.NoError(t, err)
	f := newFair(string(raw))
	set := tweak.Tweak{Do: tweak.Set, At: "/rows", Value: "4"}
	d := f.draft(func(r *Request) { tweaks(set)(f, r) })
	require.Contains(t, diffOf(d, "fair.order"), "+rows = 4")

	f = newFair("rows 3\nlamps 2\n")
	d = f.draft(func(r *Request) { tweaks(set)(f, r); ruled(text.Commands, "")(r) })
	require.Contains(t, diffOf(d, "fair.order"), "+rows 4")
}
