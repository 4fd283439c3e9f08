package e2e

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// inPanel is a made-up game whose host's panel holds what a server loads: a number that
// stands in each add-on's manifest, and a port that all need.
const inPanel = `format: 1
name: orchard
title: Orchard
places: {trees: {path: trees}, here: {path: .}}
kinds:
  tree:
    recognise: {marker: tree.toml}
    id: {read: {file: tree.toml, at: /id}}
    name: {read: {file: tree.toml, at: /title}}
    version: {read: {file: tree.toml, at: /version}}
    tells: {number: {file: tree.toml, at: /number}}
    put: [{take: "**", place: trees, as: "{id}/{path}"}]
by-hand:
  - what: Add {name} to the panel's list.
    text: "{number}"
    back: Take {number} out of the panel's list.
  - what: Open the picking port.
    text: 7070/udp
  - {what: Agree to the orchard's rules., stays: true}
`

// trees stages made-up trees: title, id, version, number.
func trees(s *service, dl string, list ...[4]string) {
	s.t.Helper()
	for _, v := range list {
		folder := filepath.Join(dl, v[1]+"-"+v[2])
		testbed.Write(s.t, filepath.Join(folder, "tree.toml"), fmt.Sprintf("title = %q\nid = %q\nversion = %q\nnumber = %q\n", v[0], v[1], v[2], v[3]))
		s.must("stage", folder, "--for", "grove")
	}
}

// asks gives what a deployment waits for, and ticks it, until it waits no more.
func (s *service) asks(name string, args ...string) (asked []string) {
	s.t.Helper()
	o := s.restless(args...)
	for o.code == 4 {
		_, words, ok := strings.Cut(o.out, "aits for a person: ")
		require.True(s.t, ok, "%s%s", o.out, o.err)
		words, _, _ = strings.Cut(words, "\n  restless")
		asked = append(asked, strings.Replace(words, "\n  Copy:", "", 1))
		o = s.restless("deployment", "tick", name)
	}
	require.Zero(s.t, o.code, "%s%s", o.out, o.err)
	return asked
}

func orchard(t *testing.T) (s *service, root string) {
	s, root = start(t), t.TempDir()
	dl := t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "orchard.yaml", strings.Replace(inPanel, `"{id}/{path}"`, `"{name}/{path}"`, 1)))
	s.must("server", "add", "grove", "--rulebook", "orchard", "--folder", root)
	s.must("server", "test", "grove")
	trees(s, dl, [4]string{"Old Apple", "apple", "1", "n11"}, [4]string{"Old Apple", "apple", "2", "n12"}, [4]string{"Pear", "pear", "1", "n21"})
	return s, root
}

func TestWhatIsDoneByHandIsAskedForEachAddOnAndTakenBack(t *testing.T) {
	t.Parallel()
	s, root := orchard(t)
	require.Equal(t, []string{"Add Old Apple to the panel's list. n11", "Add Pear to the panel's list. n21", "Open the picking port. 7070/udp", "Agree to the orchard's rules."},
		s.asks("grove#1", "deploy", "grove", "apple@1", "pear", "--yes"))
	require.Equal(t, []string{"Add Old Apple to the panel's list. n12"}, s.asks("grove#2", "deploy", "grove", "apple@2", "--yes"), "what is new with the version, and nothing else")
	require.Empty(t, s.asks("grove#3", "deploy", "grove", "apple@2", "--yes"), "it is done")
	require.Equal(t, []string{"Add Old Apple to the panel's list. n11"}, s.asks("grove#4", "rollback", "grove", "--addon", "apple", "--yes"), "a rollback asks for what was there before")
	require.Equal(t, []string{"Take n21 out of the panel's list."}, s.asks("grove#5", "remove", "grove", "pear", "--yes"), "the port is still needed")
	require.Equal(t, []string{"Add Pear to the panel's list. n21"}, s.asks("grove#6", "deploy", "grove", "pear", "--yes"), "it is asked for again")
	require.Equal(t, []string{"Take n11 out of the panel's list.", "Take n21 out of the panel's list.", "Take this back: Open the picking port. 7070/udp"},
		s.asks("grove#7", "rollback", "grove", "--to", "0", "--yes"), "with the last one the port too; what stays is not asked")
	require.Empty(t, filesOf(t, root))
}

func TestAnUndoWaitsForWhatOnlyAPersonCanTakeBack(t *testing.T) {
	t.Parallel()
	s, root := orchard(t)
	s.fails(4, "grove#1 waits", "deploy", "grove", "apple@1", "--yes")
	s.fails(4, "grove#1 waits", "deployment", "tick", "grove#1") // the panel's list is done, the port is not
	require.Equal(t, []string{"Take n11 out of the panel's list."}, s.asks("grove#1", "deployment", "undo", "grove#1"))
	require.Contains(t, s.must("deployment", "show", "grove#1"), "UNDONE")
	require.Empty(t, filesOf(t, root))
	require.Equal(t, "Add Old Apple to the panel's list. n11", s.asks("grove#2", "deploy", "grove", "apple@1", "--yes")[0], "it was taken back")

	// Over a restart of the service too.
	s.fails(4, "grove#3 waits", "deploy", "grove", "apple@2", "--yes")
	trees(s, t.TempDir(), [4]string{"Pear", "pear", "2", "n22"})
	require.Contains(t, s.must("deployment", "undo", "grove#3"), "UNDONE", "nothing was done yet")
	s.fails(4, "grove#4 waits", "deploy", "grove", "apple@2", "pear@2", "--yes")
	s.fails(4, "grove#4 waits", "deployment", "tick", "grove#4")
	o := s.fails(4, "grove#4 waits", "deployment", "undo", "grove#4")
	require.Contains(t, o.out, "It is being taken back, and waits for a person: Take n12 out of the panel's list.")
	require.NotContains(t, o.out, "deployment undo")
	s.kill()
	s.up()
	require.Contains(t, s.must("deployment", "tick", "grove#4"), "UNDONE")
	require.Equal(t, []string{"Add Pear to the panel's list. n22"}, s.asks("grove#5", "deploy", "grove", "apple@1", "pear@2", "--yes"), "what was done for apple@1 before is what counts again")
}

// A text that a person is asked to change and that the deployment changes too: what both did
// stays, and goes back by its own part.
func TestAStepByHandInATextThatIsEditedTooIsNoDeadEnd(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "wells.yaml", `format: 1
name: wells
title: Wells
places: {wells: {path: wells}}
kinds: {well: {recognise: {single: "*.well"}, put: [{take: "*.well", place: wells, as: "{file}"}]}}
load-lists: {deep: {file: wells.conf, form: joined, match: '(?m)^deep=(.*)$', separator: ",", entry: "{name}"}}
by-hand:
  - {what: Set the kind of water., text: water=sweet, check: {file: wells.conf, match: '(?m)^water=sweet$'}}
`))
	s.must("server", "add", "w", "--rulebook", "wells", "--folder", root)
	s.must("server", "test", "w")
	conf := filepath.Join(root, "wells.conf")
	testbed.Write(t, conf, "deep=\nwater=salt\nlevel=1\n")
	s.must("stage", textFile(t, dl, "old-1.0.well", "w"), "--for", "w")
	out := s.fails(4, "w#1 waits", "deploy", "w", "old", "--yes").out
	require.Contains(t, out, "Set the kind of water.")
	require.Equal(t, "deep=\nwater=salt\nlevel=1\n", read(t, conf), "it is asked for first")
	s.fails(1, "wells.conf holds nothing like", "deployment", "tick", "w#1")
	testbed.Write(t, conf, "deep=\nwater=sweet\nlevel=2\n") // and something else
	out = s.must("deployment", "tick", "w#1")
	require.Contains(t, out, "DONE")
	require.Contains(t, out, "wells.conf holds something else than when the draft was made", "the level was no part of what was asked for")
	require.Equal(t, "deep=old\nwater=sweet\nlevel=2\n", read(t, conf))
	require.Equal(t, []string{"Take this back: Set the kind of water. water=sweet"}, s.asks("w#2", "rollback", "w", "--to", "0", "--yes"))
	require.Equal(t, "deep=\nwater=sweet\nlevel=2\n", read(t, conf), "what a person wrote is a person's")
	require.NoFileExists(t, filepath.Join(root, "wells/old-1.0.well"))
}
