package e2e

import (
	"bytes"
	"database/sql"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// end stops the service as a service manager would.
func (s *service) end() {
	s.t.Helper()
	require.NoError(s.t, s.cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(s.t, s.cmd.Wait())
	s.cmd = nil
}

// refusesToStart runs serve, which has to stop by itself, and gives what it said.
func (s *service) refusesToStart(more ...string) string {
	s.t.Helper()
	cmd := exec.Command(binary, append([]string{"serve", "--data", s.data, "--listen", "127.0.0.1:0"}, more...)...)
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	require.NoError(s.t, cmd.Start())
	over := make(chan error, 1)
	go func() { over <- cmd.Wait() }() // with all that it has said
	var err error
	testbed.Eventually(s.t, "it stops by itself", func() bool {
		select {
		case err = <-over:
			return true
		default:
			return false
		}
	})
	var exit *exec.ExitError
	require.ErrorAs(s.t, err, &exit, said.String())
	require.Equal(s.t, 1, exit.ExitCode(), said.String())
	return said.String()
}

// holdings lists every file of a data folder's stockroom.
func holdings(t *testing.T, data string) map[string]string {
	t.Helper()
	out := map[string]string{}
	root := filepath.Join(data, "stockroom")
	require.NoError(t, filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() == "mark.json" {
			return err
		}
		raw, err := os.ReadFile(p)
		out[strings.TrimPrefix(p, root+"/")] = string(raw)
		return err
	}))
	return out
}

// someHistory stages and deploys, so that the stockroom holds archives, and a
// person's own file that was overwritten.
func someHistory(t *testing.T, s *service, root string) {
	t.Helper()
	s.stage(stall("1.0", map[string]string{"price.txt": "one coin\n"}))
	s.stage(stall("2.0", map[string]string{"price.txt": "two coins\n"}))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/wares/price.txt"), "my own price\n")
	s.must("deploy", "lantern", "drum-tent@2.0", "--yes", "--accept", "changed-file")
}

func TestALostOrOlderDatabaseCostsNoByteOfTheStockroom(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.end()
	yesterday, err := os.ReadFile(filepath.Join(s.data, "records.db"))
	require.NoError(t, err)
	s.up()
	someHistory(t, s, root)
	s.end()
	full := holdings(t, s.data)
	today, err := os.ReadFile(filepath.Join(s.data, "records.db"))
	require.NoError(t, err)

	db := filepath.Join(s.data, "records.db")
	require.NoError(t, os.Remove(db))
	said := s.refusesToStart()
	require.Contains(t, said, "the database knows none of them: it was lost, or begun anew. Nothing was changed")
	require.Contains(t, said, "serve --recover")
	require.NoFileExists(t, db, "no new one is begun in silence")
	require.NoError(t, os.WriteFile(db, yesterday, 0o600))
	require.Contains(t, s.refusesToStart(), "it is older than the stockroom")
	require.Equal(t, full, holdings(t, s.data), "every byte is where it was")

	// The right one is put back, and all is as it was.
	require.NoError(t, os.WriteFile(db, today, 0o600))
	s.up()
	s.must("rollback", "lantern", "--deployment", "2", "--yes")
	require.Equal(t, "my own price\n", testbed.Files(settled(t, root))["stalls/drum-tent/wares/price.txt"])
}

func TestWhatLostRecordsKnewIsFoundAgain(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	someHistory(t, s, root)
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "tunes-1.zip"), map[string]string{"reel.tune": "la"}))
	s.end()
	full := holdings(t, s.data)
	require.NoError(t, os.Remove(filepath.Join(s.data, "records.db")))
	s.more = []string{"--recover"}
	s.up()
	require.Contains(t, s.log.String(), "recovered 3 archives and 1 other contents", "two versions and the tunes; the person's own price")
	for name, bytes := range full {
		require.Equal(t, bytes, holdings(t, s.data)[name], name)
	}
	require.Contains(t, s.must("rulebook", "add", books+"lanternfall.yaml", "--again"), "drum-tent@2.0")
	require.Contains(t, s.must("crate", "list"), "drum-tent-main.zip", "the name it was downloaded by is known")
	require.Contains(t, s.must("crate", "list"), "tunes@1")
	other := t.TempDir()
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", other)
	s.must("server", "test", "lantern")
	s.must("deploy", "lantern", "drum-tent@2.0", "--yes")
	require.Equal(t, "two coins\n", testbed.Files(settled(t, other))["stalls/drum-tent/wares/price.txt"])
	require.Contains(t, s.must("doctor"), "all are what they were")
}

func TestADamagedStockroomIsToldAndMendedByStagingAgain(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	texts := stall("1.0", map[string]string{"price.txt": "one coin\n"})
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-main.zip"), texts)
	tgz := testbed.TarGz(t, filepath.Join(t.TempDir(), "flute-tent-main.tar.gz"), map[string]string{
		"flute-tent-main/stall.lf": "title = \"Flute Tent\"\nversion = \"1.0\"\n", "flute-tent-main/wares/flute.txt": strings.Repeat("toot\n", 400)})
	s.must("stage", zip, "--for", "lantern")
	s.must("stage", tgz, "--for", "lantern")
	for name, raw := range holdings(t, s.data) { // one bit in the middle of each
		if strings.HasPrefix(name, "archives/") || strings.HasPrefix(name, "packs/") {
			flipped := []byte(raw)
			flipped[len(flipped)/2] ^= 4
			require.NoError(t, os.WriteFile(filepath.Join(s.data, "stockroom", name), flipped, 0o600))
		}
	}
	o := s.restless("doctor")
	require.Equal(t, 1, o.code)
	require.Contains(t, o.out, "stage again: drum-tent-main.zip")
	require.Contains(t, o.out, "stage again: flute-tent-main.tar.gz")
	require.NotZero(t, s.restless("deploy", "lantern", "flute-tent@1.0", "--yes").code)
	require.Contains(t, s.must("stage", zip, "--for", "lantern"), "The stockroom's copy was damaged")
	require.Contains(t, s.must("stage", tgz, "--for", "lantern"), "The stockroom's copy was damaged")
	require.Contains(t, s.must("stage", tgz, "--for", "lantern"), "The same bytes were staged before; nothing was changed.")
	require.Contains(t, s.must("doctor"), "all are what they were")
	s.must("deploy", "lantern", "drum-tent@1.0", "flute-tent@1.0", "--yes")
	require.Equal(t, "one coin\n", testbed.Files(settled(t, root))["stalls/drum-tent/wares/price.txt"])
}

// What is damaged in the stockroom and lies on a server still is read again there, and what somebody
// changed there since is not taken for it.
func TestADamagedStockroomIsMendedFromAServer(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	var toots, booms = strings.Repeat("toot\n", 40000), strings.Repeat("boom\n", 40000)
	tgz := testbed.TarGz(t, filepath.Join(t.TempDir(), "flute-tent-main.tar.gz"), map[string]string{
		"flute-tent-main/stall.lf": "title = \"Flute Tent\"\nversion = \"1.0\"\n", "flute-tent-main/wares/flute.txt": toots, "flute-tent-main/wares/drum.txt": booms})
	s.must("stage", tgz, "--for", "lantern")
	s.must("deploy", "lantern", "flute-tent@1.0", "--yes")
	settled(t, root)
	spoil := func() {
		for name, raw := range holdings(t, s.data) {
			if !strings.HasPrefix(name, "packs/") {
				continue
			}
			flipped := []byte(raw)
			for _, at := range []int{strings.Index(raw, toots), strings.Index(raw, booms)} {
				require.Positive(t, at)
				flipped[at+9] ^= 4
			}
			require.NoError(t, os.WriteFile(filepath.Join(s.data, "stockroom", name), flipped, 0o600))
		}
	}
	spoil()
	require.NoError(t, os.WriteFile(filepath.Join(root, "stalls/flute-tent/wares/drum.txt"), []byte(strings.Replace(booms, "boom", "bang", 1)), 0o600))
	o := s.restless("doctor")
	require.Equal(t, 1, o.code)
	require.Contains(t, o.out, "2 damaged")
	require.Contains(t, o.out, "restless doctor --mend reads again what still lies on a server")

	o = s.restless("doctor", "--mend")
	require.Equal(t, 1, o.code, "one of them is damaged still")
	require.Contains(t, o.out, "whole again: read from lantern:stalls/flute-tent/wares/flute.txt")
	require.Contains(t, o.out, "NOTE  lantern:stalls/flute-tent/wares/drum.txt holds other bytes now")
	require.Contains(t, o.out, "stage again: flute-tent-main.tar.gz")
	require.Contains(t, s.restless("doctor").out, "1 damaged")
	require.NoError(t, os.WriteFile(filepath.Join(root, "stalls/flute-tent/wares/drum.txt"), []byte(booms), 0o600))
	require.Contains(t, s.must("doctor", "--mend"), "whole again: read from lantern:stalls/flute-tent/wares/drum.txt")
	require.Contains(t, s.must("doctor"), "all are what they were")

	require.NoError(t, os.RemoveAll(filepath.Join(root, "stalls")))
	s.must("deploy", "lantern", "flute-tent@1.0", "--yes", "--accept", "missing-file")
	require.Equal(t, toots, testbed.Files(settled(t, root))["stalls/flute-tent/wares/flute.txt"])
}

func TestADamagedDatabaseIsNeitherReadNorWritten(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	someHistory(t, s, root)
	s.end()
	file := filepath.Join(s.data, "records.db")
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	for i := 8 << 10; i < len(raw); i += 4096 { // the head of every page but the first ones
		copy(raw[i:], "damaged!damaged!")
	}
	require.NoError(t, os.WriteFile(file, raw, 0o600))
	s.upTo(503)
	_, said := s.call("GET", "/readyz", "", "")
	require.Contains(t, said, "not ready: the database")
	require.Contains(t, said, "is damaged")
	o := s.fails(1, "is damaged", "status")
	require.Contains(t, o.err, "Put a copy of records.db back that is whole")
	s.fails(1, "is damaged", "deploy", "lantern", "drum-tent@2.0", "--yes")
	s.end()
	now, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, raw, now, "nothing was written into it")
}

func TestOneDamagedCrateDoesNotHideTheOthers(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-main.zip"), stall("1.0", map[string]string{"price.txt": "one coin\n"}))
	s.must("stage", zip, "--for", "lantern")
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "tunes-1.zip"), map[string]string{"reel.tune": "la"}))
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.data, "records.db")+"?_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	_, err = db.Exec(`UPDATE crate SET body = '{"Name": 7' WHERE version = '1.0'`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	var list []api.Crate
	s.get(&list, "crate", "list")
	require.Len(t, list, 2)
	s.fails(1, "what is recorded of drum-tent@1.0 cannot be read", "deploy", "lantern", "drum-tent@1.0", "--yes")
	s.must("deploy", "lantern", "tunes@1", "--yes")
	s.must("stage", zip, "--for", "lantern")
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	require.Equal(t, "one coin\n", testbed.Files(settled(t, root))["stalls/drum-tent/wares/price.txt"])
}

func TestAKeyFileThatIsGoneOrWasOpenIsTold(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	key := filepath.Join(s.data, "seal.key")
	old, err := os.ReadFile(key)
	require.NoError(t, err)
	s.end()
	require.NoError(t, os.Chmod(key, 0o644))
	require.NoError(t, os.Chmod(s.data, 0o755))
	s.up()
	require.Contains(t, s.log.String(), "the key file could be read by others on this machine; it is private now")
	require.Contains(t, s.log.String(), "the data folder was open to others on this machine; it is private now")
	for _, name := range []string{"seal.key", "records.db", "client.json", "service.id"} {
		info, err := os.Stat(filepath.Join(s.data, name))
		require.NoError(t, err)
		require.EqualValues(t, 0o600, info.Mode().Perm(), name)
	}
	s.end()
	require.NoError(t, os.Remove(key))
	require.Contains(t, s.refusesToStart(), "the key file "+key+" is gone, and 1 credential is sealed with it")
	require.NoFileExists(t, key, "no new one in silence")
	s.more = []string{"--new-key"}
	s.up()
	s.fails(1, "cannot be opened with this data folder's key", "server", "test", "lantern")
	s.end()
	require.NoError(t, os.WriteFile(key, old, 0o600))
	s.up()
	s.must("server", "test", "lantern")
	_ = root
}
