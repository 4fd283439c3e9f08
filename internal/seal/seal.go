// Package seal encrypts credentials for the database, with a key file that
// lies beside it. This protects a copied database, not a copied folder.
package seal

import (
	"bytes"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"

	"filippo.io/age"
)

// Sealer seals and opens with one key.
type Sealer struct {
	key *age.HybridIdentity
	mac []byte // derived from it
}

func sealer(key *age.HybridIdentity) (*Sealer, error) {
	mac, err := hkdf.Key(sha256.New, []byte(key.String()), nil, "restless-crate keyed hashes", sha256.Size)
	if err != nil {
		return nil, fmt.Errorf("derive a key: %w", err)
	}
	return &Sealer{key: key, mac: mac}, nil
}

// Keyed gives a hash of a secret for one purpose that is worth nothing without the
// key file: HMAC-SHA256 (RFC 2104) with a key derived by HKDF (RFC 5869), in
// hexadecimal.
func (s *Sealer) Keyed(purpose, secret string) string {
	h := hmac.New(sha256.New, s.mac)
	h.Write([]byte(purpose + "\x00" + secret))
	return hex.EncodeToString(h.Sum(nil))
}

// Open reads the key file, making it (mode 0600) if it is missing.
func Open(file string) (*Sealer, error) {
	raw, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		key, err := age.GenerateHybridIdentity()
		if err != nil {
			return nil, fmt.Errorf("make a key: %w", err)
		}
		f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if err != nil {
			return nil, fmt.Errorf("write the key file: %w", err)
		}
		_, err = f.WriteString(key.String() + "\n")
		if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
			return nil, fmt.Errorf("write the key file: %w", err)
		}
		return sealer(key)
	}
	if err != nil {
		return nil, fmt.Errorf("read the key file: %w", err)
	}
	key, err := age.ParseHybridIdentity(strings.TrimSpace(string(raw)))
	if err != nil {
		return nil, fmt.Errorf("the key file %s is damaged: %w", file, err)
	}
	return sealer(key)
}

// Seal encrypts plain.
func (s *Sealer) Seal(plain []byte) ([]byte, error) {
	var out bytes.Buffer
	w, err := age.Encrypt(&out, s.key.Recipient())
	if err != nil {
		return nil, fmt.Errorf("seal: %w", err)
	}
	if _, err := w.Write(plain); err != nil {
		return nil, fmt.Errorf("seal: %w", err)
	}
	if err := w.Close(); err != nil {
		return nil, fmt.Errorf("seal: %w", err)
	}
	return out.Bytes(), nil
}

// Unseal decrypts what Seal made with the same key.
func (s *Sealer) Unseal(sealed []byte) ([]byte, error) {
	r, err := age.Decrypt(bytes.NewReader(sealed), s.key)
	if err != nil {
		return nil, fmt.Errorf("a sealed credential cannot be opened with this data folder's key: %w", err)
	}
	return io.ReadAll(r)
}
