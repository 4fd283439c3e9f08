package e2e

import (
	"bufio"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// letterbox is a mail server that takes everything.
type letterbox struct {
	addr string
	mu   sync.Mutex
	mail []string
}

func newLetterbox(t *testing.T) *letterbox {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	b := &letterbox{addr: l.Addr().String()}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go b.serve(c)
		}
	}()
	return b
}

func (b *letterbox) serve(c net.Conn) {
	defer c.Close()
	fmt.Fprint(c, "220 box.example\r\n")
	lines := bufio.NewScanner(c)
	for lines.Scan() {
		switch word, _, _ := strings.Cut(strings.ToUpper(lines.Text()), " "); word {
		case "DATA":
			fmt.Fprint(c, "354 go on\r\n")
			var text []string
			for lines.Scan() && lines.Text() != "." {
				text = append(text, lines.Text())
			}
			b.mu.Lock()
			b.mail = append(b.mail, strings.Join(text, "\n"))
			b.mu.Unlock()
			fmt.Fprint(c, "250 kept\r\n")
		case "QUIT":
			fmt.Fprint(c, "221 bye\r\n")
			return
		default:
			fmt.Fprint(c, "250 yes\r\n")
		}
	}
}

func (b *letterbox) all() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return strings.Join(b.mail, "\n----\n")
}

// ear is a web address that results are told to.
type ear struct {
	*httptest.Server
	mu    sync.Mutex
	heard []map[string]any
	wrong []string // signatures that are not right
	key   string
}

func newEar(t *testing.T) *ear {
	e := &ear{}
	e.Server = httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		e.mu.Lock()
		defer e.mu.Unlock()
		mac := hmac.New(sha256.New, []byte(e.key))
		mac.Write(raw)
		if sig := r.Header.Get("Restless-Signature"); sig != hex.EncodeToString(mac.Sum(nil)) {
			e.wrong = append(e.wrong, sig)
		}
		var v map[string]any
		_ = json.Unmarshal(raw, &v)
		e.heard = append(e.heard, v)
	}))
	t.Cleanup(e.Close)
	return e
}

func (e *ear) of(schedule string) map[string]any {
	e.mu.Lock()
	defer e.mu.Unlock()
	for _, v := range e.heard {
		if v["schedule"] == schedule {
			return v
		}
	}
	return nil
}

func soon(d time.Duration) string { return time.Now().UTC().Add(d).Format(time.DateTime) }

// By the real clock: players are warned, the server is updated once the last of them has left, and
// who wants to know is told, in three ways.
func TestAServerIsUpdatedAtItsTime(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.kill()
	r.more = []string{"--downloads-from", "127.0.0.1/32"}
	r.up()
	dir := t.TempDir()
	lamps := func(version string) string {
		file := filepath.Join(dir, "tide-lamps-"+version+".tdx")
		testbed.Write(t, file, "tdx 1\nname tide-lamps\nversion "+version+"\n")
		return file
	}
	r.must("stage", lamps("1.0"))
	r.must("deploy", "here", "tide-lamps@1.0", "--yes")
	r.must("stage", lamps("1.1"))
	e, box := newEar(t), newLetterbox(t)
	var n api.Notice
	r.get(&n, "notice", "add", "hook", "--webhook", e.URL+"/in?token=hidden", "--successes")
	e.key = n.Secret
	require.NotContains(t, r.must("notice", "list"), "hidden")
	r.must("notice", "add", "post", "--mail-to", "keeper@reedbank.example", "--from", "crate@reedbank.example", "--smtp", box.addr, "--no-tls", "--successes")
	r.must("notice", "add", "failures", "--mail-to", "only-failures@reedbank.example", "--from", "crate@reedbank.example", "--smtp", box.addr, "--no-tls")
	r.get(&n, "notice", "add", "reader", "--feed", "--successes")
	feed := n.URL
	r.must("notice", "test", "hook")
	require.NotNil(t, e.of("a-test"))

	testbed.Write(t, filepath.Join(r.root, "aboard.txt"), "ada\nbo\n")
	out := r.must("schedule", "add", "nightly", "here", "--do", "update", "--once", soon(6*time.Second), "--zone", "UTC", "--when-empty", "--or-undo", "--warn", "2s: say Back, in a moment")
	require.Contains(t, out, "nightly does update on here once, while no player is on, or undoes it")
	log := func() string { return testbed.Files(testbed.Snapshot(t, r.root))["tidewright.log"] }
	testbed.Eventually(t, "the players are warned", func() bool { return strings.Contains(log(), "everybody hears: Back, in a moment") })
	require.NotContains(t, r.must("status", "here"), "tide-lamps  1.1")
	require.NoError(t, os.Remove(filepath.Join(r.root, "aboard.txt")))
	testbed.Eventually(t, "it is updated and told", func() bool { return e.of("nightly") != nil })
	told := e.of("nightly")
	require.Equal(t, "done", told["state"], told)
	require.Equal(t, true, told["good"])
	require.Equal(t, "here#2", told["deployment"])
	require.Empty(t, e.wrong)
	require.Contains(t, r.must("schedule", "show", "nightly"), "here#2 is done")
	require.Contains(t, r.must("update", "here"), "1.1")
	require.Contains(t, r.must("history", "here", "--addon", "tide-lamps"), "the schedule nightly")
	testbed.Eventually(t, "the mail has come", func() bool { return strings.Contains(box.all(), "Subject: here: update of nightly: done") })
	require.NotContains(t, box.all(), "only-failures@reedbank.example", "what went well is told to who asked for it")

	res, err := http.Get(feed)
	require.NoError(t, err)
	raw, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, http.StatusOK, res.StatusCode)
	require.Contains(t, string(raw), "here: update of nightly: done")
	require.Contains(t, string(raw), `<feed xmlns="http://www.w3.org/2005/Atom">`)
	res, err = http.Get(feed[:len(feed)-3] + "AAA")
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, http.StatusNotFound, res.StatusCode)

	// What a draft blocks on is not done, and told; what there is nothing of is said to be nothing.
	testbed.Write(t, filepath.Join(dir, "pier-signs-1.0.tdx"), "tdx 1\nname pier-signs\nversion 1.0\nside players\n")
	r.must("stage", filepath.Join(dir, "pier-signs-1.0.tdx"))
	r.must("schedule", "add", "wrong", "here", "--do", "deploy", "--crate", "pier-signs", "--once", soon(5*time.Second), "--zone", "UTC")
	r.must("schedule", "add", "again", "here", "--do", "update", "--once", soon(5*time.Second), "--zone", "UTC")
	testbed.Eventually(t, "both are told", func() bool { return e.of("wrong") != nil && e.of("again") != nil })
	require.Equal(t, "failed", e.of("wrong")["state"], e.of("wrong"))
	require.Equal(t, "nothing", e.of("again")["state"], e.of("again"))
	testbed.Eventually(t, "the failure is told to who asked for failures", func() bool { return strings.Contains(box.all(), "only-failures@reedbank.example") })
	r.must("notice", "drop", "reader")
	res, err = http.Get(feed)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, http.StatusNotFound, res.StatusCode)
	r.fails(2, "is no time zone", "schedule", "add", "x", "here", "--do", "survey", "--at", "0 4 * * *", "--zone", "Here/There")
	r.must("schedule", "drop", "nightly")
}
