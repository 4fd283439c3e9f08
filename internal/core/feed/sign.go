package feed

import (
	"errors"

	"aead.dev/minisign"
)

// SignatureSuffix is what follows the address of a feed in that of its signature, as minisign
// names the files that it writes.
const SignatureSuffix = ".minisig"

// ErrSignature is returned for a feed that its key has not signed.
var ErrSignature = errors.New("the signature is not one of these bytes by the key that was given for the feed")

// ErrKey is returned for what is no public key.
var ErrKey = errors.New("it is no public key of minisign: one line that begins with RW")

// ParseKey reads a public key of minisign: the line alone, or its file with the comment above it.
func ParseKey(text string) (minisign.PublicKey, error) {
	var k minisign.PublicKey
	if err := k.UnmarshalText([]byte(text)); err != nil {
		return k, ErrKey
	}
	return k, nil
}

// Verify checks the signature of a feed, as a file of minisign has it.
func Verify(key string, raw, signature []byte) error {
	k, err := ParseKey(key)
	if err != nil {
		return err
	}
	if !minisign.Verify(k, raw, signature) {
		return ErrSignature
	}
	return nil
}
