package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// overFTP starts a service with a server "lantern" behind a real vsftpd, over
// TLS, whose certificate a person has confirmed.
func overFTP(t *testing.T, o testbed.FTPOptions) (s *service, d *testbed.VSFTPD, root string) {
	d, root = testbed.StartVSFTPD(t, o), t.TempDir()
	s = start(t)
	s.env = []string{"RESTLESS_PASSWORD=" + d.Password}
	s.must("rulebook", "add", books+"lanternfall.yaml")
	how := "--ftp"
	if o.TLS {
		how = "--ftps"
	}
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", how, fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--root", root)
	if o.TLS {
		s.trust()
	} else {
		require.Contains(t, s.must("server", "test", "lantern"), "Plain FTP: the password and every file cross the line where others can read them.")
	}
	return s, d, root
}

func TestTheWholeJobOverFTPWithTLS(t *testing.T) {
	t.Parallel()
	s, d, root := overFTP(t, testbed.FTPOptions{TLS: true})
	out := s.must("server", "test", "lantern")
	require.Contains(t, out, "Permission bits are not kept")
	require.Contains(t, out, "File times are counted in steps of up to 60 s")
	require.NotContains(t, out, "Plain FTP")
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes", "# odd name; with spaces.txt": "odd", "-dash": "", ".hidden": "dot"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom", "new.txt": "comes", "# odd name; with spaces.txt": "odder", "-dash": "", ".hidden": "dot"}))
	before := testbed.Snapshot(t, root)
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	first := testbed.Snapshot(t, root)
	require.Equal(t, map[string]string{
		"fair.order":                      "call nobody\n",
		"stalls/drum-tent/stall.lf":       "title = \"Drum Tent\"\nversion = \"0.4.0\"\n",
		"stalls/drum-tent/wares/drum.txt": "boom", "stalls/drum-tent/wares/old.txt": "goes",
		"stalls/drum-tent/wares/# odd name; with spaces.txt": "odd", "stalls/drum-tent/wares/-dash": "",
	}, testbed.Files(first), "byte for byte, and nothing else")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	second := testbed.Files(testbed.Snapshot(t, root))
	require.NotContains(t, second, "stalls/drum-tent/wares/old.txt")
	require.Equal(t, "odder", second["stalls/drum-tent/wares/# odd name; with spaces.txt"])
	s.must("rollback", "lantern", "--deployment", "2", "--yes")
	require.Equal(t, first, testbed.Snapshot(t, root))
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Equal(t, before, testbed.Snapshot(t, root))

	d.ChangeCertificate(t)
	o := s.fails(1, "the certificate of 127.0.0.1", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
	require.Contains(t, o.err, "Nothing was sent.")
	s.env = nil
	s.fails(2, "give it in RESTLESS_PASSWORD", "server", "add", "other", "--rulebook", "lanternfall", "--ftp", "u@h")
	s.fails(2, "give one of --folder, --sftp, --ftps and --ftp", "server", "add", "other", "--rulebook", "lanternfall", "--ftp", "u@h", "--ftps", "u@h")
}

func TestKilledHalfWayOverFTPItIsResumedOrUndone(t *testing.T) {
	t.Parallel()
	s, _, root := overFTP(t, testbed.FTPOptions{})
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	wares := filepath.Join(root, "stalls/drum-tent/wares")
	for name, reached := range map[string]func(int) bool{
		"sending":  func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 20 },
		"swapping": func(int) bool { return entries(wares) < 190 },
	} {
		for _, way := range []string{"undo", "resume"} {
			t.Run(name+", "+way, func(t *testing.T) {
				deployment, old := breakRun(t, s, root, reached)
				s.must("deployment", way, deployment)
				now := testbed.Snapshot(t, root)
				if way == "undo" {
					require.Equal(t, old, now)
					return
				}
				require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], now["stalls/drum-tent/wares/w007.txt"].Text)
				require.Len(t, testbed.Files(now), 201)
				var d api.Deployment
				s.get(&d, "deployment", "show", deployment)
				require.Equal(t, "done", d.State)
				s.must("rollback", "lantern", "--deployment", fmt.Sprint(d.Number), "--yes")
				require.Equal(t, old, testbed.Snapshot(t, root))
			})
		}
	}
}

// Over plain FTP nothing tells that bytes were changed on the way, but a test shows
// once whether they are; with --thorough all are read back, over any transport.
func TestWhatIsReadBack(t *testing.T) {
	t.Parallel()
	s, _, _ := overFTP(t, testbed.FTPOptions{})
	s.stage(stall("1", map[string]string{"small.txt": "s", "large.bin": noise(100 << 10)}))
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1", "--yes"), "Every size was checked, and the bytes of 1 file.", "the test found the way clean")
	s, root := folderServer(t)
	s.stage(stall("1", map[string]string{"small.txt": "s", "large.bin": noise(100 << 10)}))
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1", "--yes"), "and the bytes of 1 file.")
	s.must("rollback", "lantern", "--deployment", "1", "--yes")
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1", "--yes", "--thorough"), "and the bytes of 3 files.")
	require.Len(t, testbed.Files(testbed.Snapshot(t, root)), 3)
}

// A host that makes checksums itself: the bytes of every file are checked, and none is
// read back; the host's own log of transfers tells.
func TestAHostsChecksumsAreAskedFor(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartProFTPD(t), t.TempDir()
	s := start(t)
	s.env = []string{"RESTLESS_PASSWORD=" + d.Password}
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--ftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--root", root)
	require.Contains(t, s.must("server", "test", "lantern"), "It takes what is sent ahead of its answers, so fewer of them are waited for.")
	s.stage(many("1.0"))
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1.0", "--yes", "--thorough"), "Every size was checked, and the bytes of 201 files.")
	require.NotEmpty(t, d.Read(t, "/probe-"), "the log tells what is read")
	require.Empty(t, d.Read(t, "/in-"), "nothing was read back")
	require.Equal(t, onServer(many("1.0")), testbed.Files(testbed.Snapshot(t, root)))
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Empty(t, testbed.Files(testbed.Snapshot(t, root)))
}

// overBoth does a test over SFTP and over plain FTP, each with a service and a server of its own.
func overBoth(t *testing.T, does func(t *testing.T, s *service, root string)) {
	t.Run("SFTP", func(t *testing.T) {
		s, _, root := overSSH(t)
		s.trust()
		does(t, s, root)
	})
	t.Run("FTP", func(t *testing.T) {
		s, _, root := overFTP(t, testbed.FTPOptions{})
		does(t, s, root)
	})
}
