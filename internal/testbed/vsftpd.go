package testbed

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// VSFTPD is a running vsftpd. It knows no chroot, so a root is a whole path.
type VSFTPD struct {
	Port           int
	User, Password string
	dir            string
	cmd            *exec.Cmd
}

// FTPOptions say how a vsftpd is set up.
type FTPOptions struct {
	TLS         bool
	Connections int // that it allows from one address; 0: any number
}

// StartVSFTPD starts a vsftpd for the user who runs the test.
func StartVSFTPD(t testing.TB, o FTPOptions) *VSFTPD {
	t.Helper()
	if runtime.GOOS == "windows" {
		Skip(t, "there is no vsftpd")
	}
	Need(t, "vsftpd", "vsftpd")
	me, err := user.Current()
	require.NoError(t, err)
	s := &VSFTPD{Port: FreePort(t), User: "anonymous", Password: "reed-and-tide", dir: t.TempDir()}
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "passwords"), []byte(s.Password+"\n"), 0o600))
	conf := fmt.Sprintf(`listen=YES
listen_address=127.0.0.1
listen_port=%d
background=NO
run_as_launching_user=YES
ftp_username=%s
anonymous_enable=YES
local_enable=NO
secure_email_list_enable=YES
email_password_file=%s/passwords
anon_root=/
write_enable=YES
anon_upload_enable=YES
anon_mkdir_write_enable=YES
anon_other_write_enable=YES
anon_world_readable_only=NO
anon_umask=022
connect_from_port_20=NO
seccomp_sandbox=NO
`, s.Port, me.Username, s.dir)
	if o.Connections > 0 {
		conf += fmt.Sprintf("max_per_ip=%d\n", o.Connections)
	}
	if o.TLS {
		s.certificate(t)
		conf += fmt.Sprintf(`ssl_enable=YES
allow_anon_ssl=YES
force_anon_data_ssl=YES
force_anon_logins_ssl=YES
rsa_cert_file=%[1]s/cert.pem
rsa_private_key_file=%[1]s/key.pem
`, s.dir)
	}
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "conf"), []byte(conf), 0o600))
	s.start(t)
	t.Cleanup(s.Stop)
	return s
}

func (s *VSFTPD) start(t testing.TB) {
	t.Helper()
	s.cmd = exec.Command(Need(t, "vsftpd", "vsftpd"), filepath.Join(s.dir, "conf"))
	s.cmd.Stdout, s.cmd.Stderr = os.Stderr, os.Stderr
	require.NoError(t, s.cmd.Start())
	answers(t, "vsftpd", s.Addr())
}

// Addr is HOST:PORT.
func (s *VSFTPD) Addr() string { return loopback(s.Port) }

// Stop ends the server and its connections.
func (s *VSFTPD) Stop() {
	if s.cmd == nil {
		return
	}
	end(s.cmd)
	s.cmd = nil
}

// Cut ends every connection and leaves the server running.
func (s *VSFTPD) Cut() { cut(s.cmd.Process.Pid) }

// Restart starts a stopped server again on the same port.
func (s *VSFTPD) Restart(t testing.TB) {
	t.Helper()
	s.Stop()
	s.start(t)
}

// ChangeCertificate restarts the server with another certificate.
func (s *VSFTPD) ChangeCertificate(t testing.TB) {
	t.Helper()
	s.Stop()
	s.certificate(t)
	s.start(t)
}

// certificate writes a new self-signed certificate, as hosts do.
func (s *VSFTPD) certificate(t testing.TB) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: "reedbank"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour)}
	raw, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	for name, block := range map[string]*pem.Block{"cert.pem": {Type: "CERTIFICATE", Bytes: raw}, "key.pem": {Type: "PRIVATE KEY", Bytes: secret}} {
		require.NoError(t, os.WriteFile(filepath.Join(s.dir, name), pem.EncodeToMemory(block), 0o600))
	}
}
