//go:build soak

package e2e

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// grove is a random version of the drum tent: some thousand files in folders
// that come and go, a few of them large.
func grove(r *rand.Rand, version string) map[string]string {
	wares := map[string]string{}
	for range 1500 + r.IntN(1500) {
		name := fmt.Sprintf("%c/%c/%03d.txt", 'a'+rune(r.IntN(8)), 'a'+rune(r.IntN(8)), r.IntN(100))
		wares[name] = strings.Repeat(fmt.Sprintf("%s %d ", version, r.IntN(50)), 1+r.IntN(400))
	}
	for i := range r.IntN(3) {
		wares[fmt.Sprintf("big-%d.bin", i)] = noise(1<<20 + r.IntN(20<<20))
	}
	return stall(version, wares)
}

// difference names the paths in which two trees differ.
func difference(want, got map[string]string) (out []string) {
	for path, text := range want {
		if have, there := got[path]; !there {
			out = append(out, path+" is missing")
		} else if have != text {
			out = append(out, path+" is another")
		}
	}
	for path := range got {
		if _, wanted := want[path]; !wanted {
			out = append(out, path+" is too much")
		}
	}
	return out
}

// Large random trees over a real sshd and a real vsftpd; each run is broken off
// at a random motion by kill -9 of the service or by cutting the line, and then
// resumed or undone to exactly new or exactly old. SOAK_ROUNDS says how many, and
// SOAK_WAYS over which of the two: SFTP,FTP.
func TestSoak(t *testing.T) {
	rounds, _ := strconv.Atoi(os.Getenv("SOAK_ROUNDS"))
	if rounds == 0 {
		rounds = 20
	}
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	r := rand.New(rand.NewPCG(seed, 1))
	counts := map[string]int{}
	ways := os.Getenv("SOAK_WAYS")
	if ways == "" {
		ways = "SFTP,FTP"
	}
	for way := range strings.SplitSeq(ways, ",") {
		var s *service
		var root string
		var cut func()
		if way == "SFTP" {
			var d *testbed.SSHD
			s, d, root = overSSH(t)
			s.trust()
			s.must("server", "test", "lantern")
			cut = func() { testbed.KillSessions(t, d) }
		} else {
			var d *testbed.VSFTPD
			s, d, root = overFTP(t, testbed.FTPOptions{})
			cut = d.Cut
		}
		t.Cleanup(func() {
			if text := s.log.String(); t.Failed() {
				t.Logf("the service's last words: %s", text[max(0, len(text)-6000):])
			}
		})
		j := openJournal(t, s)
		first := grove(r, "1")
		s.stage(first)
		s.must("deploy", "lantern", "drum-tent@1", "--yes")
		stands := onServer(first)
		require.Equal(t, stands, testbed.Files(testbed.Snapshot(t, root)))
		for round := range rounds {
			version := fmt.Sprint(round + 2)
			next := grove(r, version)
			s.stage(next)
			var d api.Deployment
			s.get(&d, "deploy", "lantern", "drum-tent@"+version, "--draft")
			all := 0
			any := map[int]bool{}
			for _, of := range j.motions("lantern", d.Number) {
				for id := range of {
					any[id] = true
					all++
				}
			}
			at := r.IntN(all)
			status, answer := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
			require.Equal(t, 202, status, answer)
			for { // until so many motions are done, or the run is over
				s.get(&d, "deployment", "show", d.Name)
				if d.State != "draft" && d.State != "running" && d.State != "queued" || j.reached("lantern", d.Number, "done", any) >= at {
					break
				}
			}
			fault := []string{"kill -9", "line cut"}[r.IntN(2)]
			if fault == "kill -9" {
				s.kill()
				s.up()
			} else {
				cut()
			}
			testbed.Eventually(t, "it is over", func() bool {
				s.get(&d, "deployment", "show", d.Name)
				return d.State != "running" && d.State != "queued"
			})
			how := "got through"
			switch d.State {
			case "draft":
				how = "not begun"
			case "halted":
				how = []string{"resume", "undo"}[r.IntN(2)]
				s.must("deployment", how, d.Name)
			}
			if how != "undo" && how != "not begun" {
				stands = onServer(next)
			}
			testbed.Eventually(t, "it is tidied", func() bool {
				_, err := os.Stat(filepath.Join(root, ".restless-crate"))
				if err == nil && how == "got through" {
					out := s.restless("deployment", "tidy", d.Name)
					return out.code == 0 || strings.Contains(out.err, "nothing on its server")
				}
				return os.IsNotExist(err)
			})
			require.Empty(t, difference(stands, testbed.Files(testbed.Snapshot(t, root))), "round %d over %s, %s at motion %d of %d, then %s; it is %s", round, way, fault, at, all, how, d.State)
			counts[way+", "+fault+", "+how]++
		}
	}
	for what, n := range counts {
		t.Logf("%s: %d", what, n)
	}
}
