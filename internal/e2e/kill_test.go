package e2e

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/testbed"
)

// journal reads a service's journal beside it.
type journal struct {
	t  *testing.T
	db *sql.DB
}

func openJournal(t *testing.T, s *service) *journal {
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.data, "records.db")+"?mode=ro&_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	return &journal{t, db}
}

// motions gives the motions of a deployment by kind; those that move a whole
// folder are a kind of their own.
func (j *journal) motions(name string, number int) map[string]map[int]bool {
	var changes, motions []byte
	require.NoError(j.t, j.db.QueryRow(`SELECT d.draft_changes, d.draft_motions FROM deployment d JOIN server s ON s.id = d.server_id WHERE s.name = ? AND d.number = ?`, name, number).Scan(&changes, &motions))
	known := lines[draft.Change](j.t, changes)
	out := map[string]map[int]bool{}
	for _, kept := range lines[struct {
		draft.Motion
		C, S int
	}](j.t, motions) {
		m := kept.Motion
		if kept.S&1 != 0 {
			m.Before = known[kept.C-1].Before
		}
		if kept.S&4 != 0 {
			m.After = known[kept.C-1].After
		}
		kind := m.Kind.String()
		if m.Whole() {
			kind += " whole"
		}
		if out[kind] == nil {
			out[kind] = map[int]bool{}
		}
		out[kind][m.ID] = true
	}
	return out
}

// lines reads what is kept as zstd of one JSON value a line.
func lines[T any](t *testing.T, raw []byte) (out []T) {
	unzip, err := zstd.NewReader(bytes.NewReader(raw))
	require.NoError(t, err)
	defer unzip.Close()
	for values := json.NewDecoder(unzip); values.More(); {
		var v T
		require.NoError(t, values.Decode(&v))
		out = append(out, v)
	}
	return out
}

// reached tells how many of some motions are in a state of the journal.
func (j *journal) reached(name string, number int, state string, which map[int]bool) (n int) {
	rows, err := j.db.Query(`SELECT m.motion FROM motion m JOIN deployment d ON d.id = m.deployment_id JOIN server s ON s.id = d.server_id WHERE s.name = ? AND d.number = ? AND m.state = ?`, name, number, state)
	require.NoError(j.t, err)
	defer rows.Close()
	for rows.Next() {
		var id int
		require.NoError(j.t, rows.Scan(&id))
		if which[id] {
			n++
		}
	}
	require.NoError(j.t, rows.Err())
	return n
}

// fair is a version of the drum tent whose update has every kind of motion in
// it: files that change, some of them changed by hand too, a folder that goes
// and one that comes.
func fair(version, folder string) map[string]string {
	files := many(version)
	for i := range 30 {
		files[fmt.Sprintf("drum-tent-main/drum-tent-main/%s/deep/%d.txt", folder, i)] = version
	}
	return files
}

// The shipped program is killed with -9 at each point of each kind of motion
// that can be told from outside, over a real sshd and a real vsftpd, and the
// deployment is resumed or undone in turns to exactly new or exactly old.
func TestKilledAtEachPointOfEachKindOfMotion(t *testing.T) {
	t.Parallel()
	t.Run("SFTP", func(t *testing.T) {
		s, _, root := overSSH(t)
		s.trust()
		s.must("server", "test", "lantern")
		killedAtEach(t, s, root, "keep", "send", "aside", "aside whole", "in", "in whole", "tidy")
	})
	t.Run("FTP", func(t *testing.T) {
		s, _, root := overFTP(t, testbed.FTPOptions{})
		killedAtEach(t, s, root, "keep", "send", "aside", "in", "in whole")
	})
}

func killedAtEach(t *testing.T, s *service, root string, kinds ...string) {
	s.stage(fair("1.0", "old"))
	s.stage(fair("2.0", "new"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	j := openJournal(t, s)
	wares := maps.Clone(testbed.Files(testbed.Snapshot(t, root)))
	for path := range wares {
		if filepath.Dir(path) == "stalls/drum-tent/old/deep" {
			delete(wares, path)
		}
	}
	for path, text := range fair("2.0", "new") {
		if rel, ok := strings.CutPrefix(path, "drum-tent-main/drum-tent-main/"); ok {
			wares["stalls/drum-tent/"+rel] = text
		}
	}
	kills, hit := 0, map[string]int{}
	for i, kind := range kinds {
		for k, state := range []string{"intended", "done"} {
			for try := 0; ; try++ {
				require.Less(t, try, 20, "the run got through twenty times before it was at %s, %s", kind, state)
				for n := range 40 { // anew each time, so that there is something to keep
					require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprintf("stalls/drum-tent/wares/w%03d.txt", n)), fmt.Appendf(nil, "by hand, %d: %d", kills, n), 0o644))
				}
				old := testbed.Snapshot(t, root)
				var d api.Deployment
				s.get(&d, "deploy", "lantern", "drum-tent@2.0", "--draft", "--accept", "changed-file")
				which := j.motions("lantern", d.Number)[kind]
				require.NotEmpty(t, which, "%s is in the draft", kind)
				status, answer := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q,"accept":["changed-file"]}`, d.Digest))
				require.Equal(t, 202, status, answer)
				testbed.Eventually(t, "the run has come that far", func() bool {
					// An intent may have its result before it is seen.
					return j.reached("lantern", d.Number, state, which) > 0 || j.reached("lantern", d.Number, "done", which) > 0
				})
				s.kill()
				kills++
				all, done := len(which), j.reached("lantern", d.Number, "done", which)
				begun := j.reached("lantern", d.Number, "intended", which)
				s.up()
				s.get(&d, "deployment", "show", d.Name)
				if d.State == "halted" {
					require.True(t, begun > 0 || done > 0)
					way := []string{"resume", "undo"}[(i+k)%2]
					s.must("deployment", way, d.Name)
					hit[fmt.Sprintf("%s, %s: %d of %d begun, %d done, then %s", kind, state, begun, all, done, way)]++
					if way == "undo" {
						require.Equal(t, old, testbed.Snapshot(t, root), "exactly old")
						break
					}
					s.get(&d, "deployment", "show", d.Name)
				}
				require.Equal(t, "done", d.State)
				require.Equal(t, wares, testbed.Files(settled(t, root)), "exactly new")
				halted := hit[fmt.Sprintf("%s, %s: %d of %d begun, %d done, then resume", kind, state, begun, all, done)] > 0
				s.must("rollback", "lantern", "--deployment", fmt.Sprint(d.Number), "--yes")
				require.Equal(t, testbed.Files(old), testbed.Files(testbed.Snapshot(t, root)))
				if halted || kind == "tidy" { // what is recorded is done, and tidied after the next start
					break
				}
			}
		}
	}
	for _, what := range slices.Sorted(maps.Keys(hit)) {
		t.Log(what)
	}
	t.Logf("killed %d times; %d times it had got through by then", kills, kills-len(hit))
}
