//go:build linux

package main

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"golang.org/x/crypto/ssh"
)

// Ports of the servers at the far end.
const (
	sshPort    = 2222
	ftpPort    = 2121
	ftpOnePort = 2122 // a server that allows one connection
)

// far is the servers at the far end of a link: a real sshd and a real vsftpd
// on the same folders.
type far struct {
	link *link
	dir  string
	cmds []*exec.Cmd
}

func startFar(l *link, dir string) (*far, error) {
	f := &far{link: l, dir: dir}
	if err := os.MkdirAll("/run/sshd", 0o755); err != nil {
		return nil, err
	}
	public, err := f.key("user_key")
	if err != nil {
		return nil, err
	}
	if _, err := f.key("host_key"); err != nil {
		return nil, err
	}
	ftpConf := func(port int, more string) string {
		return fmt.Sprintf("listen=YES\nlisten_address=%s\nlisten_port=%d\nbackground=NO\nrun_as_launching_user=YES\nftp_username=root\nanonymous_enable=YES\nlocal_enable=NO\nno_anon_password=YES\nanon_root=/\nwrite_enable=YES\nanon_upload_enable=YES\nanon_mkdir_write_enable=YES\nanon_other_write_enable=YES\nanon_world_readable_only=NO\nanon_umask=022\nconnect_from_port_20=NO\nseccomp_sandbox=NO\n%s",
			farAddr, port, more)
	}
	files := map[string]string{
		"authorized": public,
		"sshd.conf": fmt.Sprintf("Port %d\nListenAddress %s\nHostKey %s/host_key\nAuthorizedKeysFile %[3]s/authorized\nPidFile %[3]s/pid\nStrictModes no\nUsePAM no\nPermitRootLogin yes\nSubsystem sftp internal-sftp\n",
			sshPort, farAddr, dir),
		"ftpd.conf":     ftpConf(ftpPort, ""),
		"ftpd-one.conf": ftpConf(ftpOnePort, "max_per_ip=1\n"),
		"ssh.conf":      fmt.Sprintf("Host far\n  HostName %s\n  Port %d\n  User root\n  IdentityFile %s/user_key\n  StrictHostKeyChecking no\n  UserKnownHostsFile /dev/null\n  LogLevel ERROR\n  Compression no\n", farAddr, sshPort, dir),
	}
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			return nil, err
		}
	}
	for _, c := range []*exec.Cmd{l.inNamespace("/usr/sbin/sshd", "-D", "-e", "-f", filepath.Join(dir, "sshd.conf")), l.inNamespace("/usr/sbin/vsftpd", filepath.Join(dir, "ftpd.conf")), l.inNamespace("/usr/sbin/vsftpd", filepath.Join(dir, "ftpd-one.conf"))} {
		if err := c.Start(); err != nil {
			return nil, err
		}
		f.cmds = append(f.cmds, c)
	}
	for _, port := range []int{sshPort, ftpPort, ftpOnePort} {
		if err := answers(fmt.Sprintf("%s:%d", farAddr, port)); err != nil {
			f.Close()
			return nil, err
		}
	}
	return f, nil
}

func answers(addr string) (err error) {
	for range 200 {
		var c net.Conn
		if c, err = net.DialTimeout("tcp", addr, time.Second); err == nil {
			return c.Close()
		}
		time.Sleep(25 * time.Millisecond)
	}
	return err
}

// key writes a new private key and gives the public one.
func (f *far) key(name string) (string, error) {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return "", err
	}
	block, err := ssh.MarshalPrivateKey(private, "")
	if err != nil {
		return "", err
	}
	k, err := ssh.NewPublicKey(public)
	if err != nil {
		return "", err
	}
	return string(ssh.MarshalAuthorizedKey(k)), os.WriteFile(filepath.Join(f.dir, name), pem.EncodeToMemory(block), 0o600)
}

// Close ends the servers.
func (f *far) Close() {
	for _, c := range f.cmds {
		_ = c.Process.Kill()
		_ = c.Wait()
	}
}

// sh runs a shell line in which $C names the ssh configuration.
func (f *far) sh(format string, args ...any) (time.Duration, error) {
	cmd := exec.Command("bash", "-o", "pipefail", "-c", fmt.Sprintf(format, args...))
	cmd.Env = append(os.Environ(), "C="+filepath.Join(f.dir, "ssh.conf"))
	var out bytes.Buffer
	cmd.Stderr = &out
	begun := time.Now()
	err := cmd.Run()
	if err != nil {
		err = fmt.Errorf("%s: %w: %s", cmd.Args[4], err, out.String())
	}
	return time.Since(begun), err
}
