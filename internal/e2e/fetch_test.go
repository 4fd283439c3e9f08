package e2e

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
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

// shelf is a host that hands out one file in the ways that hosts do.
type shelf struct {
	*httptest.Server
	file []byte

	mu    sync.Mutex
	asked []string // the ranges that were asked for, "" for all of it
	cuts  int      // how many answers break off half-way
}

func newShelf(t *testing.T, file []byte) *shelf {
	h := &shelf{file: file}
	h.Server = httptest.NewServer(h)
	t.Cleanup(h.Close)
	return h
}

func (h *shelf) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/get":
		h.mu.Lock()
		h.asked = append(h.asked, r.Header.Get("Range"))
		cut := h.cuts > 0
		h.cuts--
		h.mu.Unlock()
		w.Header().Set("ETag", `"one"`)
		w.Header().Set("Content-Disposition", `attachment; filename="drum-tent-0.5.0.zip"`)
		if cut {
			w = &breaking{ResponseWriter: w, left: len(h.file) / 3}
		}
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(h.file))
	case "/moved":
		http.Redirect(w, r, "/get", http.StatusFound)
	case "/inside":
		_, port, _ := net.SplitHostPort(r.Host)
		http.Redirect(w, r, "http://127.0.0.2:"+port+"/get", http.StatusFound)
	case "/round":
		http.Redirect(w, r, "/round", http.StatusFound)
	case "/endless.zip":
		for w.Header().Set("Content-Type", "application/zip"); ; {
			if _, err := w.Write(make([]byte, 64<<10)); err != nil {
				return
			}
		}
	case "/page":
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, "<p>Sign in first")
	case "/slow.zip": // a host that sends no pieces, and half of the file until somebody lets it go on
		w.Header().Set("Content-Length", fmt.Sprint(len(h.file)))
		_, _ = w.Write(h.file[:len(h.file)/2])
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	default:
		http.NotFound(w, r)
	}
}

func (h *shelf) ranges() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.asked
}

// breaking breaks an answer off.
type breaking struct {
	http.ResponseWriter
	left int
}

func (b *breaking) Write(p []byte) (int, error) {
	if b.left -= len(p); b.left < 0 {
		panic(http.ErrAbortHandler)
	}
	return b.ResponseWriter.Write(p)
}

// tentWithNoise is a download that is some megabytes long.
func tentWithNoise(t *testing.T) []byte {
	noise := make([]byte, 3<<20)
	seed := rand.New(rand.NewPCG(1, 2))
	for i := range noise {
		noise[i] = byte(seed.Uint32())
	}
	raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "x.zip"), stall("0.5.0", map[string]string{"drum.txt": "boom", "noise.bin": string(noise)})))
	require.NoError(t, err)
	return raw
}

func TestAnAddressIsFetchedStagedAndDeployed(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	_ = d
	h := newShelf(t, tentWithNoise(t))
	s.fails(1, "127.0.0.1 is no public address", "stage", h.URL+"/get")
	require.Empty(t, h.ranges(), "nobody was asked for anything")

	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32", "--max-upload", "8MB"}
	s.up()
	h.cuts = 2
	sum := sha256.Sum256(h.file)
	out := s.must("stage", h.URL+"/moved", "--for", "lantern", "--sha256", hex.EncodeToString(sum[:]))
	require.Contains(t, out, "drum-tent-0.5.0.zip (zip, ")
	require.Contains(t, out, "crate drum-tent@0.5.0  stall of lanternfall")
	asked := h.ranges()
	require.Len(t, asked, 3)
	require.Empty(t, asked[0])
	require.Regexp(t, `^bytes=[1-9]\d*-$`, asked[1], "it goes on where it was cut")
	require.Regexp(t, `^bytes=[1-9]\d*-$`, asked[2])
	require.NotEqual(t, asked[1], asked[2])
	s.must("deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	require.Equal(t, "boom", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"])
	require.Contains(t, s.must("crate", "show", "drum-tent"), h.URL+"/moved", "where it came from is known")
}

func TestADownloadGoesOnAfterTheServiceWasKilled(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.0/8"}
	s.up()
	h := newShelf(t, tentWithNoise(t))
	h.cuts = 1 << 20 // every answer breaks off
	w := s.begin("stage", h.URL+"/get")
	testbed.Eventually(t, "a part of it has come", func() bool { return len(h.ranges()) > 1 })
	s.kill()
	require.NotZero(t, w.ended().code)
	h.mu.Lock()
	h.cuts, h.asked = 0, nil
	h.mu.Unlock()
	s.up()
	require.Contains(t, s.must("stage", h.URL+"/get"), "crate drum-tent@0.5.0")
	asked := h.ranges()
	require.Regexp(t, `^bytes=[1-9]\d*-$`, asked[len(asked)-1], "the part that had come is not fetched again")
}

func TestWhatLiesIsNotFetched(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32", "--max-upload", "5MB"}
	s.up()
	h := newShelf(t, tentWithNoise(t))
	for address, why := range map[string]string{
		h.URL + "/inside":      "127.0.0.2 is no public address",
		h.URL + "/round":       "it was sent elsewhere more than 10 times",
		h.URL + "/endless.zip": "it is longer than the 5000000 bytes that the service takes",
		h.URL + "/page":        "sends a page and no file",
		h.URL + "/nothing.zip": "answers 404 Not Found",
		strings.Replace(h.URL, "http://", "http://me:word@", 1) + "/get": "holds a name or a password",
		"http://[::1]:9/x.zip":                "::1 is no public address",
		"http://169.254.169.254/latest/x.zip": "169.254.169.254 is no public address",
		"http://nowhere.invalid/x.zip":        "nowhere.invalid",
	} {
		o := s.restless("stage", address)
		require.NotZero(t, o.code, address)
		require.Contains(t, o.err, why, address)
	}
	s.fails(1, "SHA-256", "stage", h.URL+"/get", "--sha256", strings.Repeat("ab", 32))
	var kept []api.KeptArchive
	s.get(&kept, "archive", "list", "--all")
	require.Empty(t, kept, "nothing of it stays")

	s.fails(2, "begins with https:// or http://", "stage", "ftp://here/x.zip")

	// One who does not want to wait any longer.
	w := s.begin("stage", h.URL+"/slow.zip")
	j := s.doing("stage")
	s.must("job", "cancel", j.ID)
	require.NotZero(t, w.ended().code)
}
