// Package standin simulates what the product works against and what cannot be
// had in a test or a demo: a rented host that gives SFTP and nothing else, and
// the made-up game servers on it. It ships with the product and imports
// nothing of it.
package standin

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"sync"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"
)

// Host is an SFTP server of our own on loopback, jailed in one folder.
type Host struct {
	User, Password string
	Port           int
	HostKey        ssh.PublicKey
	*disk

	listener net.Listener
	conf     *ssh.ServerConfig
	mu       sync.Mutex
	conns    map[net.Conn]bool
	wg       sync.WaitGroup
}

// StartHost serves the folder to one user with one password, on a free port
// of loopback, until Close.
func StartHost(folder, user, password string) (*Host, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, fmt.Errorf("open the stand-in's folder: %w", err)
	}
	h := &Host{User: user, Password: password, disk: &disk{root: root}, conns: map[net.Conn]bool{}}
	_, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, errors.Join(err, root.Close())
	}
	signer, err := ssh.NewSignerFromKey(private)
	if err != nil {
		return nil, errors.Join(err, root.Close())
	}
	h.HostKey = signer.PublicKey()
	h.conf = &ssh.ServerConfig{PasswordCallback: h.check}
	h.conf.AddHostKey(signer)
	if h.listener, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
		return nil, errors.Join(err, root.Close())
	}
	h.Port = h.listener.Addr().(*net.TCPAddr).Port
	h.wg.Add(1)
	go h.accept()
	return h, nil
}

// Fingerprint is the host key's, as OpenSSH prints it.
func (h *Host) Fingerprint() string { return ssh.FingerprintSHA256(h.HostKey) }

func (h *Host) check(c ssh.ConnMetadata, password []byte) (*ssh.Permissions, error) {
	if c.User() == h.User && subtle.ConstantTimeCompare(password, []byte(h.Password)) == 1 {
		return nil, nil
	}
	return nil, errors.New("wrong user or password")
}

// Close stops serving and ends every connection.
func (h *Host) Close() error {
	err := h.listener.Close()
	h.mu.Lock()
	for c := range h.conns {
		_ = c.Close()
	}
	h.mu.Unlock()
	h.wg.Wait()
	return errors.Join(err, h.root.Close())
}

func (h *Host) accept() {
	defer h.wg.Done()
	for {
		c, err := h.listener.Accept()
		if err != nil {
			return // closed
		}
		h.mu.Lock()
		h.conns[c] = true
		h.mu.Unlock()
		h.wg.Add(1)
		go func() {
			defer h.wg.Done()
			h.serve(c)
			h.mu.Lock()
			delete(h.conns, c)
			h.mu.Unlock()
			_ = c.Close()
		}()
	}
}

// serve speaks SSH on one connection. A client that breaks off is nobody's
// fault here.
func (h *Host) serve(c net.Conn) {
	_, channels, requests, err := ssh.NewServerConn(c, h.conf)
	if err != nil {
		return
	}
	go ssh.DiscardRequests(requests)
	for nc := range channels {
		if nc.ChannelType() != "session" {
			_ = nc.Reject(ssh.UnknownChannelType, "only SFTP is given here")
			continue
		}
		ch, asked, err := nc.Accept()
		if err != nil {
			return
		}
		h.wg.Add(1)
		go func() {
			defer h.wg.Done()
			h.session(ch, asked)
		}()
	}
}

func (h *Host) session(ch ssh.Channel, asked <-chan *ssh.Request) {
	defer ch.Close()
	for r := range asked {
		// The payload is the subsystem's name behind its length (RFC 4254, 6.5).
		sub := r.Type == "subsystem" && len(r.Payload) > 4 && string(r.Payload[4:]) == "sftp"
		if r.WantReply {
			_ = r.Reply(sub, nil)
		}
		if !sub {
			continue
		}
		t := &jail{h.disk}
		s := sftp.NewRequestServer(ch, sftp.Handlers{FileGet: t, FilePut: t, FileCmd: t, FileList: t})
		if err := s.Serve(); err != nil && !errors.Is(err, io.EOF) {
			_ = s.Close()
		}
		return
	}
}
