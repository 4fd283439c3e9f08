package cli_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/assembly/testservice"
	"restlesscrate/internal/cli"
	"restlesscrate/internal/testbed"
)

// terminal runs command lines against a service, as somebody without a terminal does.
type terminal struct {
	*testing.T
	s   *testservice.Service
	ask func(question string, hidden bool) (string, error)
}

func (c terminal) run(args ...string) (out, errs string, code int) {
	c.Helper()
	var o, e bytes.Buffer
	a := &cli.App{In: strings.NewReader(""), Out: &o, Err: &e, Version: "test", Schema: []byte(`{"title":"rulebook"}`), Ask: c.ask}
	if a.Ask == nil {
		a.Ask = func(string, bool) (string, error) { return "", errors.New("there is no terminal to ask") }
	}
	code = a.Run(c.Context(), append([]string{"restless", "--url", c.s.URL, "--token", c.s.Token}, args...))
	return o.String(), e.String(), code
}

func (c terminal) must(args ...string) string {
	c.Helper()
	out, errs, code := c.run(args...)
	require.Zero(c, code, "restless %s\n%s%s", strings.Join(args, " "), out, errs)
	return out
}

func (c terminal) fails(code int, words string, args ...string) {
	c.Helper()
	out, errs, got := c.run(args...)
	require.Equal(c, code, got, "restless %s\n%s%s", strings.Join(args, " "), out, errs)
	require.Contains(c, errs, words)
}

func (c terminal) zip(name string, files map[string]string) string {
	return testbed.Zip(c, filepath.Join(c.TempDir(), name), files)
}

func open(t *testing.T) (terminal, string) {
	t.Helper()
	s := testservice.New(t)
	return terminal{T: t, s: s}, s.Reef(t, "shoal")
}

func TestADayAtTheCommandLine(t *testing.T) {
	c, root := open(t)
	anchor := func(version, chain string) string {
		return c.zip("anchor-"+version+".zip", map[string]string{"anchor/part.toml": "version = \"" + version + "\"\n", "anchor/chain.txt": chain, "anchor/README.md": "hello"})
	}
	out := c.must("stage", anchor("1.0", "short"))
	require.Contains(t, out, "crate anchor@1.0  part of reef: 2 files placed, 1 left out")
	c.must("stage", anchor("1.1", "long"))
	require.Regexp(t, `(?s)anchor@1\.1.*anchor@1\.0`, c.must("crate", "list"))
	require.Contains(t, c.must("crate", "show", "anchor@1.0"), "notes are for people")
	require.Contains(t, c.must("crate", "readme", "anchor@1.0"), "hello")
	require.Contains(t, c.must("crate", "compare", "anchor@1.0", "anchor@1.1"), "changed  parts: anchor/chain.txt")

	out = c.must("deploy", "shoal", "anchor@1.0", "--draft")
	require.Contains(t, out, "shoal#1  DRAFT  anchor@1.0\n2 files in, 0 changed, 0 out")
	require.NoFileExists(t, filepath.Join(root, "parts/anchor/chain.txt"))
	c.fails(2, "--yes says yes", "deployment", "run", "shoal#1")
	require.Contains(t, c.must("deployment", "run", "shoal#1", "--yes"), "shoal#1  DONE")
	require.FileExists(t, filepath.Join(root, "parts/anchor/chain.txt"))
	require.Contains(t, c.must("deploy", "shoal", "anchor", "--yes"), "shoal#2  DONE")

	require.Regexp(t, `anchor\s+1\.1`, c.must("status", "shoal"))
	require.Contains(t, c.must("files", "shoal"), "parts/anchor/chain.txt")
	require.Regexp(t, `(?s)shoal#1.*shoal#2|shoal#2.*shoal#1`, c.must("history", "shoal", "--path", "parts/anchor/chain.txt"))
	require.Regexp(t, `(?s)shoal#2.*shoal#1`, c.must("deployment", "list", "shoal"))
	require.Contains(t, c.must("deployment", "show", "shoal#2"), "chain.txt")

	require.Contains(t, c.must("rollback", "shoal", "--deployment", "2", "--yes"), "DONE")
	text, err := os.ReadFile(filepath.Join(root, "parts/anchor/chain.txt"))
	require.NoError(t, err)
	require.Equal(t, "short", string(text))
	require.Contains(t, c.must("remove", "shoal", "anchor", "--yes"), "DONE")
	require.NoDirExists(t, filepath.Join(root, "parts/anchor"))
}

// A block stops a run with its own exit code, and the option that is printed accepts it.
func TestWhatIsPrintedToAcceptABlockAcceptsIt(t *testing.T) {
	c, root := open(t)
	c.must("stage", c.zip("anchor.zip", map[string]string{"anchor/part.toml": "version = \"1\"\n"}))
	require.NoError(t, os.MkdirAll(filepath.Join(root, "parts/anchor"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "parts/anchor/part.toml"), []byte("somebody's own"), 0o644))
	out, errs, code := c.run("deploy", "shoal", "anchor", "--yes")
	require.Equal(t, 3, code, errs)
	const option = "--accept older-copy=parts/anchor"
	require.Contains(t, out, option)
	require.Contains(t, errs, "shoal#1 is blocked by 1 finding, so nothing was done; it is kept as a draft")
	require.Contains(t, c.must(append([]string{"deployment", "run", "shoal#1", "--yes"}, strings.Fields(option)...)...), "DONE")
	require.Contains(t, c.must("deployment", "show", "shoal#1"), "accepted by mara: older-copy=parts/anchor")
}

func TestServersAtTheCommandLine(t *testing.T) {
	c, _ := open(t)
	lagoon := t.TempDir()
	require.Contains(t, c.must("server", "add", "lagoon", "--rulebook", "reef", "--folder", lagoon), "lagoon")
	require.Contains(t, c.must("server", "show", "lagoon"), "Not tested yet: restless server test lagoon")
	require.Contains(t, c.must("server", "test", "lagoon"), "Connected; the root holds nothing")
	require.Regexp(t, `(?s)lagoon.*shoal`, c.must("server", "list"))
	c.must("server", "edit", "lagoon", "--rename", "bay")
	c.fails(1, "restless server list", "server", "show", "lagoon")
	c.fails(2, "Small letters, digits and dashes", "server", "add", "The Bay", "--rulebook", "reef", "--folder", lagoon)
	c.fails(1, "is there already", "server", "add", "bay", "--rulebook", "reef", "--folder", t.TempDir())
	c.fails(2, "has no command", "server", "sink")
	c.fails(2, "no terminal", "server", "drop", "bay")
	c.must("server", "drop", "bay", "--yes")
	require.NotContains(t, c.must("server", "list"), "bay")

	require.Contains(t, c.must("server", "control", "shoal"), "restless server control shoal --file FILE")
	file := filepath.Join(t.TempDir(), "control.yaml")
	require.NoError(t, os.WriteFile(file, []byte("acts:\n  stop: {by: hand, command: Turn the wheel.}\nprobes:\n  - {by: port, address: \"127.0.0.1:1\"}\nstop-within: 5\n"), 0o644))
	c.must("server", "control", "shoal", "--file", file)
	require.Regexp(t, `(?s)stop\s+hand\s+Turn the wheel\..*shoal is STOPPED`, c.must("server", "control", "shoal"))
	require.NoError(t, os.WriteFile(file, []byte("acts:\n  sotp: {by: hand}\n"), 0o644))
	c.fails(2, `there is no act "sotp"`, "server", "control", "shoal", "--file", file)
	require.NoError(t, os.WriteFile(file, []byte("act: {}\n"), 0o644))
	c.fails(2, "act", "server", "control", "shoal", "--file", file)
}

func TestRulebooksAtTheCommandLine(t *testing.T) {
	c, _ := open(t)
	require.Regexp(t, `reef\s+The Reef`, c.must("rulebook", "list"))
	require.Contains(t, c.must("rulebook", "show", "reef"), "part.toml")
	require.Equal(t, testservice.Reef, c.must("rulebook", "show", "reef", "--text"))
	file := filepath.Join(t.TempDir(), "reef.yaml")
	require.NoError(t, os.WriteFile(file, []byte(testservice.Reef), 0o644))
	require.Contains(t, c.must("rulebook", "add", file), "the same as revision 1; nothing was changed")
	archive := c.zip("anchor.zip", map[string]string{"anchor/part.toml": "version = \"1\"\n"})
	require.Contains(t, c.must("rulebook", "check", file, "--with", archive), "anchor@1")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(testservice.Reef, "place: parts", "place: prats", 1)), 0o644))
	c.fails(2, "prats", "rulebook", "check", file)
	c.fails(1, "is in use by", "rulebook", "drop", "reef", "--yes")
	require.Contains(t, c.must("rulebook", "schema"), `"title":"rulebook"`)
}

func TestTokensAndJobsAtTheCommandLine(t *testing.T) {
	c, _ := open(t)
	require.Contains(t, c.must("token", "add", "jo"), "rc_")
	require.Regexp(t, `(?s)mara.*jo`, c.must("token", "list"))
	c.must("token", "end", "2", "--yes")
	require.NotContains(t, c.must("token", "list"), "jo")
	c.fails(1, "restless token list", "token", "end", "2", "--yes")
	c.must("session", "list")
	c.must("job", "list")
	c.fails(1, "restless job list", "job", "cancel", "job-nothing")
	require.Contains(t, c.must("doctor"), "The database is whole.")
}

// What a program reads is the API's own object, on standard output and nothing beside it.
func TestJSONIsTheAPIsOwn(t *testing.T) {
	c, _ := open(t)
	c.must("stage", c.zip("anchor.zip", map[string]string{"anchor/part.toml": "version = \"1\"\n"}))
	var d api.Deployment
	require.NoError(t, json.Unmarshal([]byte(c.must("--json", "deploy", "shoal", "anchor", "--draft")), &d))
	require.Equal(t, [2]string{"shoal#1", "draft"}, [2]string{d.Name, d.State})
	require.NoError(t, json.Unmarshal([]byte(c.must("--json", "deployment", "run", d.Name, "--yes")), &d))
	require.Equal(t, "done", d.State)
	for _, args := range [][]string{{"status", "shoal"}, {"files", "shoal"}, {"history", "shoal", "--addon", "anchor"}, {"server", "list"}, {"server", "show", "shoal"}, {"crate", "list"}, {"crate", "show", "anchor@1"},
		{"rulebook", "list"}, {"rulebook", "show", "reef"}, {"deployment", "list", "shoal"}, {"deployment", "show", "shoal#1"}, {"token", "list"}, {"session", "list"}, {"job", "list"}, {"server", "control", "shoal"}} {
		out := c.must(append([]string{"--json"}, args...)...)
		require.True(t, json.Valid([]byte(out)), "%v gives %q", args, out)
	}
}

func TestWhatIsTypedWrongIsSaid(t *testing.T) {
	c, _ := open(t)
	c.fails(2, `has no command "deplyo"`, "deplyo", "shoal")
	c.fails(2, "flag provided but not defined", "status", "shoal", "--wide")
	c.fails(2, "one of --path PATH and --addon NAME", "history", "shoal")
	c.fails(2, "give a crate", "crate", "place", "anchor@1")
	c.fails(1, "no such file", "stage", filepath.Join(t.TempDir(), "gone.zip"))
	c.fails(1, "restless crate list", "deploy", "shoal", "anchor")
	gone := terminal{T: t, s: &testservice.Service{URL: "http://127.0.0.1:1", Token: "x"}}
	gone.fails(1, "restless serve starts it", "server", "list")
}

// A word that accepts nothing is refused, and the one that was meant is named.
func TestAnUnknownWordToAcceptIsRefused(t *testing.T) {
	c, root := open(t)
	c.must("stage", c.zip("anchor.zip", map[string]string{"anchor/part.toml": "version = \"1\"\n"}))
	c.fails(2, `"changed-fiel" is nothing that can be accepted; did you mean "changed-file"?`, "deploy", "shoal", "anchor", "--yes", "--accept", "changed-fiel")
	c.fails(2, "These can: after-first-run", "deploy", "shoal", "anchor", "--yes", "--accept", "everything")
	require.NoDirExists(t, filepath.Join(root, "parts"))
	require.Contains(t, c.must("deploy", "shoal", "anchor", "--yes", "--accept", "author-says"), "DONE", "what could be, and is not there, is no fault")
}
