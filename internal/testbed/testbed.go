// Package testbed starts real servers for tests: an OpenSSH sshd with its own
// configuration, keys and port. A test that cannot have one skips and says
// what is missing; with CI=true that is a failure.
package testbed

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	_ "embed"
	"encoding/pem"
	"fmt"
	mathrand "math/rand/v2"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
)

// Need gives the path of a program, or skips the test, naming the package
// that brings it.
func Need(t testing.TB, program, debian string) string {
	t.Helper()
	for _, dir := range []string{"/usr/sbin/", "/usr/bin/"} {
		if _, err := os.Stat(dir + program); err == nil {
			return dir + program
		}
	}
	Skip(t, fmt.Sprintf("%s is not here; Debian's package %s brings it", program, debian))
	return ""
}

// Skip skips the test, or fails it where CI=true.
func Skip(t testing.TB, why string) {
	t.Helper()
	if os.Getenv("CI") == "true" {
		t.Fatalf("with CI=true nothing is skipped: %s", why)
	}
	t.Skip(why)
}

// Eventually polls until done returns true.
func Eventually(t testing.TB, what string, done func() bool) {
	t.Helper()
	for deadline := time.Now().Add(time.Minute); ; {
		began := time.Now()
		if done() {
			return
		}
		if time.Now().After(deadline) {
			t.Fatalf("it never came to pass: %s", what)
		}
		// A look that takes long, such as a command, leaves what it waits for as long a time.
		time.Sleep(max(2*time.Millisecond, min(time.Since(began), 100*time.Millisecond)))
	}
}

// ports are those that this process has given out.
var ports sync.Map

// FreePort gives a port on loopback that nothing listens on, to each caller another
// one. It lies below those that a system takes for its own end of a connection, so
// that none is taken before the caller listens.
func FreePort(t testing.TB) int {
	t.Helper()
	for range 1000 {
		port := 12000 + mathrand.IntN(20000)
		if _, given := ports.LoadOrStore(port, true); given {
			continue
		}
		if l, err := net.Listen("tcp", loopback(port)); err == nil {
			require.NoError(t, l.Close())
			return port
		}
	}
	t.Fatal("no port is free")
	return 0
}

// SSHD is a running OpenSSH server.
type SSHD struct {
	Port    int
	User    string
	KeyFile string // signs User in
	Key     []byte // its content
	HostKey string // in authorized-keys form
	dir     string
	cmd     *exec.Cmd
	log     bytes.Buffer
}

// StartSSHD starts an sshd with internal-sftp for the user who runs the test. more
// are further lines of its configuration. What runs there has a home of its own: what a person's
// shell does when it starts is no part of a test, and may take a minute.
func StartSSHD(t testing.TB, more ...string) *SSHD {
	t.Helper()
	if runtime.GOOS == "windows" {
		Skip(t, "there is no OpenSSH sshd of the kind that these tests drive")
	}
	program := Need(t, "sshd", "openssh-server")
	me, err := user.Current()
	require.NoError(t, err)
	if me.Uid == "0" {
		require.NoError(t, os.MkdirAll("/run/sshd", 0o755)) // sshd insists on it
	}
	s := &SSHD{Port: FreePort(t), User: me.Username, dir: t.TempDir()}
	s.KeyFile = filepath.Join(s.dir, "user_key")
	authorized := NewKey(t, s.KeyFile)
	s.Key, err = os.ReadFile(s.KeyFile)
	require.NoError(t, err)
	s.HostKey = NewKey(t, filepath.Join(s.dir, "host_key"))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "authorized"), []byte(authorized), 0o600))
	conf := fmt.Sprintf(`Port %d
ListenAddress 127.0.0.1
HostKey %[2]s/host_key
AuthorizedKeysFile %[2]s/authorized
PidFile %[2]s/pid
StrictModes no
SetEnv HOME=%[2]s
UsePAM no
PasswordAuthentication yes
PermitRootLogin yes
%[3]s
MaxStartups 100
%[4]s
`, s.Port, s.dir, subsystem(more), strings.Join(more, "\n"))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "conf"), []byte(conf), 0o600))
	s.start(t, program)
	t.Cleanup(s.Stop)
	return s
}

// subsystem is the line that gives SFTP, where more brings none of its own.
func subsystem(more []string) string {
	for _, line := range more {
		if strings.HasPrefix(line, "Subsystem ") {
			return ""
		}
	}
	return "Subsystem sftp internal-sftp"
}

// StartEvilSSHD starts an sshd whose SFTP is a hostile one: below a folder evil/NAME it
// misbehaves as NAME says (names, endlist, bigname, endfile, endlog, silent, lielink),
// elsewhere it is an ordinary server.
func StartEvilSSHD(t testing.TB) *SSHD {
	t.Helper()
	Need(t, "python3", "python3")
	program := filepath.Join(t.TempDir(), "evil-subsystem")
	require.NoError(t, os.WriteFile(program, evil, 0o755))
	return StartSSHD(t, "Subsystem sftp "+program)
}

//go:embed evil/subsystem.py
var evil []byte

func (s *SSHD) start(t testing.TB, program string) {
	s.cmd = exec.Command(program, "-D", "-e", "-f", filepath.Join(s.dir, "conf"))
	s.cmd.Stderr = &s.log
	require.NoError(t, s.cmd.Start())
	answers(t, "sshd", s.Addr())
}

// answers waits until something listens.
func answers(t testing.TB, what, addr string) {
	t.Helper()
	Eventually(t, what+" answers", func() bool {
		c, err := net.Dial("tcp", addr)
		if err == nil {
			c.Close()
		}
		return err == nil
	})
}

// Addr is HOST:PORT.
func (s *SSHD) Addr() string { return loopback(s.Port) }

func loopback(port int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(port)) }

// Stop ends the server and all its connections.
func (s *SSHD) Stop() {
	if s.cmd == nil {
		return
	}
	end(s.cmd)
	s.cmd = nil
}

// ChangeHostKey restarts the server with another key.
func (s *SSHD) ChangeHostKey(t testing.TB) {
	t.Helper()
	s.Stop()
	s.HostKey = NewKey(t, filepath.Join(s.dir, "host_key"))
	s.start(t, Need(t, "sshd", "openssh-server"))
}

// NewKey writes a new private key and gives the public one.
func NewKey(t testing.TB, file string) string {
	t.Helper()
	public, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	block, err := ssh.MarshalPrivateKey(private, "")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(block), 0o600))
	key, err := ssh.NewPublicKey(public)
	require.NoError(t, err)
	return string(ssh.MarshalAuthorizedKey(key))
}

// KillSessions cuts every connection to the server and leaves it running.
func KillSessions(t testing.TB, s *SSHD) {
	t.Helper()
	cut(s.cmd.Process.Pid)
}

// Restart starts a stopped server again, with the same keys and port.
func (s *SSHD) Restart(t testing.TB) {
	t.Helper()
	s.Stop()
	s.start(t, Need(t, "sshd", "openssh-server"))
}

// Freeze stops a server's connections without cutting them: they answer
// nothing until Thaw.
func Freeze(t testing.TB, s *SSHD) { signal(t, s.cmd, "-STOP") }

// Hang is Freeze for a whole server: new connections are answered nothing either.
func Hang(t testing.TB, s *SSHD) {
	t.Helper()
	require.NoError(t, exec.Command("kill", "-STOP", strconv.Itoa(s.cmd.Process.Pid)).Run())
	Freeze(t, s)
}

// Thaw lets a server and its connections go on.
func Thaw(t testing.TB, s *SSHD) {
	t.Helper()
	signal(t, s.cmd, "-CONT")
	require.NoError(t, exec.Command("kill", "-CONT", strconv.Itoa(s.cmd.Process.Pid)).Run())
}
