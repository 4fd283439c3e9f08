package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// programmed is control whose start takes the program's name.
func (r *running) programmed() string {
	return strings.Replace(r.byCommands("tidewright"), " </dev/null", " --program {program} </dev/null", 1)
}

// variable gives what a server's variable is.
func (r *running) variable(name string) string {
	r.t.Helper()
	var srv api.Server
	r.get(&srv, "server", "show", "here")
	return srv.Variables[name]
}

// A loader is installed by two starts with programs of their own, on a server that
// has never run, so a third leg names what the second start has made a text for.
func TestALoaderIsInstalledByTwoStarts(t *testing.T) {
	t.Parallel()
	r := bare(t)
	r.must("stage", r.download("keel-4.1.zip"))
	r.control(r.programmed())
	out := r.must("deploy", "here", "keel@4.1", "tide-base@3.2.1", "--yes")
	require.Contains(t, out, "keel@4.1 is installed by 2 starts: with keel-setup, which ends by itself, then with keel.")
	require.Contains(t, out, "Roll call: 2 loaded")
	require.Equal(t, "cut by gear pattern, version 4.1\n", r.read("keelworks/gear.lib"))
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base\n")
	require.Equal(t, "keel", r.variable("program"))
	out = r.must("deployment", "show", "here#1")
	for _, leg := range []string{"Leg 1", "Leg 2", "Leg 3"} {
		require.Contains(t, out, leg)
	}
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("rollcall", "here"), "LOADED   keel                 4.1", "it is started by it from then on")

	// Removed, the server is started by its own program again; that goes back too.
	require.Contains(t, r.must("remove", "here", "keel", "--yes"), "the server, with harbour")
	require.Equal(t, "harbour", r.variable("program"))
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
	require.Contains(t, r.must("rollback", "here", "--deployment", "2", "--yes"), "the server, with keel")
	require.Equal(t, "keel", r.variable("program"))
	require.Contains(t, r.must("rollcall", "here"), "LOADED   keel                 4.1")
	r.must("remove", "here", "keel", "--yes")

	r.must("rollback", "here", "--to", "0", "--yes")
	require.Equal(t, "harbour", r.variable("program"))
	require.NoFileExists(t, filepath.Join(r.root, "keelworks/pattern.txt"))
	require.FileExists(t, filepath.Join(r.root, "keelworks/gear.lib"), "what the program made itself is left alone")
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")
}

// The service is killed while the first program runs, and goes on.
func TestTheServiceIsKilledBetweenTheStartsOfALoader(t *testing.T) {
	t.Parallel()
	r := bare(t)
	r.must("stage", r.download("keel-4.1.zip"))
	r.control(r.programmed())
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("start-takes 3s\n"), 0o644))
	var d api.Deployment
	r.get(&d, "deploy", "here", "keel@4.1", "--draft")
	status, answer := r.call("POST", "/api/v1/servers/here/deployments/1/run", r.token(), `{"digest":"`+d.Digest+`"}`)
	require.Equal(t, 202, status, answer)
	testbed.Eventually(t, "the first start is under way", func() bool { return r.pid() != "" })
	r.kill()
	require.NoError(t, os.Remove(filepath.Join(r.root, "standin.rules"))) // the next start is quick
	require.Equal(t, "", exists(filepath.Join(r.root, "keelworks/gear.lib")))
	r.up()
	require.Contains(t, r.must("deployment", "resume", "here#1"), "Roll call: 1 loaded")
	require.Equal(t, "keel", r.variable("program"))
}

// exists gives the path of a file that is there.
func exists(path string) string {
	if _, err := os.Lstat(path); err != nil {
		return ""
	}
	return path
}

// Where only a panel holds the program file, a person sets it before each start, and
// is told how to set it back when all is undone.
func TestAProgramIsSetByHandBeforeEachStart(t *testing.T) {
	t.Parallel()
	r := bare(t)
	r.must("stage", r.download("keel-4.1.zip"))
	by := func(program string) {
		r.control(strings.Replace(r.programmed(), "{program}", program, 1))
	}
	by("harbour")
	out := r.fails(4, "here#1 waits for a person", "deploy", "here", "keel@4.1", "--yes").out
	require.Contains(t, out, "Waits for a person: Set the program file in your host's panel.\n  Copy: keel-setup")
	by("keel-setup")
	out = r.fails(4, "here#1 waits for a person", "deployment", "tick", "here#1").out
	require.Contains(t, out, "Waits for a person: Set the program file in your host's panel.\n  Copy: keel\n")
	require.FileExists(t, filepath.Join(r.root, "keelworks/gear.lib"))
	by("harbour") // forgotten: the loader is not there
	o := r.fails(4, "keel needs it, and nothing says that it loaded", "deployment", "tick", "here#1")
	require.Contains(t, o.err, "looking whether this was done by hand: Set the program file in your host's panel: keel")
	by("keel")
	r.must("restart", "here", "--yes")
	r.must("deployment", "resume", "here#1")
	require.Contains(t, r.must("rollcall", "here"), "LOADED   keel")
	out = r.fails(4, "here#2 waits for a person", "rollback", "here", "--deployment", "1", "--yes").out
	require.Contains(t, out, "Copy: harbour")
	r.must("deployment", "undo", "here#2") // nobody has ticked it, so there is nothing to set back
	require.FileExists(t, filepath.Join(r.root, "keelworks/pattern.txt"))
}

// A world is begun under another name: the text that holds the name is edited, the old
// world stays, what lies in it is told, and a rollback goes back to it.
func TestAWorldIsBegunUnderAnotherName(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("reedbank-shores-12.zip"), r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	r.must("deploy", "here", "reedbank-shores@12", "--yes")
	houses := filepath.Join(r.root, "ports/reedbank/ledger/houses.txt")
	testbed.Write(t, houses, "12 houses\n")
	r.fails(2, `port is called "reedbank" already`, "deploy", "here", "--renew", "ledger=reedbank", "--yes")
	r.fails(2, "more than one folder name", "deploy", "here", "--renew", "ledger=salt/marsh", "--yes")

	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--accept", "other-loader", "--renew", "ledger=saltmarsh", "--yes")
	require.Contains(t, out, "ports/reedbank/ledger stays as it is, and the server begins a new one, ports/saltmarsh/ledger; players begin in that.")
	require.Contains(t, out, "reedbank-shores@12 stays in the old one.")
	require.Contains(t, out, "+port-name = saltmarsh")
	require.Equal(t, "saltmarsh", r.variable("port"))
	require.Equal(t, "gull-flocks\n", r.read("ports/saltmarsh/ledger/shape.txt"))
	require.Equal(t, "12 houses\n", read(t, houses))
	require.NoFileExists(t, filepath.Join(r.root, "ports/reedbank/ledger/shape.txt"))

	// What shall be in the new world too is moved by deploying it again.
	require.Contains(t, r.must("deploy", "here", "reedbank-shores@12", "--yes"), "ports/saltmarsh/tables/reedbank-shores.zip")
	require.FileExists(t, filepath.Join(r.root, "ports/saltmarsh/tables/reedbank-shores.zip"))

	// By itself, and back to one that is there already.
	out = r.must("deploy", "here", "--renew", "ledger=reedbank", "--yes")
	require.Contains(t, out, "ports/reedbank/ledger is there already: the server goes on in it.")
	require.Contains(t, r.read("tidewright.conf"), "port-name = reedbank\n")
	r.must("rollback", "here", "--deployment", "4", "--yes")
	require.Equal(t, "saltmarsh", r.variable("port"))
	require.Contains(t, r.read("tidewright.conf"), "port-name = saltmarsh\n")
	r.must("rollback", "here", "--to", "1", "--yes")
	require.Equal(t, "reedbank", r.variable("port"))
	require.Contains(t, r.read("tidewright.conf"), "port-name = reedbank\n")
	require.Equal(t, "12 houses\n", read(t, houses))
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")
}

// What is done by hand is looked for where it can be: a file when it is ticked, a line
// of the log after the start.
func TestWhatIsDoneByHandIsChecked(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	book := read(t, fullBooks+"tidewright.yaml") + `
by-hand:
  - what: Put your licence beside the program.
    kinds: [fixture]
    check: {file: harbour.licence, match: "^licensed to ", log: "^licence of .* taken$"}
`
	r.must("rulebook", "add", written(t, "tidewright.yaml", book))
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.fails(4, "here#1 waits for a person", "deploy", "here", "tide-base@3.2.1", "--yes")
	o := r.fails(1, "here#1 is not ticked: harbour.licence is not on the server", "deployment", "tick", "here#1")
	require.Contains(t, o.err, "restless deployment tick here#1 --unchecked")
	licence := filepath.Join(r.root, "harbour.licence")
	require.NoError(t, os.WriteFile(licence, []byte("not yet\n"), 0o644))
	r.fails(1, "here#1 is not ticked: harbour.licence holds nothing like ^licensed to", "deployment", "tick", "here#1")
	require.NoError(t, os.WriteFile(licence, []byte("a licence\nlicensed to Reedbank Commons\n"), 0o644))
	o = r.fails(4, "looking whether this was done by hand: Put your licence beside the program. The log since the start has no line like ^licence of .* taken$", "deployment", "tick", "here#1")
	require.Contains(t, o.err, "restless deployment resume here#1")
	log := filepath.Join(r.root, "tidewright.log")
	testbed.Write(t, log, read(t, log)+"licence of Reedbank taken\n") // the server was only slow to say so
	require.Contains(t, r.must("deployment", "resume", "here#1"), "Roll call: 1 loaded")
	require.Contains(t, r.must("deploy", "here", "--renew", "ledger", "--yes"), "was set aside", "it is not asked a second time")
}

// What is odd and harmless is noted of an add-on, and shown where it would worry.
func TestOdditiesAreNotedAndShown(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	r.fails(1, `there is no add-on "gulls" on here`, "oddity", "here", "gulls", "they shriek")
	require.Contains(t, r.must("oddity", "here", "tide-base", "hums", "at", "night."), "Noted of tide-base: hums at night. Roll calls and status show it from now on.")
	require.Contains(t, r.must("rollcall", "here"), "known and harmless: hums at night.")
	require.Contains(t, r.must("status", "here"), "known and harmless: hums at night.")
	r.must("oddity", "here", "tide-base", "hums at night.", "--forget")
	require.NotContains(t, r.must("rollcall", "here"), "hums")
	r.fails(1, "nothing of the kind is known of tide-base", "oddity", "here", "tide-base", "hums at night.", "--forget")
}

// The text that holds a value is what counts: the record may say something else since a
// person has edited the text. What follows goes by what the server really uses.
func TestAValueIsReadFromTheTextThatHoldsIt(t *testing.T) {
	t.Parallel()
	s := start(t)
	root, dir := t.TempDir(), t.TempDir()
	book := func(variables string) string {
		return textFile(t, dir, "moss.yaml", "format: 1\nname: moss\ntitle: Moss\nvariables:\n"+variables+"places:\n  parts: {path: parts}\n  land: {path: \"{land}\", data: true}\nkinds:\n  part: {recognise: {single: \"*.part\"}, changes-data: land, put: [{take: \"*.part\", place: parts, as: \"{file}\"}]}\n")
	}
	const land = "  land: {ask: which land the server runs, default: hollow, set-in: {file: moss.conf, match: '(?m)^land=(.*)$'}}\n"
	textFile(t, root, "moss.conf", "land=hollow\nfog=no\n")
	textFile(t, root, "hollow/map", "old")
	textFile(t, root, "valley/map", "new")
	s.must("rulebook", "add", book(land+"  shape: {ask: which shape it has, default: round}\n"))
	s.must("server", "add", "s", "--rulebook", "moss", "--folder", root)
	s.must("server", "test", "s")
	s.must("stage", textFile(t, dir, "fern.part", "fern"), "--for", "s")
	require.NotContains(t, s.must("deploy", "s", "fern", "--draft"), "value-drift")

	textFile(t, root, "moss.conf", "land=valley\nfog=no\n")
	out := s.must("deploy", "s", "fern", "--draft", "--copy-data")
	require.Contains(t, out, "WARN  value-drift: The record says that land is hollow, and moss.conf says valley.")
	require.Contains(t, out, "valley is written by the server", "what is looked after is what the server uses")
	require.NotContains(t, out, "hollow is written by the server")
	out = s.must("deploy", "s", "--renew", "land=dell", "--draft")
	require.Contains(t, out, "valley stays as it is, and the server begins a new one, dell")
	require.Contains(t, out, "-land=valley\n")
	// A draft that was made before somebody changed the text is not true any more.
	textFile(t, root, "moss.conf", "land=hollow\nfog=no\n")
	s.fails(3, "is no longer true", "deployment", "run", "s#3", "--yes")
	out = s.must("server", "edit", "s", "--set", "land=valley", "--fact", "game=1.20.0")
	require.Contains(t, out, "-land=hollow\n")
	require.Contains(t, out, "kept as a draft. restless deployment run s#5 runs it.")
	require.Contains(t, s.must("server", "show", "s"), "1.20.0", "the rest was edited at once")
	require.Contains(t, read(t, filepath.Join(root, "moss.conf")), "land=hollow")
	s.must("deployment", "run", "s#5", "--yes")
	require.Contains(t, read(t, filepath.Join(root, "moss.conf")), "land=valley")
	require.Contains(t, s.must("server", "show", "s"), "valley")
	textFile(t, root, "moss.conf", "land=hollow\nfog=no\n")
	require.Contains(t, s.must("deploy", "s", "fern", "--draft"), "The record says that land is valley, and moss.conf says hollow.")

	// A revision that asks for one variable less, and for another one more, leaves the server
	// as it is; the one that is new is asked for where it is needed.
	s.must("rulebook", "add", book(land+"  depth: {ask: how deep it is}\n"))
	s.must("server", "edit", "s", "--fact", "game=1.20.1")
	s.must("server", "edit", "s", "--set", "depth=deep")
	require.Contains(t, s.must("deploy", "s", "fern", "--draft"), "restless deploy s --set land=hollow", "what corrects the record")
	s.must("deploy", "s", "--set", "land=hollow", "--yes")
	require.NotContains(t, s.must("server", "show", "s"), "valley")
	require.NotContains(t, s.must("server", "show", "s"), "shape")
	require.Contains(t, s.must("deploy", "s", "fern", "--yes"), "DONE")
	s.fails(2, `knows no variable "shape"`, "server", "edit", "s", "--set", "shape=round")
}

// A value that is no path may be anything, and is changed by a deployment of its own, which
// goes back like any other.
func TestAValueThatATextHoldsIsChangedByADeployment(t *testing.T) {
	t.Parallel()
	s, root, dir := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dir, "moss.yaml", "format: 1\nname: moss\ntitle: Moss\nvariables:\n  motto: {ask: what it says, default: none, set-in: {file: moss.conf, match: '(?m)^motto=(.*)$'}}\n  land: {ask: which land, default: dell}\nplaces:\n  parts: {path: \"{land}/parts\"}\nkinds:\n  part: {recognise: {single: \"*.part\"}, put: [{take: \"*.part\", place: parts, as: \"{file}\"}]}\n"))
	conf := textFile(t, root, "moss.conf", "motto=none\nfog=no\n")
	s.must("server", "add", "s", "--rulebook", "moss", "--folder", root)
	s.must("server", "test", "s")
	s.must("deploy", "s", "--set", `motto=C:\reed\new/old "wet"`, "--yes")
	require.Equal(t, "motto=C:\\reed\\new/old \"wet\"\nfog=no\n", read(t, conf))
	require.Contains(t, s.must("server", "show", "s"), `C:\reed\new/old`)
	s.fails(2, "more than one folder name", "deploy", "s", "--set", "land=a/b", "--yes")
	s.fails(2, `rulebook moss knows no variable "moon"; it asks for motto, land`, "deploy", "s", "--set", "moon=full", "--yes")
	s.must("stage", textFile(t, dir, "fern.part", "fern"), "--for", "s")
	s.must("deploy", "s", "fern", "--set", "motto=dry", "--yes")
	require.Equal(t, "motto=dry\nfog=no\n", read(t, conf))
	require.Contains(t, s.must("deploy", "s", "--set", "land=fen", "--draft"), "fern@unmarked stays in what belongs to land dell.")
	s.must("rollback", "s", "--deployment", "2", "--yes")
	require.Equal(t, "motto=C:\\reed\\new/old \"wet\"\nfog=no\n", read(t, conf))
	s.must("rollback", "s", "--to", "0", "--yes")
	require.Equal(t, "motto=none\nfog=no\n", read(t, conf))
}
