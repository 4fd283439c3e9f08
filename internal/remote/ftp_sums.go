package remote

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"net/textproto"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Summer is a host that makes checksums of its files itself.
type Summer interface {
	// SumsBy names the algorithm: SHA-256, MD5 or CRC32; empty where it makes none.
	SumsBy() string
	// Sum has the host make the checksum of a whole file.
	Sum(ctx context.Context, p tree.Path) ([]byte, error)
}

// sums is by which command an FTP host makes checksums, and by which algorithm: HASH is
// that of draft-bryan-ftpext-hash, the others are what servers have had before.
type sums struct{ command, by string }

// known are the commands for checksums, the best first.
var known = []sums{{"HASH", "SHA-256"}, {"XSHA256", "SHA-256"}, {"XMD5", "MD5"}, {"XCRC", "CRC32"}}

// sums finds out which checksums the host offers. One that does not tell offers none.
func (c *ftpConn) sums() sums {
	if c.ahead == nil {
		return sums{}
	}
	code, lines, err := c.ahead.ask("FEAT") // RFC 2389
	if err != nil || code != 211 {
		return sums{}
	}
	for _, k := range known {
		for _, line := range lines {
			word, about, _ := strings.Cut(strings.TrimSpace(line), " ")
			if word != k.command {
				continue
			}
			algorithms := strings.Split(strings.NewReplacer("*", "", " ", "").Replace(about), ";")
			if word != "HASH" || slices.Contains(algorithms, k.by) {
				return k
			}
		}
	}
	return sums{}
}

// SumsBy implements [Summer].
func (f *FTP) SumsBy() string { return f.sums.by }

// Sum implements [Summer].
func (f *FTP) Sum(ctx context.Context, p tree.Path) (sum []byte, err error) {
	if f.sums.command == "" {
		return nil, errors.New("the host makes no checksums")
	}
	err = f.op(ctx, "make a checksum of", p, func(c *ftpConn) error {
		if f.sums.command == "HASH" && !c.hashes {
			if _, err := c.answer("OPTS HASH "+f.sums.by, 200); err != nil {
				return err
			}
			c.hashes = true
		}
		name := f.name(p)
		if f.sums.command != "HASH" && strings.Contains(name, " ") {
			name = `"` + name + `"`
		}
		last, err := c.answer(f.sums.command+" "+name, 200, 213, 250)
		if err != nil {
			return err
		}
		words := strings.Fields(last)
		for i, w := range words { // its length tells it from what stands around it
			if f.sums.command == "HASH" && (i != 2 || words[0] != f.sums.by) {
				continue
			}
			if sum, err = hex.DecodeString(w); err == nil && len(sum) == lengths[f.sums.by] {
				return nil
			}
		}
		return fmt.Errorf("%w: %q holds none", errNoSum, last)
	})
	return sum, err
}

var errNoSum = errors.New("no checksum came")

// lengths are how long checksums are, in bytes.
var lengths = map[string]int{"SHA-256": 32, "MD5": 16, "CRC32": 4}

// answer makes a call and gives its answer's last line behind the code, which must be one
// of those that are wanted.
func (c *ftpConn) answer(command string, wanted ...int) (string, error) {
	code, lines, err := c.ahead.ask(command)
	if err != nil {
		return "", err
	}
	last := strings.TrimSpace(lines[len(lines)-1][3:])
	if !slices.Contains(wanted, code) {
		return "", &textproto.Error{Code: code, Msg: last}
	}
	return last, nil
}
