package e2e

import (
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/demo"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// twelve is what the twelve jobs are done on: a game that can run, on a host that is reached over a
// real sshd, and downloads.
type twelve struct {
	hand
	s       *service
	d       *testbed.SSHD
	root    string
	dir     string
	console string // of the game
}

// jobs are the twelve, in the words of docs/console.md.
var jobs = []struct {
	name string
	does func(w *twelve)
}{
	{"sign in", func(w *twelve) {
		w.goTo("/sign-in")
		w.watch()
		w.write("Token", w.s.token())
		w.doIn("form", "Sign in")
		w.see("No server yet")
	}},
	{"add a server over SFTP and confirm its key", func(w *twelve) {
		w.to("Rulebooks")
		book, err := filepath.Abs(fullBooks + "lanternfall.yaml")
		require.NoError(w, err)
		w.give("[data-rulebook]", book)
		w.see("Its text")
		w.to("Desk")
		w.doIn("main header", "Add a server…")
		w.write("Name", "lantern")
		w.write("Host", "127.0.0.1")
		w.write("Port", slowly(w.T, w.d.Addr(), 1_500_000))
		w.write("User", w.d.User)
		w.do("a key file")
		w.give("[role=dialog] input[type=file]", w.d.KeyFile)
		w.write("The server's root folder", w.root)
		w.do("Add it")
		w.seeIn("main", "not tested")
		w.do("Test it")
		w.do("This is the key: trust it")
		w.see("Files can be renamed from the work folder into the tree")
	}},
	{"make a rulebook from a server and two downloads", func(w *twelve) {
		w.to("Rulebooks")
		w.doIn("main header", "Make one from questions…")
		w.write("The game's name", "Kite Hill")
		w.take("A server of it", "lantern")
		w.give("[data-files]", kite(w, "red", "1.4"), kite(w, "blue", "2.0"))
		w.see("Learning from red-main.zip, blue-main.zip")
		w.see("name: kite-hill")
		w.do("Keep it")
		w.seeIn("[data-check]", "It reads as a rulebook.")
	}},
	{"stage five downloads, one of them broken", func(w *twelve) {
		w.to("Staging")
		broken := filepath.Join(w.dir, "bad-stall.zip")
		whole, err := os.ReadFile(w.stall("drum-tent", "0.4.0"))
		require.NoError(w, err)
		require.NoError(w, os.WriteFile(broken, whole[:len(whole)/2], 0o600))
		w.give("[data-files]", w.stall("drum-tent", "0.4.0"), w.stall("drum-tent", "0.5.0"), w.songs(), w.twoRoots(), broken)
		w.seeIn("main", "drum-tent@0.5.0")
		w.seeIn("main", "harvest-songs@1.2")
		w.seeIn("[data-upload='bad-stall.zip']", "zip")
		w.seeIn("main", "Which of these is the add-on?")
	}},
	{"correct one that has two possible roots", func(w *twelve) {
		w.doIn("main", "Take twin-tent-east")
		w.seeIn("main", "twin-tent")
	}},
	{"read where a file goes and why", func(w *twelve) {
		w.to("harvest-songs@1.2")
		w.see("As downloaded")
		w.see("songbooks/harvest-songs/reel.tune")
	}},
	{"deploy two", func(w *twelve) {
		w.to("lantern")
		w.doIn("main header", "Deploy…")
		w.seeIn("[data-offers]", "drum-tent")
		w.take("Version of drum-tent", w.ref("drum-tent", "0.4.0"))
		w.do("harvest-songs 1.2")
		w.do("Draft it")
		w.do("Run it")
		w.seeIn("main", "every size checked")
	}},
	{"watch 5,000 files run, stop, resume, undo them", func(w *twelve) {
		w.run5000()
	}},
	{"update one, bring one file back, then the deployment", func(w *twelve) {
		w.to("lantern")
		w.do("Update to 0.5.0")
		w.do("Run it")
		w.seeIn("main", "every size checked")
		number := w.number()
		w.to("lantern: files")
		w.doIn("[data-file='stalls/drum-tent/wares/drum.txt']", "drum.txt")
		w.do("Back one change")
		w.do("Run it")
		w.seeIn("main", "every size checked")
		w.to("lantern: timeline")
		w.doIn(fmt.Sprintf("[data-deployment='%d']", number), "Take back")
		w.do("Run it")
		w.seeIn("main", "every size checked")
		require.Equal(w, "boom", testbed.Files(settled(w.T, w.root))["stalls/drum-tent/wares/drum.txt"])
	}},
	{"set up control, start, read the roll call", func(w *twelve) {
		w.to("lantern: stop")
		w.do("Say how")
		w.do("Add a probe")
		w.take("Probe 1: how", "ssh")
		w.write("Probe 1: what", fmt.Sprintf("test -f %[1]s/standin.pid && kill -0 $(cat %[1]s/standin.pid)", w.root))
		w.take("stop: how", "ssh")
		w.write("stop: what", "kill -TERM $(cat "+w.root+"/standin.pid)")
		w.take("start: how", "ssh")
		w.write("start: what", fmt.Sprintf("%s standin --game lanternfall --folder %s --console %s </dev/null >/dev/null 2>&1 &", binary, w.root, w.console))
		w.do("Keep it and ask the probes")
		w.seeIn("[role=dialog]", "stopped")
		w.key0("Escape")
		w.do("Start")
		w.seeIn("[data-standing='running']", "Restart")
		w.do("Call the roll")
		w.seeIn("[data-rollcall]", "loaded")
	}},
	{"find out who put a file there and what it was before", func(w *twelve) {
		w.to("lantern: files")
		w.doIn("[data-file='stalls/drum-tent/wares/drum.txt']", "drum.txt")
		w.seeIn("[data-event]", "by owner")
		w.do("What it changed")
		w.seeIn("[data-made]", "boom")
	}},
	{"sign in again on 390 pixels and deploy", func(w *twelve) {
		w.ok(w.page.Size(390, 844))
		w.goTo("/api/v1/servers")
		require.Equal(w, 204, evaluated[int](w.hand.console, `(x => (x.open('DELETE', '/api/v1/session', false), x.send(), x.status))(new XMLHttpRequest())`))
		w.goTo("/servers/lantern")
		w.watch()
		w.write("Token", w.s.token())
		w.doIn("form", "Sign in")
		w.doIn("main header", "Deploy…")
		w.seeIn("[data-offers]", "drum-tent")
		w.take("Version of drum-tent", w.ref("drum-tent", "0.5.0"))
		w.do("Draft it")
		w.do("Run it")
		w.seeIn("main", "every size checked")
		w.ok(w.page.Size(1280, 800))
	}},
}

// The twelve jobs of a tired administrator, by clicking and by keyboard alone. What each took is in a
// table of docs/console.md; more than that is a step back.
func TestTheTwelveJobs(t *testing.T) {
	t.Parallel()
	allowed := budget(t)
	for _, keys := range []bool{false, true} {
		t.Run(map[bool]string{false: "clicks", true: "keys"}[keys], func(t *testing.T) {
			t.Parallel()
			w := newTwelve(t, keys)
			for _, j := range jobs {
				j.does(w)
				n := w.count()
				t.Logf("| %s | %d |", j.name, n)
				most, known := allowed[j.name]
				require.True(t, known, "docs/console.md has no line for %q", j.name)
				require.LessOrEqual(t, n, most[keys], "%q takes more than docs/console.md says", j.name)
			}
		})
	}
}

// budget reads the table of docs/console.md: what each job takes, by clicks and by keys.
func budget(t *testing.T) map[string]map[bool]int {
	raw, err := os.ReadFile("../../docs/console.md")
	require.NoError(t, err)
	out := map[string]map[bool]int{}
	for _, row := range regexp.MustCompile(`(?m)^\| ([a-z][^|]*?) *\| *(\d+) *\| *(\d+) *\|`).FindAllStringSubmatch(string(raw), -1) {
		clicks, _ := strconv.Atoi(row[2])
		keys, _ := strconv.Atoi(row[3])
		out[row[1]] = map[bool]int{false: clicks, true: keys}
	}
	require.Len(t, out, len(jobs))
	return out
}

func newTwelve(t *testing.T, keys bool) *twelve {
	t.Helper()
	s, d := start(t), testbed.StartSSHD(t)
	w := &twelve{s: s, d: d, root: t.TempDir(), dir: t.TempDir(), console: fmt.Sprintf("127.0.0.1:%d", testbed.FreePort(t))}
	require.NoError(t, demo.WriteSamples(w.dir))
	require.NoError(t, standin.Furnish(w.root, "lanternfall"))
	t.Cleanup(func() {
		if pid, err := os.ReadFile(filepath.Join(w.root, "standin.pid")); err == nil {
			_ = kill(strings.TrimSpace(string(pid)))
		}
		testbed.Eventually(t, "nothing writes its folder any more", func() bool { return os.RemoveAll(w.root) == nil })
	})
	w.hand = handAt(console{t, openTab(t, 1280, 800), fmt.Sprintf("http://127.0.0.1:%d", s.port)}, keys)
	return w
}

// watch has a page tell what has the focus.
func (w *twelve) watch() {
	w.Helper()
	w.ok(w.page.Always(looking))
}

// key0 is a key that both hands press.
func (w *twelve) key0(name string) { w.Helper(); w.key(name) }

func (w *twelve) number() int {
	n, err := strconv.Atoi(evaluated[string](w.hand.console, `location.pathname.split('/').pop()`))
	require.NoError(w, err)
	return n
}

// ref is the option of a version in the sheet that deploys.
func (w *twelve) ref(addon, version string) string {
	w.Helper()
	ref, err := browser.Until[string](w.page, "version "+version, fmt.Sprintf(`[...document.querySelectorAll('[data-offer="%s"] option')].find(o => o.text === '%s')?.value ?? null`, addon, version))
	w.ok(err)
	return ref
}

func (w *twelve) stall(name, version string) string {
	return testbed.Zip(w.T, filepath.Join(w.dir, version, name+"-main.zip"), map[string]string{
		name + "-main/" + name + "/stall.lf":       fmt.Sprintf("title = %q\nversion = %q\n", name, version),
		name + "-main/" + name + "/wares/drum.txt": map[string]string{"0.4.0": "boom", "0.5.0": "boom boom"}[version],
	})
}

func (w *twelve) songs() string {
	return testbed.Zip(w.T, filepath.Join(w.dir, "harvest-songs-1.2.zip"), map[string]string{"harvest-songs-1.2/reel.tune": "la", "harvest-songs-1.2/jig.tune": "le"})
}

func (w *twelve) twoRoots() string {
	return testbed.Zip(w.T, filepath.Join(w.dir, "twin-tent.zip"), map[string]string{
		"twin-tent-east/stall.lf": "title = \"East\"\nversion = \"1\"\n", "twin-tent-west/stall.lf": "title = \"West\"\nversion = \"1\"\n"})
}

// kite is a download of a game that no rulebook knows.
func kite(w *twelve, name, version string) string {
	return testbed.Zip(w.T, filepath.Join(w.dir, name+"-main.zip"), map[string]string{
		name + "-main/kite.toml": fmt.Sprintf("name = %q\nversion = %q\n", name, version), name + "-main/cloth/a": "a"})
}

// run5000 runs a deployment of 5,000 files, stops it in the middle, goes on, stops it again and takes
// it back.
func (w *twelve) run5000() {
	w.Helper()
	files := map[string]string{"crowd-main/crowd/stall.lf": "title = \"Crowd\"\nversion = \"1.0\"\n"}
	for i := range 5000 {
		files[fmt.Sprintf("crowd-main/crowd/people/p%02d/n%04d.txt", i%50, i)] = strings.Repeat(fmt.Sprintf("%05d ", i), 340) // it packs well, and is 2 kB on the line
	}
	before := testbed.Files(testbed.Snapshot(w.T, w.root))
	w.to("Staging")
	w.give("[data-files]", testbed.Zip(w.T, filepath.Join(w.dir, "crowd-main.zip"), files))
	w.seeIn("main", "crowd@1.0")
	w.to("lantern")
	w.doIn("main header", "Deploy…")
	w.do("crowd 1.0")
	w.do("Draft it")
	w.see("5001")
	w.do("Run it")
	number := fmt.Sprint(w.number())
	stop := func(after int) {
		testbed.Eventually(w.T, "some files are sent", func() bool { return sentBelow(w.root, number) > after })
		w.do("Stop it")
		w.see("The server stands half-way")
	}
	stop(50)
	w.do("Resume")
	stop(1500)
	w.do("Undo")
	w.do("Undo it")
	w.see("undone")
	require.Equal(w, before, testbed.Files(settled(w.T, w.root)), "exactly as before")
}

// sentBelow counts the files of a run that have come to its work folder, at whatever depth.
func sentBelow(root, number string) (n int) {
	_ = filepath.WalkDir(filepath.Join(root, ".restless-crate", number), func(_ string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			n++
		}
		return nil // what is renamed away meanwhile is no file of it any more
	})
	return n
}

// slowly forwards connections to an address, so many bytes a second at most to it, and gives its port.
func slowly(t *testing.T, addr string, rate int) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", addr)
			if err != nil {
				_ = from.Close()
				continue
			}
			end := func() { _, _ = from.Close(), to.Close() }
			go func() {
				defer end()
				_, _ = io.Copy(from, to)
			}()
			go func() {
				defer end()
				tick := time.NewTicker(10 * time.Millisecond) // how fast a line is, not a wait for something
				defer tick.Stop()
				for buf := make([]byte, rate/100); ; <-tick.C {
					n, err := from.Read(buf)
					if _, bad := to.Write(buf[:n]); err != nil || bad != nil {
						return
					}
				}
			}()
		}
	}()
	_, port, err := net.SplitHostPort(l.Addr().String())
	require.NoError(t, err)
	return port
}
