package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// The text that names what is loaded is there only once the server has run: it is
// started, stopped, the text changed, and started again, over a restart of the
// service in the middle.
func TestADeploymentInTwoLegs(t *testing.T) {
	t.Parallel()
	r := bare(t)
	out := r.must("deploy", "here", "tide-base@3.2.1", "--draft")
	require.Contains(t, out, "tidewright.conf is there only once the server has run: it is started, stopped again, and the text is changed in a later leg.")
	require.Contains(t, out, "The server is stopped; it is started for this and runs afterwards.")
	require.Regexp(t, `next leg\s+tidewright.conf\s+lists tide-base@3.2.1; drafted once the server has made it`, out)
	r.must("deployment", "discard", "here#1")

	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("start-takes 3s\n"), 0o644))
	var d api.Deployment
	r.get(&d, "deploy", "here", "tide-base@3.2.1", "--draft")
	status, answer := r.call("POST", fmt.Sprintf("/api/v1/servers/here/deployments/%d/run", d.Number), r.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
	require.Equal(t, 202, status, answer)
	testbed.Eventually(t, "the first start is under way", func() bool { return r.pid() != "" })
	r.kill()
	require.NoError(t, os.Remove(filepath.Join(r.root, "standin.rules"))) // the next start is quick
	r.up()
	out = r.must("deployment", "resume", d.Name)
	require.Contains(t, out, "Roll call: 1 loaded")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base\n")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 1\n", "what the game wrote at its first stop")
	require.Regexp(t, `tidewright\.conf +ini .* came with the start of here#2`, r.must("text", "here"))
	require.Contains(t, r.must("text", "here", "tidewright.conf"), "came with the start of here#2")
	out = r.must("deployment", "show", d.Name)
	require.Contains(t, out, "fittings/piers.yaml came with the start: it was not there before, and no deployment put it.")
	require.NotContains(t, out, "tide-base-3.2.1.tdx came with the start")
	require.Contains(t, out, "Leg 1")
	require.Contains(t, out, "Leg 2")
	require.Contains(t, out, "+load-fixtures = tide-base")
	r.must("rollback", "here", "--deployment", fmt.Sprint(d.Number), "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/tide-base-3.2.1.tdx"))
}

// What breaks the second start is taken back over both legs; what the game made
// at its first start stays, and it is stopped as before.
func TestTwoLegsAreTakenBack(t *testing.T) {
	t.Parallel()
	r := bare(t)
	o := r.fails(1, fellOver, "deploy", "here", "storm-bell@0.1", "--yes", "--or-undo")
	require.Contains(t, o.err, "here#1 was taken back")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/storm-bell-0.1.tdx"))
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n", "the game's own, without the entry")
	require.Contains(t, r.must("server", "control", "here"), "here is STOPPED")
	require.NoDirExists(t, filepath.Join(r.root, ".restless-crate"))
}

// What a new add-on does to the world at its first start goes back with it, where
// that is wanted: the folder was copied while the server was stopped.
func TestDataGoesBackWithItsDeployment(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"), r.download("storm-bell-0.1.tdx"))
	shape := filepath.Join(r.root, "ports/reedbank/ledger/shape.txt")
	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--accept", "other-loader", "--yes")
	require.Contains(t, out, "way back: files and data")
	require.Regexp(t, `copy data +ports/reedbank/ledger \d+ files? +gull-flocks@0.8-beta.2 may change it at its first start`, out)
	require.Equal(t, "gull-flocks\n", read(t, shape))
	out = r.must("rollback", "here", "--deployment", "1", "--yes")
	require.Contains(t, out, "way back: files\n")
	require.Equal(t, "gull-flocks\n", read(t, shape), "files alone")
	r.must("rollback", "here", "--deployment", "2", "--yes")
	out = r.must("rollback", "here", "--deployment", "1", "--with-data", "--yes")
	require.Contains(t, out, "put data back")
	require.NoFileExists(t, shape)
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")

	// It takes the data back by itself with the rest.
	r.fails(1, fellOver, "deploy", "here", "gull-flocks@0.8-beta.2", "storm-bell@0.1", "--accept", "other-loader", "--yes", "--or-undo")
	require.NoFileExists(t, shape)
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")

	// Halted, a person chooses.
	o := r.fails(4, fellOver, "deploy", "here", "gull-flocks@0.8-beta.2", "storm-bell@0.1", "--accept", "other-loader", "--yes")
	require.Contains(t, o.err, "deployment undo")
	require.FileExists(t, shape)
	var list []api.Deployment
	r.get(&list, "deployment", "list", "here")
	r.must("deployment", "undo", list[0].Name, "--with-data")
	require.NoFileExists(t, shape)
	require.NoDirExists(t, filepath.Join(r.root, ".restless-crate"))
	out = r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--accept", "other-loader", "--draft", "--no-copy-data")
	require.Contains(t, out, "way back: files\n")
	r.fails(1, "copied no data folder", "rollback", "here", "--deployment", "2", "--with-data", "--draft")
}

// New terrain wants a new world: the old one is set aside and never deleted, and an
// undo or a rollback leaves both.
func TestAWorldIsRenewed(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	ledger := filepath.Join(r.root, "ports/reedbank/ledger")
	testbed.Write(t, filepath.Join(ledger, "houses.txt"), "12 houses\n")
	r.fails(2, `"fixtures" is no place that the server writes`, "deploy", "here", "gull-flocks", "--renew", "fixtures", "--yes")
	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--accept", "other-loader", "--renew", "ledger", "--yes")
	require.Contains(t, out, "players begin in a new one")
	require.Contains(t, out, "ports/reedbank/ledger was set aside as ports/reedbank/ledger.before-1, where it stays")
	require.Equal(t, "12 houses\n", read(t, ledger+".before-1/houses.txt"))
	require.NoFileExists(t, filepath.Join(ledger, "houses.txt"))
	require.Equal(t, "gull-flocks\n", read(t, filepath.Join(ledger, "shape.txt")))
}

// A world that was set aside comes back with its deployment's rollback, with all of them, and
// by undo; with an add-on in the deployment and without.
func TestARenewedWorldComesBack(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	ledger := filepath.Join(r.root, "ports/reedbank/ledger")
	houses := filepath.Join(ledger, "houses.txt")
	testbed.Write(t, houses, "12 houses\n")
	out := r.must("deploy", "here", "tide-base@3.2.1", "--renew", "ledger", "--yes")
	require.NotContains(t, out, "copy data", "what is set aside is not copied as well")
	require.NoFileExists(t, houses)
	testbed.Write(t, filepath.Join(ledger, "new.txt"), "new\n")
	require.DirExists(t, ledger+".before-1")
	out = r.must("rollback", "here", "--deployment", "1", "--yes")
	require.Contains(t, out, "ports/reedbank/ledger is put back from ports/reedbank/ledger.before-1")
	require.Equal(t, "12 houses\n", read(t, houses))
	require.NoFileExists(t, filepath.Join(ledger, "new.txt"))
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/tide-base-3.2.1.tdx"))
	require.Equal(t, "new\n", read(t, filepath.Join(r.root, "ports/reedbank/ledger.before-2/new.txt")), "nothing is ever deleted")

	// Alone, twice, and back to before all.
	r.must("deploy", "here", "--renew", "ledger", "--yes")
	testbed.Write(t, houses, "1 house\n")
	r.must("deploy", "here", "--renew", "ledger", "--yes")
	require.NoFileExists(t, houses)
	r.must("rollback", "here", "--to", "2", "--yes")
	require.Equal(t, "12 houses\n", read(t, houses))
	require.Contains(t, r.fails(3, "here#6 is blocked", "rollback", "here", "--deployment", "3", "--yes").out, "which was set aside as ports/reedbank/ledger.before-3, is not there any more", "it is back already")
}
