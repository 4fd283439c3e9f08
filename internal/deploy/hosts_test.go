package deploy_test

import (
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// behaving is what both stand-in hosts can be told.
type behaving interface{ Behave(standin.Rules) }

// odd is a bench on a stand-in host that can be told to misbehave.
func odd(t *testing.T, ftp, folders bool) (*bench, behaving) {
	var h behaving
	b := newBenchAt(t, folders, func(root string) remote.Host {
		if ftp {
			f, err := standin.StartFTP(root, "keeper", "reed", standin.FTPOptions{})
			require.NoError(t, err)
			t.Cleanup(func() { require.NoError(t, f.Close()) })
			c, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: f.Port, User: "keeper", Password: "reed", Root: "/"})
			require.NoError(t, err)
			h = f
			return c
		}
		s, err := standin.StartHost(root, "keeper", "reed")
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, s.Close()) })
		c, err := remote.OpenSFTP(t.Context(), remote.SFTPTarget{Host: "127.0.0.1", Port: s.Port, User: "keeper", Password: "reed", Root: ".", HostKey: string(ssh.MarshalAuthorizedKey(s.HostKey))})
		require.NoError(t, err)
		h = s
		return c
	})
	return b, h
}

func below(folder string) func(string) bool {
	return func(name string) bool { return name == folder || strings.HasPrefix(name, folder+"/") }
}

// A host that begins to refuse half-way halts the run, which stays halted while
// the fault lasts; once it is gone, going on reaches exactly new and going back
// exactly old. Nothing is lost meanwhile.
func TestAHostThatRefusesHalfWay(t *testing.T) {
	for _, c := range []struct {
		name  string
		rules standin.Rules
		when  draft.Phase // before which the fault sets in
		says  string
		back  bool   // whether going back works while the fault lasts
		words string // of the host, which are told
	}{
		{"a file in use", standin.Rules{InUse: below("d/changed")}, draft.Swap, "setting aside d/changed", true, ""},
		{"a file in a folder that goes in use", standin.Rules{InUse: below("gone")}, draft.Swap, "setting aside gone", true, ""},
		{"a folder that may not be changed any more", standin.Rules{ReadOnly: below("d")}, draft.Swap, "setting aside d/", true, ""},
		{"nothing may be changed any more", standin.Rules{ReadOnly: func(string) bool { return true }}, draft.Swap, "", false, ""},
		{"renaming into another folder refused", standin.Rules{SameFolder: true}, draft.Swap, "setting aside", true, ""},
		{"no room", standin.Rules{Room: 5}, draft.Prepare, "sending", true, "no space left on device"},
		{"a limit for uploads", standin.Rules{UploadLimit: 3}, draft.Prepare, "sending", true, "a file of more than 3 bytes is not taken here"},
	} {
		for _, ftp := range []bool{false, true} {
			for _, folders := range []bool{true, false} {
				way := map[bool]string{false: "SFTP", true: "FTP"}[ftp] + map[bool]string{false: ", file by file", true: ", whole folders"}[folders]
				t.Run(c.name+", "+way, func(t *testing.T) {
					t.Parallel()
					halted := func() (*bench, behaving) {
						b, h := odd(t, ftp, folders)
						if c.when == draft.Swap {
							require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare))
						}
						h.Behave(c.rules)
						for range 2 { // it stays halted while the fault lasts
							err := b.swapped(b.run(0, ""))
							var trouble *deploy.MotionError
							require.ErrorAs(t, err, &trouble)
							if !strings.Contains(c.name, "folder that goes") || folders {
								require.ErrorContains(t, err, c.says)
							}
							require.ErrorContains(t, err, c.words)
						}
						now := testbed.Files(testbed.Snapshot(t, b.root))
						require.Equal(t, "same", now["d/same"])
						return b, h
					}
					b, h := halted()
					h.Behave(standin.Rules{})
					require.NoError(t, b.whole(b.run(0, "")))
					b.isNew()

					b, h = halted()
					if c.back {
						require.NoError(t, b.run(0, "").Backward(t.Context()), "while the fault lasts")
						b.sameAsOld()
						return
					}
					require.Error(t, b.run(0, "").Backward(t.Context()))
					h.Behave(standin.Rules{})
					require.NoError(t, b.run(0, "").Backward(t.Context()))
					b.sameAsOld()
				})
			}
		}
	}
}

// sameAsOld is isOld without permission bits, which FTP does not have.
func (b *bench) sameAsOld() {
	require.Equal(b.t, testbed.Files(b.old), testbed.Files(testbed.Snapshot(b.t, b.root)))
	require.NoDirExists(b.t, filepath.Join(b.root, string(draft.Work)))
}

// Whether a folder's files can come and go is found out before anything is
// done, and leaves nothing behind.
func TestFoldersAreProvedBeforeARun(t *testing.T) {
	for _, ftp := range []bool{false, true} {
		b, h := odd(t, ftp, true)
		require.NoError(t, b.run(0, "").Prove(t.Context()))
		require.NoError(t, b.run(0, "").GiveUp(t.Context()))
		b.sameAsOld()

		h.Behave(standin.Rules{ReadOnly: below("gone")})
		r := b.run(0, "")
		var no *deploy.RefusedError
		require.ErrorAs(t, r.Prove(t.Context()), &no)
		require.Equal(t, []tree.Path{"gone"}, no.Folders)
		require.False(t, no.Rename)
		require.NoError(t, r.GiveUp(t.Context()))
		b.sameAsOld()

		h.Behave(standin.Rules{SameFolder: true})
		r = b.run(0, "")
		require.ErrorAs(t, r.Prove(t.Context()), &no)
		require.Equal(t, []tree.Path{tree.Root, "d", "gone"}, no.Folders)
		require.True(t, no.Rename)
		require.ErrorContains(t, no, "files cannot be renamed from the work folder into ., d, gone")
		require.NoError(t, r.GiveUp(t.Context()))
		b.sameAsOld()
	}
}

// What a server writes between the look and the swap is not lost on hosts whose
// times do not show it: because they count in minutes, or tell no truth.
func TestLastBytesThatNoTimeShowsAreKept(t *testing.T) {
	for name, c := range map[string]struct {
		rules      standin.Rules
		resolution int64
		lookedAt   func() int64
	}{
		"minutes":                 {standin.Rules{Minutes: true}, 60_000, func() int64 { return time.Now().UnixMilli() }},
		"always the same time":    {standin.Rules{Frozen: true}, 60_000, func() int64 { return 0 }}, // such a clock is not believed
		"a host nobody tested":    {standin.Rules{}, 0, func() int64 { return time.Now().UnixMilli() }},
		"seconds, a moment after": {standin.Rules{}, 2000, func() int64 { return time.Now().UnixMilli() }},
	} {
		t.Run(name, func(t *testing.T) {
			var h *standin.Host
			b := newBenchAt(t, true, func(root string) remote.Host {
				var err error
				h, err = standin.StartHost(root, "keeper", "reed")
				require.NoError(t, err)
				t.Cleanup(func() { require.NoError(t, h.Close()) })
				h.Behave(c.rules)
				far, err := remote.OpenSFTP(t.Context(), remote.SFTPTarget{Host: "127.0.0.1", Port: h.Port, User: "keeper", Password: "reed", Root: ".", HostKey: string(ssh.MarshalAuthorizedKey(h.HostKey))})
				require.NoError(t, err)
				return far
			})
			b.dep.Draft.LookedAt = c.lookedAt()
			r := b.run(0, "")
			r.Resolution = c.resolution
			require.NoError(t, r.Forward(t.Context(), draft.Prepare))
			testbed.Write(t, filepath.Join(b.root, "d/changed"), "eno") // as long as what was there
			testbed.Write(t, filepath.Join(b.root, "gone/two"), "two new")
			require.NoError(t, r.Forward(t.Context(), draft.Swap))
			require.NoError(t, r.Tidy(t.Context()))
			for _, text := range []string{"eno", "two new"} {
				rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
				require.NoError(t, err, "%q is kept", text)
				require.NoError(t, rc.Close())
			}
		})
	}
}
