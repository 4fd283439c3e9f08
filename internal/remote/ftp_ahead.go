package remote

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/core/tree"
)

// ahead is a plain control connection on which what need not wait is sent ahead. A file
// that is stored costs five round trips: asking for a port, connecting to it, the command
// with its first answer, and the end, for which hosts wait until our side has taken their
// good-bye. Two of them only wait for an answer that is known already:
//
//   - The next port is asked for together with the command that stores, reads or lists.
//     Its answer comes with the last one to that, and is kept until it is asked for.
//   - The first bytes of a file are sent with the command. The first answer to that, which
//     says that bytes may come, is told at once in the host's stead.
//
// Where on is not set, it is a plain control connection that can be asked more than the
// library asks.
//
// A host reads its commands in order (RFC 959, 5.4), but not every one keeps what it has
// read too early, so a test proves it first; see [FTP.ProveAhead]. What the host says no
// to is told as its last answer, after at most [unasked] bytes.
type ahead struct {
	net.Conn
	on bool

	mu       sync.Mutex
	from     *bufio.Reader // what the host says
	out      bytes.Buffer  // answers that have not been read yet
	busy     bool          // the last answer to a transfer is yet to come
	told     bool          // its first answer was told in the host's stead
	first    bool          // its first answer has come, or its last
	asked    bool          // a port was asked for ahead, and the answer is yet to come
	port     []byte        // the answer
	wantPort bool          // it is waited for
}

// unasked is how many bytes of a file are sent before the host has said that it takes
// them: they fit into the buffers of a connection that nobody reads.
const unasked = 16 << 10

// longestLine is how long one line of an answer may be, in bytes.
const longestLine = 64 << 10

func newAhead(c net.Conn, on bool) *ahead {
	return &ahead{Conn: c, on: on, from: bufio.NewReaderSize(c, longestLine)}
}

// Write sends one command.
func (a *ahead) Write(command []byte) (int, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	switch {
	case bytes.Equal(command, []byte("EPSV\r\n")) && a.port != nil:
		a.out.Write(a.port)
		a.port = nil
		return len(command), nil
	case bytes.Equal(command, []byte("EPSV\r\n")) && a.asked:
		a.wantPort = true
		return len(command), nil
	case !a.on || !transfers(command) || a.asked || a.port != nil:
		return a.Conn.Write(command)
	}
	if _, err := a.Conn.Write(append(bytes.Clone(command), "EPSV\r\n"...)); err != nil {
		return 0, err
	}
	a.busy, a.told, a.first, a.asked = true, bytes.HasPrefix(command, []byte("STOR ")), false, true
	if a.told {
		a.out.WriteString("150 sent ahead\r\n")
	}
	return len(command), nil
}

// transfers tells whether a command needs a data connection.
func transfers(command []byte) bool {
	word, _, _ := bytes.Cut(bytes.TrimSuffix(command, []byte("\r\n")), []byte(" "))
	switch string(word) {
	case "STOR", "RETR", "LIST", "MLSD":
		return true
	}
	return false
}

// Read gives the answers in the order in which they were asked for.
func (a *ahead) Read(p []byte) (int, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for a.out.Len() == 0 {
		if err := a.next(); err != nil {
			return 0, err
		}
	}
	return a.out.Read(p)
}

// ask makes a call that the library does not know, while it makes none. It gives the
// code and the last line of the answer, or all of its lines where that is a list.
func (a *ahead) ask(command string) (code int, lines []string, err error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if _, err := io.WriteString(a.Conn, command+"\r\n"); err != nil {
		return 0, nil, err
	}
	for a.out.Len() == 0 {
		if err := a.next(); err != nil {
			return 0, nil, err
		}
	}
	lines = strings.Split(strings.TrimRight(a.out.String(), "\r\n"), "\n")
	a.out.Reset()
	last := lines[len(lines)-1]
	if len(last) < 3 {
		return 0, nil, fmt.Errorf("%q is no answer", last)
	}
	code, err = strconv.Atoi(last[:3])
	return code, lines, err
}

// next takes one answer of the host's to where it belongs. It is called with mu held.
func (a *ahead) next() error {
	answer, err := readAnswer(a.from)
	if err != nil {
		return err
	}
	switch {
	case a.busy && answer[0] == '1':
		a.first = true
		if !a.told {
			a.out.Write(answer)
		}
		a.told = false // a second one is its own
	case a.busy:
		a.busy, a.first = false, true
		a.out.Write(answer)
	case a.asked:
		a.asked = false
		if a.wantPort {
			a.out.Write(answer)
			a.wantPort = false
		} else {
			a.port = answer
		}
	default:
		a.out.Write(answer)
	}
	return nil
}

// errRefusedAhead ends the sending of a file that the host does not take.
var errRefusedAhead = errors.New("the host does not take it")

// taken waits until the host has said whether it takes the file that is being stored.
func (a *ahead) taken() error {
	a.mu.Lock()
	defer a.mu.Unlock()
	for a.busy && !a.first {
		if err := a.next(); err != nil {
			return err
		}
	}
	if !a.busy {
		return errRefusedAhead
	}
	return nil
}

// readAnswer reads a whole answer, which may go over several lines (RFC 959, 4.2).
func readAnswer(r *bufio.Reader) ([]byte, error) {
	var answer []byte
	var code []byte
	for {
		line, err := r.ReadSlice('\n')
		if err != nil {
			return nil, err // a line that is longer than the buffer is one too
		}
		answer = append(answer, line...)
		if len(answer) > longestReply {
			return nil, errors.New("the host's answer does not end")
		}
		switch {
		case code == nil && len(line) > 3 && line[3] == '-':
			code = bytes.Clone(line[:3])
		case code == nil, bytes.HasPrefix(line, code) && len(line) > 3 && line[3] == ' ':
			return answer, nil
		}
	}
}

// aheadData is a data connection whose first bytes are sent before the host has said
// that it takes them.
type aheadData struct {
	net.Conn
	control *ahead
	sent    int
	asked   bool
}

func (d *aheadData) Write(p []byte) (n int, err error) {
	for len(p) > 0 {
		some := p
		if !d.asked {
			if d.sent >= unasked {
				if err := d.control.taken(); err != nil {
					return n, err
				}
				d.asked = true
				continue
			}
			some = p[:min(len(p), unasked-d.sent)]
		}
		m, err := d.Conn.Write(some)
		n, d.sent, p = n+m, d.sent+m, p[m:]
		if err != nil {
			return n, err
		}
	}
	return n, nil
}

// How long a host may take to show what it makes of what is sent ahead: so many times
// what signing in took, within these bounds.
const (
	provingTimes = 20
	provingLeast = 2 * time.Second
	provingMost  = 15 * time.Second
)

// ProveAhead tries in a folder whether the host takes what is sent ahead: files of
// several lengths, and one that it must refuse, each behind the other on one connection,
// arrive as they were sent. It gives the files that it may have left. A host that does
// not, in time, is one that waits for its answers; that is no error.
func (f *FTP) ProveAhead(ctx context.Context, folder tree.Path) (ok bool, left []tree.Path) {
	if f.t.TLS {
		return false, nil // the control connection is wrapped already when we get it
	}
	t := f.t
	t.Ahead, t.Connections = true, 1
	begun := time.Now()
	h, err := OpenFTP(ctx, t)
	if err != nil {
		return false, nil
	}
	defer h.Close()
	ctx, stop := context.WithTimeout(ctx, min(max(provingTimes*time.Since(begun), provingLeast), provingMost))
	defer stop()
	for i, n := range []int{50, 0, 3 * unasked, 1, unasked} {
		if i == 3 && putAll(ctx, h, folder.Join("probe-none/x"), []byte("x")) == nil {
			return false, append(left, folder.Join("probe-none/x")) // it says yes to what cannot be
		}
		at := folder.Join(tree.Path(fmt.Sprintf("probe-h%d", i)))
		want := bytes.Repeat([]byte("ahead of its answer\n"), n/20+1)[:n]
		left = append(left, at)
		if err := putAll(ctx, h, at, want); err != nil {
			return false, left
		}
		r, err := h.Open(ctx, at)
		if err != nil {
			return false, left
		}
		got, err := io.ReadAll(io.LimitReader(r, int64(n)+1))
		if errors.Join(err, r.Close()) != nil || !bytes.Equal(got, want) {
			return false, left
		}
	}
	_, err = h.List(ctx, folder)
	return err == nil, left
}

func putAll(ctx context.Context, h Host, at tree.Path, text []byte) error {
	w, err := h.Create(ctx, at, 0o640)
	if err != nil {
		return err
	}
	_, err = w.Write(text)
	return errors.Join(err, w.Close())
}
