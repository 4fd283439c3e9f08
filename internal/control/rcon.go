package control

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
)

// The console protocol that many game servers speak: packets of a length, an id,
// a kind and a text with two zero bytes behind it, little-endian. A long answer
// comes in several packets, and nothing in it says which is the last: an empty
// packet of another kind is sent behind the line, and what answers that one marks
// the end.
const (
	packetAnswer = 0
	packetLine   = 2
	packetSignIn = 3

	idSignIn = 1
	idLine   = 2
	idEnd    = 3

	longestPacket = 1 << 20
)

// ErrConsolePassword is returned where the console refuses the password.
var ErrConsolePassword = errors.New("the console refuses the password")

// console sends a line and gives the whole answer.
func (f *filling) console(ctx context.Context, line string) (string, error) {
	password, err := f.Secrets("rcon")
	if err != nil {
		return "", err
	}
	if password != "" {
		f.secrets["rcon"] = password
	}
	if err := oneLine(line); err != nil {
		return "", err
	}
	conn, err := new(net.Dialer).DialContext(ctx, "tcp", f.Spec.RCON)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	answer, err := converse(conn, password, line)
	if err != nil && ctx.Err() != nil {
		err = fmt.Errorf("the console gave no answer in time: %w", ctx.Err())
	}
	return answer, err
}

// converse signs in, sends a line, and reads its answer.
func converse(conn io.ReadWriter, password, line string) (string, error) {
	if err := writePacket(conn, idSignIn, packetSignIn, password); err != nil {
		return "", err
	}
	for {
		id, kind, _, err := readPacket(conn)
		if err != nil {
			return "", fmt.Errorf("sign in: %w", err)
		}
		if kind != packetLine { // some send an empty answer first
			continue
		}
		if id != idSignIn {
			return "", ErrConsolePassword
		}
		break
	}
	if line == "" {
		return "", nil
	}
	if err := errors.Join(writePacket(conn, idLine, packetLine, line), writePacket(conn, idEnd, packetAnswer, "")); err != nil {
		return "", err
	}
	var out strings.Builder
	for {
		id, _, text, err := readPacket(conn)
		if err != nil {
			return out.String(), fmt.Errorf("the line was lost before the whole answer was there: %w", err)
		}
		if id == idEnd {
			return out.String(), nil
		}
		if id == idLine {
			out.WriteString(text)
		}
	}
}

func readPacket(r io.Reader) (id, kind int32, text string, err error) {
	var head [4]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return 0, 0, "", err
	}
	size := binary.LittleEndian.Uint32(head[:])
	if size < 10 || size > longestPacket {
		return 0, 0, "", fmt.Errorf("a packet of %d bytes is none of this protocol", size)
	}
	body := make([]byte, size)
	if _, err := io.ReadFull(r, body); err != nil {
		return 0, 0, "", err
	}
	return int32(binary.LittleEndian.Uint32(body)), int32(binary.LittleEndian.Uint32(body[4:])), strings.TrimRight(string(body[8:]), "\x00"), nil
}

func writePacket(w io.Writer, id, kind int32, text string) error {
	raw := binary.LittleEndian.AppendUint32(nil, uint32(len(text)+10))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(id))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(kind))
	_, err := w.Write(append(append(raw, text...), 0, 0))
	return err
}
