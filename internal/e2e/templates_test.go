package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// A text that each add-on of a kind needs is made from a template of the rulebook, follows what
// the template says later, and goes with its add-on; one by hand is made the same way.
func TestTextsAreMadeFromTemplates(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	book := func(line string) string {
		return `format: 1
name: shed
title: Shed
variables: {row: {ask: which row, default: north}}
places: {tools: {path: tools}}
templates:
  tag:
    file: tags/{name}.json
    about: what hangs on each tool
    text: |
      { "tool": "{name}", "row": "{row}",
        "line": "` + line + `", "of": {} }
  note:
    file: notes/{day}.txt
    text: |
      {day}: {what}
kinds:
  tool:
    recognise: {marker: tool.toml}
    version: {read: {file: tool.toml, at: /version}}
    put: [{take: "**", place: tools, as: "{name}/{path}"}]
    tweaks: [{make: tag}]
`
	}
	s.must("rulebook", "add", textFile(t, dl, "shed.yaml", book("old")))
	s.must("server", "add", "yard", "--rulebook", "shed", "--folder", root)
	s.must("server", "test", "yard")
	tool := func(version string) {
		testbed.Write(t, filepath.Join(dl, version, "rake", "tool.toml"), "version = \""+version+"\"\n")
		s.must("stage", filepath.Join(dl, version, "rake"), "--for", "yard")
	}
	text := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(root, name))
		require.NoError(t, err)
		return string(raw)
	}
	tool("1")
	out := s.must("deploy", "yard", "rake@1", "--yes")
	require.Contains(t, out, `+{ "tool": "rake", "row": "north",`)
	require.Equal(t, "{ \"tool\": \"rake\", \"row\": \"north\",\n  \"line\": \"old\", \"of\": {} }\n", text("tags/rake.json"))
	require.Contains(t, s.must("text", "yard"), "tags/rake.json")

	// The template changes, and a person has changed another value of the text.
	testbed.Write(t, filepath.Join(root, "tags/rake.json"), "{ \"tool\": \"rake\", \"row\": \"south\",\n  \"line\": \"old\", \"of\": {} }\n")
	s.must("rulebook", "add", textFile(t, dl, "shed2.yaml", book("new")))
	tool("2")
	s.must("deploy", "yard", "rake@2", "--yes")
	require.Equal(t, "{ \"tool\": \"rake\", \"row\": \"south\",\n  \"line\": \"new\", \"of\": {} }\n", text("tags/rake.json"))
	s.must("rollback", "yard", "--deployment", "2", "--yes")
	require.Contains(t, text("tags/rake.json"), `"line": "old"`)
	require.Contains(t, text("tags/rake.json"), `"row": "south"`, "what the person changed is no matter of the deployment")
	out = s.must("remove", "yard", "rake", "--yes")
	require.Contains(t, out, "tags/rake.json was made from a template, and has been changed since: it stays")
	require.FileExists(t, filepath.Join(root, "tags/rake.json"))
	require.NoError(t, os.Remove(filepath.Join(root, "tags/rake.json")))

	s.must("deploy", "yard", "rake@2", "--yes")
	s.must("remove", "yard", "rake", "--yes")
	require.NoDirExists(t, filepath.Join(root, "tags"), "the folder was made for it")
	s.must("rollback", "yard", "--deployment", "6", "--yes")
	require.Contains(t, text("tags/rake.json"), `"line": "new"`, "its way back")

	// By hand.
	o := s.fails(2, "template note needs a value for {what}", "tweak", "make", "yard", "note", "--with", "day=first")
	require.Contains(t, o.err, "Give it")
	s.fails(1, "It has tag, note.", "tweak", "make", "yard", "nope")
	s.must("tweak", "make", "yard", "note", "--with", "day=first", "--with", "what=rain", "--yes")
	require.Equal(t, "first: rain\n", text("notes/first.txt"))
	out = s.must("tweak", "make", "yard", "note", "--with", "day=first", "--with", "what=rain", "--draft")
	require.Contains(t, out, "The server holds all of this already")
	c := openConsole(t, s)
	c.goTo("/servers/yard/texts")
	c.click("Make a text…")
	c.pick("Template", "note")
	c.fill("day", "third")
	c.click("Draft it")
	c.see("needs a value for {what}")
	c.click("Make a text…")
	c.fill("what", "snow")
	c.click("Draft it")
	c.click("Run it")
	c.seeIn("main", "done")
	require.Equal(t, "third: snow\n", text("notes/third.txt"))
	testbed.Write(t, filepath.Join(root, "notes/second.txt"), "mine\n")
	out = s.must("tweak", "make", "yard", "note", "--with", "day=second", "--with", "what=sun", "--draft")
	require.Contains(t, out, "notes/second.txt is there already, and is another text than the template makes: it stays as it is.")
	require.Equal(t, "mine\n", text("notes/second.txt"))
}
