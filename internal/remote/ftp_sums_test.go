package remote_test

import (
	"bytes"
	"crypto/md5"
	"crypto/sha256"
	"encoding/binary"
	"hash/crc32"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// A real server's checksums, by each of the commands that servers have for them.
func TestAHostIsAskedForChecksums(t *testing.T) {
	s := testbed.StartProFTPD(t)
	text := bytes.Repeat([]byte("lantern\n"), 5000)
	sha, old := sha256.Sum256(text), md5.Sum(text)
	for without, want := range map[string]struct {
		by  string
		sum []byte
	}{
		"nothing":                {"SHA-256", sha[:]},
		"HASH":                   {"SHA-256", sha[:]},
		"HASH|XSHA256":           {"MD5", old[:]},
		"HASH|XSHA256|XMD5":      {"CRC32", binary.BigEndian.AppendUint32(nil, crc32.ChecksumIEEE(text))},
		"HASH|XSHA256|XMD5|XCRC": {"", nil},
	} {
		t.Run("without "+without, func(t *testing.T) {
			root := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(root, "a b.txt"), text, 0o644))
			// Its answer to what it offers is told without some.
			port := heard(t, s.Port, func(said []byte) []byte {
				return regexp.MustCompile(`(?m)^ (`+without+`)\b[^\n]*\n`).ReplaceAll(said, nil)
			})
			h, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: port, User: s.User, Password: s.Password, Root: root})
			require.NoError(t, err)
			defer h.Close()
			require.Equal(t, want.by, h.SumsBy())
			for range 2 { // the second time it knows by which algorithm
				sum, err := h.Sum(t.Context(), "a b.txt")
				if want.by == "" {
					require.ErrorContains(t, err, "makes no checksums")
					continue
				}
				require.NoError(t, err)
				require.Equal(t, want.sum, sum)
				_, err = h.Sum(t.Context(), tree.Path("none"))
				require.Error(t, err)
				require.NotErrorIs(t, err, remote.ErrLine)
			}
			list, err := h.List(t.Context(), tree.Root)
			require.NoError(t, err)
			require.Len(t, list, 1)
		})
	}
}
