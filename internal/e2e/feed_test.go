package e2e

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// herald hands out a folder as web servers do, and remembers what it answered.
type herald struct {
	*httptest.Server
	folder string

	mu   sync.Mutex
	said []string // the status and the path of each answer
	lies map[string]http.HandlerFunc
}

func newHerald(t *testing.T) *herald {
	h := &herald{folder: t.TempDir(), lies: map[string]http.HandlerFunc{}}
	files := http.FileServer(http.Dir(h.folder))
	h.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h.mu.Lock()
		lie := h.lies[r.URL.Path]
		h.mu.Unlock()
		rec := &statusOf{ResponseWriter: w}
		if lie != nil {
			lie(rec, r)
		} else {
			files.ServeHTTP(rec, r)
		}
		h.mu.Lock()
		h.said = append(h.said, fmt.Sprint(rec.status, " ", r.URL.Path))
		h.mu.Unlock()
	}))
	t.Cleanup(h.Close)
	return h
}

type statusOf struct {
	http.ResponseWriter
	status int
}

func (s *statusOf) WriteHeader(code int) { s.status = code; s.ResponseWriter.WriteHeader(code) }

func (h *herald) lie(path string, with http.HandlerFunc) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.lies[path] = with
}

func (h *herald) answers() string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return strings.Join(h.said, "\n")
}

// announce writes a feed by hand, as docs/feeds.md has it.
func (h *herald) announce(t *testing.T, made string, releases ...map[string]any) {
	raw, err := json.Marshal(map[string]any{"feed": 1, "title": "Reedbank Commons", "made": made, "releases": releases, "laterFormats": "may say more"})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(h.folder, "feed.json"), raw, 0o644))
	at, err := time.Parse(time.RFC3339, made)
	require.NoError(t, err)
	require.NoError(t, os.Chtimes(filepath.Join(h.folder, "feed.json"), at, at))
}

// tent puts a version of the drum tent among the files, and gives its release.
func (h *herald) tent(t *testing.T, version string) map[string]any {
	file := testbed.Zip(t, filepath.Join(h.folder, "files", "drum tent "+version+".zip"), stall(version, map[string]string{"drum.txt": "boom " + version}))
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	sum := sha256.Sum256(raw)
	return map[string]any{"addon": "Drum-Tent", "version": version, "url": "files/drum%20tent%20" + version + ".zip", "size": len(raw), "sha256": hex.EncodeToString(sum[:]), "date": "2026-11-28", "notes": "Louder."}
}

func TestAFeedLeadsToADeployment(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	h := newHerald(t)
	h.announce(t, "2026-11-28T10:00:00Z", h.tent(t, "0.5.0"))
	s.fails(1, "127.0.0.1 is no public address", "feed", "add", "reedbank", h.URL+"/feed.json", "--for", "lantern")

	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	out := s.must("feed", "add", "reedbank", h.URL+"/feed.json", "--for", "lantern")
	require.Contains(t, out, "lantern has 0.4.0")
	require.Contains(t, out, "No key was given for it")
	require.Contains(t, s.must("update", "lantern"), "0.5.0 is announced by the feed reedbank")
	require.NotContains(t, s.must("status", "lantern"), "0.5.0", "what is announced is not staged")

	// Nothing new: the host is asked, and sends nothing.
	s.must("feed", "check", "reedbank")
	require.Contains(t, h.answers(), "304 /feed.json")

	require.Contains(t, s.must("feed", "take", "reedbank", "drum-tent", "--always"), "crate drum-tent@0.5.0  stall of lanternfall")
	s.must("update", "lantern", "--all", "--yes", "--accept", "no-load-list")
	require.Equal(t, "boom 0.5.0", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"])
	require.Contains(t, s.must("crate", "show", "drum-tent@0.5.0"), h.URL+"/files/drum%20tent%200.5.0.zip")

	// The next version is staged by itself, a development build is not.
	h.announce(t, "2026-11-29T10:00:00Z", h.tent(t, "0.5.0"), h.tent(t, "0.6.0"), h.tent(t, "0.7.0-beta.1"))
	s.must("feed", "check")
	testbed.Eventually(t, "the next version is staged", func() bool { return strings.Contains(s.must("crate", "list"), "drum-tent@0.6.0") })
	require.NotContains(t, s.must("crate", "list"), "0.7.0")
	require.Equal(t, "boom 0.5.0", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"], "nothing is deployed by itself")

	// Who is offline goes on with what was said last.
	h.Close()
	s.fails(1, "What it said before is kept", "feed", "check", "reedbank")
	var f api.Feed
	s.get(&f, "feed", "show", "reedbank")
	require.NotEmpty(t, f.Trouble)
	require.Len(t, f.Releases, 3)
	require.True(t, f.Releases[1].Staged)
	s.fails(1, "rulebook lanternfall is in use by", "rulebook", "drop", "lanternfall", "--yes")
	s.must("feed", "drop", "reedbank")
	require.Contains(t, s.must("feed", "list"), "No feed is followed")
}

func TestAFeedThatLiesIsRefused(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	h := newHerald(t)
	tent := h.tent(t, "0.5.0")
	add := func(more ...string) output {
		return s.restless(append([]string{"feed", "add", "reedbank", h.URL + "/feed.json", "--rulebook", "lanternfall"}, more...)...)
	}
	refused := func(why string, more ...string) {
		t.Helper()
		o := add(more...)
		require.Equal(t, 1, o.code, o.out)
		require.Contains(t, o.err, why)
		require.Contains(t, s.must("feed", "list"), "No feed is followed")
	}
	endless := func(w http.ResponseWriter, _ *http.Request) {
		for {
			if _, err := w.Write(make([]byte, 64<<10)); err != nil {
				return
			}
		}
	}
	inside := func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, strings.Replace(h.URL, "127.0.0.1", "127.0.0.2", 1)+r.URL.Path, http.StatusFound)
	}
	with := func(more map[string]any) map[string]any {
		out := map[string]any{}
		for k, v := range tent {
			out[k] = v
		}
		for k, v := range more {
			out[k] = v
		}
		return out
	}
	refused("nothing is at")
	h.lie("/feed.json", endless)
	refused("longer than")
	h.lie("/feed.json", inside)
	refused("127.0.0.2 is no public address")
	h.lie("/feed.json", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<p>Sign in first") })
	refused("it is not JSON")
	h.lie("/feed.json", nil)
	for why, r := range map[string]map[string]any{
		"addon is missing": with(map[string]any{"addon": ""}), "is not a SHA-256": with(map[string]any{"sha256": "short"}), "size is missing": with(map[string]any{"size": 0}),
		"no address of a file": with(map[string]any{"url": "file:///etc/passwd"}), "nobody can see": with(map[string]any{"version": "1\u001b[2J"}), "is in it twice": tent,
	} {
		h.announce(t, "2026-11-28T10:00:00Z", tent, r)
		refused(why)
	}

	// A feed that is right about itself, and announces what is not so.
	h.announce(t, "2026-11-28T10:00:00Z", with(map[string]any{"addon": "wrong-hash", "sha256": strings.Repeat("ab", 32)}), with(map[string]any{"addon": "wrong-size", "size": 17}),
		with(map[string]any{"addon": "endless", "url": "endless.zip"}), with(map[string]any{"addon": "inside", "url": "inside.zip"}))
	h.lie("/endless.zip", endless)
	h.lie("/inside.zip", inside)
	require.Zero(t, add().code)
	s.fails(1, "SHA-256", "feed", "take", "reedbank", "wrong-hash")
	s.fails(1, "announced with 17", "feed", "take", "reedbank", "wrong-size")
	s.fails(1, "with which it was announced", "feed", "take", "reedbank", "endless")
	s.fails(1, "127.0.0.2 is no public address", "feed", "take", "reedbank", "inside")
	s.fails(1, "announces no drum-tent", "feed", "take", "reedbank", "drum-tent")
	var kept []api.KeptArchive
	s.get(&kept, "archive", "list", "--all")
	require.Empty(t, kept)

	// An older feed than the one that was read is somebody's who holds the newer one back.
	h.announce(t, "2026-11-27T10:00:00Z", tent)
	later := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(h.folder, "feed.json"), later, later))
	s.fails(1, "somebody may be holding the newer one back", "feed", "check", "reedbank")
	h.announce(t, "2026-11-29T10:00:00Z", tent)
	s.must("feed", "check", "reedbank")
	s.must("feed", "take", "reedbank", "drum-tent")
}

// Feeds are signed as the program minisign does it, and it reads what we signed.
func TestAFeedIsSignedAsMinisignDoes(t *testing.T) {
	t.Parallel()
	minisign := testbed.Need(t, "minisign", "minisign")
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	h := newHerald(t)
	h.announce(t, "2026-11-28T10:00:00Z", h.tent(t, "0.5.0"))
	dir := t.TempDir()
	key := func(name string) (pub string) {
		out, err := exec.Command(minisign, "-G", "-W", "-p", filepath.Join(dir, name+".pub"), "-s", filepath.Join(dir, name)).CombinedOutput()
		require.NoError(t, err, string(out))
		return filepath.Join(dir, name+".pub")
	}
	sign := func(name string) {
		out, err := exec.Command(minisign, "-S", "-W", "-s", filepath.Join(dir, name), "-m", filepath.Join(h.folder, "feed.json")).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	ours, theirs := key("ours"), key("theirs")
	add := []string{"feed", "add", "reedbank", h.URL + "/feed.json", "--rulebook", "lanternfall", "--key", ours}
	s.fails(2, "no public key of minisign", "feed", "add", "reedbank", h.URL+"/feed.json", "--rulebook", "lanternfall", "--key", "RWnonsense")
	s.fails(1, "it is not signed, although a key was given", add...)
	sign("theirs")
	s.fails(1, "the signature is not one of these bytes", add...)
	sign("ours")
	require.Contains(t, s.must(add...), "Its signature is right")
	h.announce(t, "2026-11-29T10:00:00Z", h.tent(t, "0.6.0")) // signed no more
	s.fails(1, "the signature is not one of these bytes", "feed", "check", "reedbank")
	var f api.Feed
	s.get(&f, "feed", "show", "reedbank")
	require.Equal(t, "0.5.0", f.Releases[0].Version, "what was signed stays")
	_ = theirs

	// One community serves another out of its own stockroom.
	s.must("stage", testbed.Zip(t, filepath.Join(dir, "a", "drum-tent-main.zip"), stall("0.8.0", map[string]string{"drum.txt": "ours"})))
	s.must("stage", testbed.Zip(t, filepath.Join(dir, "b", "drum-tent-main.zip"), stall("0.7.0", map[string]string{"drum.txt": "ours, older"})))
	s.env = append(s.env, "RESTLESS_FEED_PASSWORD=")
	s.must("feed", "key", filepath.Join(dir, "made"))
	s.fails(1, "is there already", "feed", "key", filepath.Join(dir, "made"))
	made := newHerald(t)
	require.Contains(t, s.must("feed", "make", made.folder, "--rulebook", "lanternfall", "--title", "Made by us", "--sign", filepath.Join(dir, "made")), "1 release")
	out, err := exec.Command(minisign, "-V", "-p", filepath.Join(dir, "made.pub"), "-m", filepath.Join(made.folder, "feed.json")).CombinedOutput()
	require.NoError(t, err, string(out))

	other := start(t)
	other.must("rulebook", "add", books+"lanternfall.yaml")
	other.kill()
	other.more = []string{"--downloads-from", "127.0.0.1/32"}
	other.up()
	require.Contains(t, other.must("feed", "add", "neighbours", made.URL+"/feed.json", "--rulebook", "lanternfall", "--key", filepath.Join(dir, "made.pub")), "Made by us")
	require.Contains(t, other.must("feed", "take", "neighbours", "drum-tent@0.8.0"), "crate drum-tent@0.8.0")
	require.Equal(t, s.digestOf("drum-tent@0.8.0"), other.digestOf("drum-tent@0.8.0"))
}

func (s *service) digestOf(crate string) string {
	var c api.Crate
	s.get(&c, "crate", "show", crate)
	return c.Digest
}
