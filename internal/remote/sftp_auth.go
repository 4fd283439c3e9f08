package remote

import (
	"errors"
	"fmt"
	"net"
	"strings"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"
)

// auth gives the ways to sign in. What they hold open is closed by the function.
func (t SFTPTarget) auth() ([]ssh.AuthMethod, func(), error) {
	none := func() {}
	switch {
	case len(t.Key) > 0:
		signer, err := ssh.ParsePrivateKey(t.Key)
		var locked *ssh.PassphraseMissingError
		if errors.As(err, &locked) {
			if len(t.Passphrase) == 0 {
				return nil, none, errors.New("the key file is encrypted and no passphrase was given")
			}
			signer, err = ssh.ParsePrivateKeyWithPassphrase(t.Key, t.Passphrase)
		}
		if err != nil {
			return nil, none, fmt.Errorf("the key file cannot be used: %w", err)
		}
		return []ssh.AuthMethod{ssh.PublicKeys(signer)}, none, nil
	case t.Agent != "":
		conn, err := net.Dial("unix", t.Agent)
		if err != nil {
			return nil, none, fmt.Errorf("the service's agent does not answer: %w", err)
		}
		return []ssh.AuthMethod{ssh.PublicKeysCallback(agent.NewClient(conn).Signers)}, func() { conn.Close() }, nil
	case t.Password != "":
		answer := func(_, _ string, questions []string, _ []bool) ([]string, error) {
			out := make([]string, len(questions))
			for i := range out {
				out[i] = t.Password
			}
			return out, nil
		}
		return []ssh.AuthMethod{ssh.Password(t.Password), ssh.KeyboardInteractive(answer)}, none, nil
	}
	return nil, none, errors.New("no key, agent or password is known for it")
}

func (t SFTPTarget) tried() string {
	switch {
	case len(t.Key) > 0:
		return "it does not take this key"
	case t.Agent != "":
		return "it takes none of the agent's keys"
	}
	return "it does not take this password"
}

func checkKey(confirmed string, offered ssh.PublicKey) *HostKeyError {
	e := &HostKeyError{Fingerprint: ssh.FingerprintSHA256(offered), Offered: strings.TrimSpace(string(ssh.MarshalAuthorizedKey(offered)))}
	if confirmed == "" {
		return e
	}
	if strings.TrimSpace(confirmed) == e.Offered {
		return nil
	}
	e.Changed = true
	e.Expected, _ = Fingerprint(confirmed)
	return e
}

// Fingerprint is the SHA-256 fingerprint of a key in authorized-keys form, or
// of a certificate as [HostKeyError] offers it.
func Fingerprint(key string) (string, error) {
	if print, ok := strings.CutPrefix(key, certForm); ok {
		return print, nil
	}
	k, _, _, _, err := ssh.ParseAuthorizedKey([]byte(key))
	if err != nil {
		return "", err
	}
	return ssh.FingerprintSHA256(k), nil
}

// algorithmsOf asks the host for the kind of key that was confirmed, so that a
// host with several does not look changed.
func algorithmsOf(confirmed string) []string {
	k, _, _, _, err := ssh.ParseAuthorizedKey([]byte(confirmed))
	if err != nil {
		return nil
	}
	if k.Type() == ssh.KeyAlgoRSA {
		return []string{ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256}
	}
	return []string{k.Type()}
}
