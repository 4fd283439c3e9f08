package testbed

import (
	"crypto/rand"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"
)

// ProFTPD is a running ProFTPD, which makes checksums of its files. A root is a whole
// path.
type ProFTPD struct {
	Port           int
	User, Password string
	transfers      string // the file in which it notes every file that was sent or read
}

// Read lists the files that were read from the server so far, of those whose paths hold
// some text.
func (s *ProFTPD) Read(t testing.TB, holds string) (out []string) {
	t.Helper()
	raw, err := os.ReadFile(s.transfers)
	require.NoError(t, err)
	for line := range strings.Lines(string(raw)) {
		if strings.Contains(line, holds) && strings.Contains(line, " b _ o ") { // binary, as it is, outgoing
			out = append(out, line)
		}
	}
	return out
}

// StartProFTPD starts a ProFTPD for the user who runs the test. make setup unpacks it: it
// cannot be installed beside vsftpd.
func StartProFTPD(t testing.TB) *ProFTPD {
	t.Helper()
	at, err := filepath.Abs("../../bin/proftpd")
	require.NoError(t, err)
	program := filepath.Join(at, "usr/sbin/proftpd")
	if _, err := os.Stat(program); err != nil {
		Skip(t, "there is no unpacked proftpd; make setup unpacks it")
	}
	me, err := user.Current()
	require.NoError(t, err)
	group, err := user.LookupGroupId(me.Gid)
	require.NoError(t, err)
	dir := t.TempDir()
	s := &ProFTPD{Port: FreePort(t), User: "keeper", Password: rand.Text(), transfers: filepath.Join(dir, "transfers")}
	secret, err := bcrypt.GenerateFromPassword([]byte(s.Password), bcrypt.MinCost)
	require.NoError(t, err)
	Write(t, filepath.Join(dir, "passwords"), fmt.Sprintf("%s:%s:%s:%s::/:/bin/sh\n", s.User, secret, me.Uid, me.Gid))
	require.NoError(t, os.Chmod(filepath.Join(dir, "passwords"), 0o600))
	Write(t, filepath.Join(dir, "conf"), fmt.Sprintf(`ServerType standalone
DefaultServer on
Port %[1]d
DefaultAddress 127.0.0.1
UseReverseDNS off
UseIPv6 off
User %[2]s
Group %[3]s
PidFile %[4]s/pid
ScoreboardFile %[4]s/board
DelayEngine off
WtmpLog off
RootLogin on
RequireValidShell off
AuthOrder mod_auth_file.c
AuthUserFile %[4]s/passwords
AllowOverwrite on
AllowStoreRestart on
TransferLog %[4]s/transfers
SystemLog %[4]s/log
ModulePath %[5]s/usr/lib/proftpd
LoadModule mod_digest.c
DigestEngine on
`, s.Port, me.Username, group.Name, dir, at))
	cmd := exec.Command(program, "-n", "-c", filepath.Join(dir, "conf"))
	libraries, err := filepath.Glob(filepath.Join(at, "usr/lib/*-linux-gnu*"))
	require.NoError(t, err)
	require.NotEmpty(t, libraries)
	cmd.Env = append(os.Environ(), "LD_LIBRARY_PATH="+libraries[0])
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { end(cmd) })
	answers(t, "proftpd", loopback(s.Port))
	return s
}
