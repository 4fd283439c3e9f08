package helper

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// program writes a helper program as a shell script.
func program(t *testing.T, dir, name, script string) {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the programs of this test are shell scripts")
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\n"+script), 0o700))
}

func TestOnlyProgramsOfTheFolderAreRun(t *testing.T) {
	dir := t.TempDir()
	program(t, dir, "chest", `case $1 in unpack) cp "$2" "$3/out";; pack) cat "$2"/* > "$3";; esac`)
	f := Folder{Dir: dir}
	require.True(t, f.Has("chest"))
	for _, name := range []string{"", "no", "../" + filepath.Base(dir) + "/chest", "/bin/sh", "sh"} {
		require.False(t, f.Has(name), name)
		require.ErrorIs(t, f.Unpack(t.Context(), name, "a", "b"), ErrMissing)
	}
	require.False(t, Folder{}.Has("chest"))

	work := t.TempDir()
	file, folder, back := filepath.Join(work, "a b.chest"), filepath.Join(work, "out"), filepath.Join(work, "back.chest")
	require.NoError(t, os.WriteFile(file, []byte("gold"), 0o600))
	require.NoError(t, os.Mkdir(folder, 0o700))
	require.NoError(t, f.Unpack(t.Context(), "chest", file, folder))
	require.NoError(t, f.Pack(t.Context(), "chest", folder, back))
	raw, err := os.ReadFile(back)
	require.NoError(t, err)
	require.Equal(t, "gold", string(raw))
}

func TestWhatAProgramSaysIsTold(t *testing.T) {
	dir := t.TempDir()
	program(t, dir, "broken", "echo the lid is stuck >&2\nexit 3")
	program(t, dir, "idle", "exit 0")
	program(t, dir, "slow", "exec sleep 60")
	f := Folder{Dir: dir, Timeout: 10 * time.Second}
	require.EqualError(t, f.Unpack(t.Context(), "broken", "x", "y"), "the helper program broken could not unpack: exit status 3: the lid is stuck")
	require.EqualError(t, f.Pack(t.Context(), "idle", "x", filepath.Join(dir, "none")), "the helper program idle could not pack: it ended well but made no file")
	f.Timeout = time.Millisecond
	require.EqualError(t, f.Unpack(t.Context(), "slow", "x", "y"), "the helper program slow could not unpack: it was not done after 1ms")
}
