package e2e

import (
	"crypto/rand"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// line is a line to a service that can be held, cut and let go on.
type line struct {
	net.Listener
	mu    sync.Mutex
	open  []net.Conn
	held  chan struct{} // closed where bytes go
	after int64         // of how many bytes of one connection on they are held
	deny  string        // an upload whose name holds this finds no line
	asked []string      // the uploads that were asked for
}

// lineTo forwards connections to a service.
func lineTo(t *testing.T, s *service) *line {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	going := make(chan struct{})
	close(going)
	ln := &line{Listener: l, held: going, after: 1 << 20}
	t.Cleanup(func() { _ = l.Close(); ln.goOn(); ln.cut() })
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", s.port))
			if err != nil {
				_ = from.Close()
				continue
			}
			ln.mu.Lock()
			ln.open = append(ln.open, from, to)
			ln.mu.Unlock()
			go func() { _, _ = io.Copy(from, to); _ = from.Close() }()
			go func() { ln.forward(to, from); _, _ = to.Close(), from.Close() }()
		}
	}()
	return ln
}

func (l *line) forward(to io.Writer, from io.Reader) {
	buf := make([]byte, 32<<10)
	for total := int64(0); ; {
		n, err := from.Read(buf)
		if request, _, _ := strings.Cut(string(buf[:n]), "\r\n"); strings.HasPrefix(request, "POST /api/v1/archives") && l.denied(request) {
			return
		}
		if total += int64(n); total > l.after {
			l.mu.Lock()
			held := l.held
			l.mu.Unlock()
			<-held
		}
		if _, werr := to.Write(buf[:n]); err != nil || werr != nil {
			return
		}
	}
}

func (l *line) denied(request string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.asked = append(l.asked, request)
	return l.deny != "" && strings.Contains(request, l.deny)
}

func (l *line) denies(name string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.deny = name
}

func (l *line) hold() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.held = make(chan struct{})
}

// another lets bytes go over lines that are not held yet; those that are stay so.
func (l *line) another() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.held = make(chan struct{})
	close(l.held)
}

// wentOn tells from where an upload went on, 0 where it never did.
func (l *line) wentOn(t *testing.T, name string) (from int) {
	t.Helper()
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, request := range l.asked {
		_, target, _ := strings.Cut(request, " ")
		at, err := url.ParseRequestURI(strings.Fields(target)[0])
		require.NoError(t, err)
		if n, err := strconv.Atoi(at.Query().Get("from")); err == nil && strings.Contains(at.Query().Get("filename"), name) {
			from = max(from, n)
		}
	}
	return from
}

func (l *line) goOn() {
	l.mu.Lock()
	defer l.mu.Unlock()
	select {
	case <-l.held:
	default:
		close(l.held)
	}
}

func (l *line) cut() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range l.open {
		_ = c.Close()
	}
	l.open = nil
}

// openConsoleOver is openConsole over a line.
func openConsoleOver(t *testing.T, s *service, l *line) console {
	t.Helper()
	c := openConsole(t, s)
	_, port, err := net.SplitHostPort(l.Addr().String())
	require.NoError(t, err)
	c.base = "http://127.0.0.1:" + port // a cookie is good for all ports
	return c
}

// large is a download of several MB that does not pack.
func large(t *testing.T, version string) string {
	t.Helper()
	noise := make([]byte, 6<<20)
	_, err := rand.Read(noise)
	require.NoError(t, err)
	return testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-main-"+version+".zip"), stall(version, map[string]string{"noise.bin": string(noise)}))
}

func TestAnUploadOverALineThatStallsIsCutAndComesBack(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	l := lineTo(t, s)
	c := openConsoleOver(t, s, l)
	c.goTo("/staging")

	// It stalls, says so, and goes on by itself.
	l.hold()
	c.upload("[data-files]", large(t, "1.0"))
	c.seeIn("[data-sent]", "%")
	c.seeIn("[data-stalled]", "Nothing has gone for a while")
	l.goOn()
	c.seeIn("main", "drum-tent@1.0")

	// A person need not wait for it: what has gone over it is not sent again.
	l.hold()
	c.upload("[data-files]", large(t, "1.5"))
	c.seeIn("[data-stalled]", "Nothing has gone for a while")
	l.another()
	c.click("Go on over another line")
	c.seeIn("main", "drum-tent@1.5")
	require.Positive(t, l.wentOn(t, "drum-tent-main-1.5"))

	// It is cut: that one is refused, and what waits behind it is not; it goes on where it
	// stopped.
	l.cut() // so that the next goes over a new line, and some of it does
	l.hold()
	second, third := large(t, "2.0"), testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-main-3.zip"), stall("3.0", map[string]string{"a.lf": "a"}))
	c.upload("[data-files]", second, third)
	c.seeIn("[data-sent]", "%")
	require.Eventually(t, func() bool {
		come, err := filepath.Glob(filepath.Join(s.data, "*", "parts", "*"))
		if err != nil || len(come) != 1 {
			return false
		}
		i, err := os.Stat(come[0])
		return err == nil && i.Size() > 0
	}, 10*time.Second, 10*time.Millisecond)
	l.denies("drum-tent-main-2.0") // a browser tries once more by itself
	l.cut()
	l.goOn()
	c.seeIn("main", "drum-tent@3.0")
	c.seeIn("main", "refused")
	l.denies("")
	c.click("Go on where it stopped")
	c.seeIn("main", "drum-tent@2.0")
	require.Positive(t, l.wentOn(t, "drum-tent-main-2.0"))

	// It is stopped by a person; leaving the page asks while one is on its way.
	l.hold()
	c.upload("[data-files]", large(t, "4.0"))
	c.seeIn("[data-sent]", "%")
	asks, err := browser.Eval[bool](c.page, `!dispatchEvent(new Event('beforeunload', {cancelable: true}))`)
	require.NoError(t, err)
	require.True(t, asks, "leaving the page would cut it")
	c.click("Stop it")
	c.see("You have stopped it") // at once, though the service does not hear of it yet
	l.goOn()
	c.see("You have stopped it; nothing of it is kept.")
	asks, err = browser.Eval[bool](c.page, `!dispatchEvent(new Event('beforeunload', {cancelable: true}))`)
	require.NoError(t, err)
	require.False(t, asks)
}
