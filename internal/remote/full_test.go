package remote_test

import (
	"bytes"
	"io"
	"io/fs"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// The root itself is in no listing by which a refusal is told apart.
func TestAFileInTheRootThatFTPRefuses(t *testing.T) {
	h, err := remote.OpenFTP(t.Context(), ftpTarget(testbed.StartVSFTPD(t, testbed.FTPOptions{}), t.TempDir()))
	require.NoError(t, err)
	defer h.Close()
	require.NoError(t, h.MakeFolder(t.Context(), "taken", 0))
	_, err = h.Create(t.Context(), "taken", 0)
	require.ErrorIs(t, err, fs.ErrPermission)
	require.NotErrorIs(t, err, fs.ErrNotExist)
}

// Neither protocol says that a disk is full; that it may be is told, and
// neither as a refusal nor as a lost line.
func TestADiskThatIsFullIsToldAsOne(t *testing.T) {
	for name, open := range map[string]func(t *testing.T, root string) (remote.Host, error){
		"sftp": func(t *testing.T, root string) (remote.Host, error) {
			return remote.OpenSFTP(t.Context(), target(testbed.StartSSHD(t), root))
		},
		"ftp": func(t *testing.T, root string) (remote.Host, error) {
			return remote.OpenFTP(t.Context(), ftpTarget(testbed.StartVSFTPD(t, testbed.FTPOptions{}), root))
		},
	} {
		t.Run(name, func(t *testing.T) {
			h, err := open(t, testbed.SmallDisk(t))
			require.NoError(t, err)
			defer h.Close()
			write := func(size int) error {
				w, err := h.Create(t.Context(), "a.bin", 0)
				require.NoError(t, err)
				_, err = io.Copy(w, bytes.NewReader(make([]byte, size)))
				if shut := w.Close(); err == nil {
					err = shut
				}
				return err
			}
			err = write(20 << 20)
			require.ErrorIs(t, err, remote.ErrNotWritten)
			require.ErrorContains(t, err, "write a.bin: the host could not write it; its disk may be full")
			require.NotErrorIs(t, err, fs.ErrPermission)
			require.NotErrorIs(t, err, remote.ErrLine)
			require.NoError(t, write(1<<20), "it goes on once there is room")
		})
	}
}
