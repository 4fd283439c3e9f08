package game

import (
	"encoding/binary"
	"errors"
	"io"
	"net"
	"sync"
)

// console answers the console protocol that many game servers speak: packets of
// a length, an id, a kind and a text, all little-endian, the text behind with two
// zero bytes. Long answers come in pieces.
type console struct {
	l        net.Listener
	password string
	answer   func(string) string
	mu       sync.Mutex
	conns    map[net.Conn]bool
	wg       sync.WaitGroup
}

// Kinds of packet.
const (
	packetAnswer = 0
	packetLine   = 2
	packetSignIn = 3
	longest      = 4096
)

func listenConsole(address, password string, answer func(string) string) (*console, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	c := &console{l: l, password: password, answer: answer, conns: map[net.Conn]bool{}}
	c.wg.Add(1)
	go func() {
		defer c.wg.Done()
		for {
			conn, err := l.Accept()
			if err != nil {
				return // closed
			}
			c.mu.Lock()
			c.conns[conn] = true
			c.mu.Unlock()
			c.wg.Add(1)
			go func() {
				defer c.wg.Done()
				c.serve(conn)
				c.mu.Lock()
				delete(c.conns, conn)
				c.mu.Unlock()
			}()
		}
	}()
	return c, nil
}

// Close ends all conversations.
func (c *console) Close() error {
	err := c.l.Close()
	c.mu.Lock()
	for conn := range c.conns {
		_ = conn.Close()
	}
	c.mu.Unlock()
	c.wg.Wait()
	return err
}

func (c *console) serve(conn net.Conn) {
	defer conn.Close()
	known := false
	for {
		id, kind, text, err := readPacket(conn)
		if err != nil {
			return
		}
		switch {
		case kind == packetSignIn:
			known = text == c.password
			if !known {
				id = -1
			}
			err = writePacket(conn, id, packetLine, "")
		case !known:
			return
		case kind == packetLine:
			answer := c.answer(text)
			for first := true; err == nil && (first || answer != ""); first = false {
				n := min(len(answer), longest)
				err = writePacket(conn, id, packetAnswer, answer[:n])
				answer = answer[n:]
			}
		default: // an empty one marks the end of the answer before
			err = writePacket(conn, id, packetAnswer, "")
		}
		if err != nil {
			return
		}
	}
}

func readPacket(r io.Reader) (id, kind int32, text string, err error) {
	var head [12]byte
	if _, err := io.ReadFull(r, head[:4]); err != nil {
		return 0, 0, "", err
	}
	size := binary.LittleEndian.Uint32(head[:4])
	if size < 10 || size > 1<<20 {
		return 0, 0, "", errors.New("no such packet")
	}
	body := make([]byte, size)
	if _, err := io.ReadFull(r, body); err != nil {
		return 0, 0, "", err
	}
	return int32(binary.LittleEndian.Uint32(body)), int32(binary.LittleEndian.Uint32(body[4:])), string(body[8 : size-2]), nil
}

func writePacket(w io.Writer, id, kind int32, text string) error {
	raw := binary.LittleEndian.AppendUint32(nil, uint32(len(text)+10))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(id))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(kind))
	_, err := w.Write(append(append(raw, text...), 0, 0))
	return err
}
