package remote_test

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// plantOdd makes a tree of names that a shell, a list of names or a pattern would trip over.
func plantOdd(t *testing.T, root string) {
	for _, name := range []string{"plain.txt", "two words", "line\nbreak", "it's", "$(touch gone)", "-rf", "*", "läden/ü.txt", "deep/er/and/deeper.bin", "tab\tin it"} {
		testbed.Write(t, filepath.Join(root, "a b'c", name), "text of "+name)
	}
	for i := range 300 {
		testbed.Write(t, filepath.Join(root, "a b'c", "many", fmt.Sprintf("%03d", i), "part.toml"), fmt.Sprintf("version = %d", i))
	}
	require.NoError(t, os.Symlink("plain.txt", filepath.Join(root, "a b'c", "link")))
	require.NoError(t, os.Mkdir(filepath.Join(root, "a b'c", "empty"), 0o750))
	require.NoError(t, os.Chmod(filepath.Join(root, "a b'c", "plain.txt"), 0o4711))
	require.NoError(t, os.WriteFile(filepath.Join(root, "a b'c", "\xff\xfe"), nil, 0o644))
	require.NoError(t, os.Chtimes(filepath.Join(root, "a b'c", "two words"), aDay, aDay))
}

// shelled is a tree on a host that gives SFTP, and runs lines of ours for every other command; SFTP in
// them stands for its server.
func shelled(t *testing.T, root, lines string) *remote.SFTP {
	t.Helper()
	const sftp = "/usr/lib/openssh/sftp-server"
	shell := filepath.Join(t.TempDir(), "shell")
	testbed.Write(t, shell, strings.ReplaceAll("#!/bin/sh\ncase \"$SSH_ORIGINAL_COMMAND\" in SFTP) exec SFTP;; esac\n"+lines+"\n", "SFTP", sftp))
	require.NoError(t, os.Chmod(shell, 0o755))
	far, err := remote.OpenSFTP(t.Context(), target(testbed.StartSSHD(t, "Subsystem sftp "+sftp, "ForceCommand "+shell), root))
	require.NoError(t, err)
	t.Cleanup(func() { far.Close() })
	return far
}

// aDay is a time before any of this.
var aDay = time.Date(2001, 2, 3, 4, 5, 6, 789e6, time.UTC)

// walked is everything that a walk tells, in its order.
func walked(t *testing.T, h remote.Host, whole bool) (out []string) {
	t.Helper()
	err := remote.Walk(t.Context(), h, []tree.Path{tree.Root}, remote.Bounds{Whole: whole}, func(p tree.Path, i remote.Info) (bool, error) {
		out = append(out, fmt.Sprintf("%q %+v", p, i))
		return true, nil
	})
	require.NoError(t, err)
	return out
}

// A tree that a host lists at once is the same as folder by folder, to the second and the bit; and
// what is read at once is what stands in the files.
func TestATreeIsListedAtOnceAsFolderByFolder(t *testing.T) {
	root := filepath.Join(t.TempDir(), "it's a root")
	plantOdd(t, root)
	far, err := remote.OpenSFTP(t.Context(), target(testbed.StartSSHD(t), root))
	require.NoError(t, err)
	defer far.Close()
	_, ok, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{Things: 10_000})
	require.NoError(t, err)
	require.True(t, ok, "this host has find")
	require.Equal(t, walked(t, far, false), walked(t, far, true))

	files := map[tree.Path]int64{"a b'c/it's": int64(len("text of it's")), "a b'c/-rf": 3, "a b'c/gone": 1, "a b'c/link": 9}
	for i := range 300 {
		files[tree.Path(fmt.Sprintf("a b'c/many/%03d/part.toml", i))] = int64(len(fmt.Sprintf("version = %d", i)))
	}
	got := map[tree.Path][]byte{}
	keep := func(p tree.Path, raw []byte) { got[p] = raw }
	require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { return files }, keep))
	require.Len(t, got, 301, "neither what has another length, nor what is gone, nor a link")
	require.Equal(t, "text of it's", string(got["a b'c/it's"]))
	require.Equal(t, "version = 207", string(got["a b'c/many/207/part.toml"]))

	_, _, err = far.ListBelow(t.Context(), tree.Root, remote.Bounds{Things: 100})
	var tooMany *remote.TooManyError
	require.True(t, errors.As(err, &tooMany), "%v", err)
}

// A host without gzip sends the same, and more of it.
func TestFilesAreReadAtOncePackedOrNot(t *testing.T) {
	for what, programs := range map[string][]string{"packed": {"gzip"}, "plain": nil} {
		t.Run(what, func(t *testing.T) {
			dir := t.TempDir()
			root, bin := filepath.Join(dir, "root"), filepath.Join(dir, "bin")
			plantOdd(t, root)
			require.NoError(t, os.Mkdir(bin, 0o755))
			for _, name := range append(programs, "sh", "env", "find", "tar") {
				at, err := exec.LookPath(name)
				require.NoError(t, err)
				require.NoError(t, os.Symlink(at, filepath.Join(bin, name)))
			}
			far := shelled(t, root, "PATH="+bin+"\nexec sh -c \"$SSH_ORIGINAL_COMMAND\"")
			_, ok, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{Things: 10_000})
			require.NoError(t, err)
			require.True(t, ok)
			want := map[tree.Path]int64{"a b'c/two words": int64(len("text of two words")), "a b'c/$(touch gone)": int64(len("text of $(touch gone)"))}
			for i := range 300 {
				want[tree.Path(fmt.Sprintf("a b'c/many/%03d/part.toml", i))] = int64(len(fmt.Sprintf("version = %d", i)))
			}
			got := map[tree.Path]string{}
			require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { return want }, func(p tree.Path, raw []byte) { got[p] = string(raw) }))
			require.Equal(t, len(want), len(got))
			require.Equal(t, "text of two words", got["a b'c/two words"])
			require.Equal(t, "version = 299", got["a b'c/many/299/part.toml"])
			require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { return nil }, func(p tree.Path, _ []byte) { t.Errorf("%s was not asked for", p) }))
		})
	}
}

// A shell that falls silent, at once or when it has listed the tree, is given up: folders are listed,
// and files are read, one by one then. Its command goes on there as long as it likes.
func TestAShellThatFallsSilentIsNotWaitedFor(t *testing.T) {
	t.Parallel()
	const lists = `case "$SSH_ORIGINAL_COMMAND" in printf*) exec sh -c "$SSH_ORIGINAL_COMMAND";; esac`
	for what, first := range map[string]string{"at once": "", "after the tree": lists} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			root := filepath.Join(dir, "root")
			plantOdd(t, root)
			far := shelled(t, root, first+"\nexec sleep 300")
			_, ok, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{Things: 10_000})
			require.NoError(t, err)
			require.Equal(t, first != "", ok)
			asked := false
			require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { asked = true; return nil }, func(tree.Path, []byte) {}))
			require.False(t, asked, "it was never ready")
		})
	}
}

// While a tree is listed the line is busy, and a shell that is begun meanwhile may be heard late.
func TestAShellThatIsBegunWhileATreeIsListedMayBeLate(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	plantOdd(t, root)
	far := shelled(t, root, `case "$SSH_ORIGINAL_COMMAND" in printf*) sh -c "$SSH_ORIGINAL_COMMAND"; exec sleep 18;; esac
sleep 16
exec sh -c "$SSH_ORIGINAL_COMMAND"`)
	var wg sync.WaitGroup
	listed, got := make(chan bool), 0
	begin := sync.OnceFunc(func() {
		wg.Go(func() {
			one := map[tree.Path]int64{"a b'c/many/007/part.toml": 11}
			assert.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { <-listed; return one }, func(tree.Path, []byte) { got++ }))
		})
	})
	_, ok, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{Seen: func(int) { begin() }})
	require.NoError(t, err)
	require.True(t, ok)
	close(listed)
	wg.Wait()
	require.Equal(t, 1, got)
}

// A host whose shell sees another tree than SFTP shows, that has none, or whose find is another
// program, is listed folder by folder; and nothing is read at once there.
func TestAShellThatShowsAnotherTreeIsNotBelieved(t *testing.T) {
	for what, runs := range map[string]string{
		"another tree":   `eval "$(printf %s "$SSH_ORIGINAL_COMMAND" | sed "s#ROOT#OTHER#")"`,
		"no shell":       `exec SFTP`,
		"a chatty shell": `echo welcome; exec sh -c "$SSH_ORIGINAL_COMMAND"`,
		"another find":   `printf 'restless-crate-tree\0'; echo usage: find; exit 1`,
	} {
		t.Run(what, func(t *testing.T) {
			dir := t.TempDir()
			root, other := filepath.Join(dir, "root"), filepath.Join(dir, "other")
			plantOdd(t, root)
			plantOdd(t, other)
			for i := range 300 { // which of the folders are compared is the host's order to say
				testbed.Write(t, filepath.Join(other, "a b'c", "many", fmt.Sprintf("%03d", i), "left-over.txt"), "only there")
			}
			far := shelled(t, root, strings.NewReplacer("ROOT", root, "OTHER", other).Replace(runs))
			one := map[tree.Path]int64{"a b'c/many/007/part.toml": 11}
			var wg sync.WaitGroup
			listed, early := make(chan bool), 0
			prepare := sync.OnceFunc(func() { // it makes itself ready while the tree is listed
				wg.Go(func() {
					assert.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { <-listed; return one }, func(tree.Path, []byte) { early++ }))
				})
			})
			most := 0
			_, ok, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{Things: 10_000, Seen: func(things int) { most = things; prepare() }})
			require.NoError(t, err)
			close(listed)
			wg.Wait()
			require.Equal(t, what == "a chatty shell", ok)
			require.Equal(t, walked(t, far, false), walked(t, far, true))
			got := 0
			require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { return one }, func(tree.Path, []byte) { got++ }))
			if !ok {
				require.Zero(t, got+early)
				return
			}
			require.Equal(t, []int{1, 1}, []int{got, early})
			require.Greater(t, most, 300)
		})
	}
}

// What a host's shell breaks off is given up alone: the connection carries what others do over it.
func TestAShellThatBreaksOffLeavesTheConnection(t *testing.T) {
	for what, runs := range map[string]string{
		"at once":           `case "$SSH_ORIGINAL_COMMAND" in printf*) exec sh -c "$SSH_ORIGINAL_COMMAND";; esac; exit 1`,
		"within an archive": `case "$SSH_ORIGINAL_COMMAND" in printf*) exec sh -c "$SSH_ORIGINAL_COMMAND";; esac; echo restless-crate-plain; head -c 300 /dev/zero | tr "\\0" x; exit 1`,
	} {
		t.Run(what, func(t *testing.T) {
			root := t.TempDir()
			plantOdd(t, root)
			far := shelled(t, root, runs)
			_, _, err := far.ListBelow(t.Context(), tree.Root, remote.Bounds{})
			require.NoError(t, err)
			f, err := far.Create(t.Context(), "while", 0)
			require.NoError(t, err)
			one := map[tree.Path]int64{"a b'c/many/007/part.toml": 11}
			require.NoError(t, remote.Gather(t.Context(), far, func() map[tree.Path]int64 { return one }, func(tree.Path, []byte) { t.Error("nothing comes whole") }))
			_, err = f.Write([]byte("on the way"))
			require.NoError(t, errors.Join(err, f.Close()))
			require.Equal(t, 1, far.Connections())
		})
	}
}
