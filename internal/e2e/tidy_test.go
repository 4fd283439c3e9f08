package e2e

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// containers are the files of the stockroom's archives, packs and segments.
func (s *service) containers() (out []string) {
	s.t.Helper()
	for _, sub := range []string{"archives/*/*", "packs/*", "segments/*", "derived/*"} {
		found, err := filepath.Glob(filepath.Join(s.data, "stockroom", sub))
		require.NoError(s.t, err)
		out = append(out, found...)
	}
	return out
}

// Downloads go by age and by versions, shown before; what is on a server, what a way back
// needs and the newest versions stay. What went is brought back by staging it again.
func TestTheStockroomIsTidied(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	zip := func(version string, wares map[string]string) string {
		return testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-"+version+".zip"), stall(version, wares))
	}
	four := zip("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes"})
	s.must("stage", four, zip("0.5.0", map[string]string{"drum.txt": "boom boom", "new.txt": "comes"}), zip("0.6.0", map[string]string{"drum.txt": "boom boom boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	s.fails(2, "say what may go", "stockroom", "tidy")
	s.fails(2, "is no length of time", "stockroom", "tidy", "--older-than", "long")
	require.Contains(t, s.fails(2, "there is no terminal to ask on", "stockroom", "tidy", "--older-than", "1ms", "--keep", "1").out, "deployments cannot be rolled back any more")

	// Where nothing says that a way back may go, what it needs of a download that goes is kept.
	first := testbed.Snapshot(t, root)
	out := s.must("stockroom", "tidy", "--keep", "1", "--yes")
	require.Regexp(t, `download +drum-tent-0\.4\.0\.zip .* of it are needed still, and are kept`, out)
	require.Regexp(t, `1 download .*it is on lantern +drum-tent-0\.5\.0\.zip`, out)
	require.Regexp(t, `1 download .*it is of the newest 1 of its add-on +drum-tent-0\.6\.0\.zip`, out)
	require.NotContains(t, out, "cannot be rolled back")
	require.Contains(t, s.must("stockroom", "verify"), "all are what they were")
	require.Regexp(t, `drum-tent-0\.4\.0\.zip .* let go `, s.must("archive", "list", "--all"))
	s.must("rollback", "lantern", "--deployment", "2", "--yes")
	s.must("rollback", "lantern", "--deployment", "3", "--yes")
	require.Equal(t, testbed.Files(first), testbed.Files(settled(t, root)))

	// What was let go comes back by being staged again.
	require.Contains(t, s.fails(1, "its download drum-tent-0.4.0.zip was let go", "deploy", "lantern", "drum-tent@0.4.0", "--yes").err, "restless stage")
	require.Contains(t, s.must("stage", four), "they are there again")
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@0.4.0", "--draft"), "drum-tent@0.4.0")
	s.must("deployment", "discard", "lantern#5")

	// Ways back that are older go, but not since the last deployment that is called good.
	s.must("deployment", "remark", "lantern#1", "--good")
	require.NotContains(t, s.must("stockroom", "tidy", "--older-than", "1ms", "--keep", "1", "--yes"), "cannot be rolled back")
	s.must("rollback", "lantern", "--known-good", "--draft")
	s.must("deployment", "discard", "lantern#6")
	s.must("deployment", "remark", "lantern#1", "--not-good")
	out = s.must("stockroom", "tidy", "--older-than", "1ms", "--keep", "1", "--yes")
	require.Contains(t, out, "6 deployments cannot be rolled back any more")
	require.Contains(t, s.must("deployment", "show", "lantern#2"), "its way back was given up")
	o := s.fails(3, "lantern#7 is blocked", "rollback", "lantern", "--deployment", "2", "--yes")
	require.Contains(t, o.out, "Stage drum-tent-0.4.0.zip again, which holds them.")
	require.Equal(t, testbed.Files(first), testbed.Files(settled(t, root)))
	require.Contains(t, s.must("doctor"), "all are what they were")
	for _, c := range s.containers() {
		raw, err := os.ReadFile(c)
		require.NoError(t, err)
		require.NotContains(t, string(raw), "goes", "what only those ways back needed is gone from %s too", c)
	}
}

// What an archive that goes shares with something that stays is copied first; killed at any
// moment, the stockroom is whole and what was begun is done by the next one.
func TestATidyingThatIsKilledLosesNothing(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	noise := make([]byte, 6<<20)
	_, _ = rand.NewChaCha8([32]byte{7}).Read(noise) // it never fails; what can be packed would be small
	big, shared := strings.Repeat(string(noise[:4<<20]), 2), string(noise[4<<20:])
	for i, name := range []string{"one", "two", "three"} {
		s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), name+"-1.0.zip"), map[string]string{
			name + "/stall.lf": "title = \"" + name + "\"\nversion = \"1.0\"\n", name + "/big.txt": name + big, name + "/shared.txt": strings.Repeat(string(rune('a'+i)), 9) + shared}))
	}
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "stays-1.0.zip"), map[string]string{
		"stays/stall.lf": "title = \"Stays\"\nversion = \"1.0\"\n", "stays/a.txt": strings.Repeat("a", 9) + shared, "stays/b.txt": strings.Repeat("b", 9) + shared, "stays/c.txt": strings.Repeat("c", 9) + shared}))
	s.must("deploy", "lantern", "stays", "--yes")
	s.begin("archive", "drop", "one-1.0.zip", "two-1.0.zip", "three-1.0.zip", "--yes")
	testbed.Eventually(t, "something is copied", func() bool {
		found, _ := filepath.Glob(filepath.Join(s.data, "stockroom", "segments", "rescued-*"))
		return len(found) > 0
	})
	s.kill()
	s.up()
	require.Contains(t, s.must("doctor"), "all are what they were")
	for _, name := range []string{"one", "two", "three"} {
		s.restless("archive", "drop", name+"-1.0.zip", "--yes") // it may have gone before the kill
	}
	require.Contains(t, s.must("doctor"), "all are what they were")
	found, err := filepath.Glob(filepath.Join(s.data, "stockroom/archives/*/*"))
	require.NoError(t, err)
	require.Len(t, found, 1)
	for _, p := range []string{"a.txt", "b.txt", "c.txt"} {
		require.NoError(t, os.Remove(filepath.Join(root, "stalls/stays", p)))
	}
	s.must("survey", "lantern")
	s.must("settle", "lantern", "restore=stalls/stays/a.txt", "restore=stalls/stays/b.txt", "restore=stalls/stays/c.txt", "--yes")
	raw, err := os.ReadFile(filepath.Join(root, "stalls/stays/b.txt"))
	require.NoError(t, err)
	require.Equal(t, strings.Repeat("b", 9)+shared, string(raw))
	s.fails(1, "no archives here are called one-1.0.zip", "archive", "drop", "one-1.0.zip", "--yes")
	require.Contains(t, s.must("archive", "drop", "stays-1.0.zip", "--yes"), "it is on lantern")
}

// Room is freed while a deployment goes back: one of them waits or is refused, and the way
// back has its bytes.
func TestTidyingAndAWayBackAtTheSameTime(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s.trust()
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	first := testbed.Snapshot(t, root)
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	var draft api.Deployment
	s.get(&draft, "rollback", "lantern", "--deployment", "2", "--draft")
	out := s.must("stockroom", "tidy", "--older-than", "1ms", "--yes")
	require.Regexp(t, `download .* of it are needed still, and are kept`, out, "a draft that is to be run needs its bytes")

	testbed.Hang(t, d)
	run := s.begin("deployment", "run", draft.Name, "--yes")
	s.doing("run")
	s.fails(1, "something is under way that uses the stockroom", "stockroom", "tidy", "--older-than", "1ms", "--below", "1B", "--yes")
	testbed.Thaw(t, d)
	require.Equal(t, 0, run.ended().code)
	require.Equal(t, testbed.Files(first), testbed.Files(settled(t, root)))
	s.must("stockroom", "tidy", "--older-than", "1ms", "--yes")
	require.Contains(t, s.must("doctor"), "all are what they were")
	require.Equal(t, testbed.Files(first), testbed.Files(settled(t, root)))
}
