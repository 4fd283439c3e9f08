// Package seal encrypts credentials for the database, with a key file that
// lies beside it. This protects a copied database, not a copied folder.
package seal

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"

	"filippo.io/age"
)

// Sealer seals and opens with one key.
type Sealer struct{ key *age.HybridIdentity }

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
		return &Sealer{key: key}, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the key file: %w", err)
	}
	key, err := age.ParseHybridIdentity(strings.TrimSpace(string(raw)))
	if err != nil {
		return nil, fmt.Errorf("the key file %s is damaged: %w", file, err)
	}
	return &Sealer{key: key}, nil
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
