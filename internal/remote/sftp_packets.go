package remote

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"restlesscrate/internal/core/tree"
)

// Types of packets.
const (
	fxpInit    = 1
	fxpVersion = 2
	fxpOpen    = 3
	fxpClose   = 4
	fxpRead    = 5
	fxpOpendir = 11
	fxpReaddir = 12
	fxpStatus  = 101
	fxpHandle  = 102
	fxpData    = 103
	fxpName    = packetName
)

// Codes of a status.
const (
	fxEOF        = 1
	fxNoSuchFile = 2
	fxDenied     = 3
)

// statusOf is a refusal as an error; [io.EOF] at the end of a listing.
func statusOf(p packet) error {
	if p.kind != fxpStatus || len(p.body) < 4 {
		return fmt.Errorf("the host answered with %d", p.kind)
	}
	code := binary.BigEndian.Uint32(p.body)
	switch code {
	case fxEOF:
		return io.EOF
	case fxNoSuchFile:
		return fs.ErrNotExist
	case fxDenied:
		return fs.ErrPermission
	}
	said, _, _ := cutText(p.body[4:])
	return &refusedError{code, said}
}

// refusedError is a refusal of which the protocol says no more than that.
type refusedError struct {
	code uint32
	said string
}

func (e *refusedError) Error() string {
	return fmt.Sprintf("the host refused: %s (%d)", e.said, e.code)
}

// cutText takes a text off a packet.
func cutText(p []byte) (text string, rest []byte, ok bool) {
	if len(p) < 4 {
		return "", nil, false
	}
	n := binary.BigEndian.Uint32(p)
	if uint64(n) > uint64(len(p)-4) {
		return "", nil, false
	}
	return string(p[4 : 4+n]), p[4+n:], true
}

// Flags of attributes, and the kinds of things in permission bits.
const (
	attrSize     = 1
	attrIDs      = 2
	attrMode     = 4
	attrTimes    = 8
	attrExtended = 1 << 31

	kindOf     = 0o170000
	kindFolder = 0o040000
	kindFile   = 0o100000
)

// appendNames reads a piece of a listing.
func appendNames(out []Info, p []byte) ([]Info, error) {
	bad := errors.New("the host sent a listing that cannot be read")
	if len(p) < 4 {
		return nil, bad
	}
	n := binary.BigEndian.Uint32(p)
	p = p[4:]
	number := func(size int) (v uint64, ok bool) {
		if len(p) < size {
			return 0, false
		}
		for _, b := range p[:size] {
			v = v<<8 | uint64(b)
		}
		p = p[size:]
		return v, true
	}
	for range n {
		name, rest, ok := cutText(p)
		if ok {
			_, p, ok = cutText(rest) // the line that people read
		}
		flags, ok2 := number(4)
		if !ok || !ok2 {
			return nil, bad
		}
		var size, mode, modified uint64
		have := true
		take := func(v *uint64, length int) {
			x, ok := number(length)
			have = have && ok
			*v = x
		}
		var skipped uint64
		if flags&attrSize != 0 {
			take(&size, 8)
		}
		if flags&attrIDs != 0 {
			take(&skipped, 8)
		}
		if flags&attrMode != 0 {
			take(&mode, 4)
		}
		if flags&attrTimes != 0 {
			take(&skipped, 4)
			take(&modified, 4)
		}
		if flags&attrExtended != 0 {
			var more uint64
			take(&more, 4)
			for range min(more, 64) {
				var ok1, ok2 bool
				if _, p, ok1 = cutText(p); ok1 {
					_, p, ok2 = cutText(p)
				}
				have = have && ok1 && ok2
			}
		}
		if !have {
			return nil, bad
		}
		if name == "." || name == ".." {
			continue
		}
		i := Info{Name: name, Modified: int64(modified) * 1000, Mode: uint32(mode & 0o777), Being: tree.Foreign}
		switch mode & kindOf {
		case kindFolder:
			i.Being = tree.Folder
		case kindFile:
			i.Being, i.Size = tree.Content, int64(size)
		}
		i.checkName()
		out = append(out, i)
	}
	return out, nil
}
