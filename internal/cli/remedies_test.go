package cli

import (
	"bytes"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
)

// Every deed that the core or a service can name has a command here, and every command
// and option in it is there.
func TestEachDeedIsACommandThatIsThere(t *testing.T) {
	root := (&App{Out: io.Discard, Err: io.Discard}).root()
	require.Len(t, commands, len(finding.Deeds()))
	for _, do := range finding.Deeds() {
		with := map[finding.Deed]string{finding.EditServer: "upload-limit", finding.NameCrate: "version", finding.StartService: "public-url"}[do]
		line := command(api.Remedy{Do: string(do), On: "saltpan#7", With: with}, subject{})
		require.NotEmpty(t, line, do)
		if do == finding.GiveVariable {
			continue // an option of whatever is being typed
		}
		words := strings.Fields(line)
		require.Equal(t, "restless", words[0])
		cmd := root
		for _, w := range words[1:] {
			if option, is := strings.CutPrefix(w, "--"); is {
				option, _, _ = strings.Cut(option, "=")
				require.True(t, hasFlag(cmd, option), "%s has no option %s, which %q names", cmd.FullName(), option, line)
				continue
			}
			if sub := cmd.Command(w); sub != nil {
				cmd = sub
			}
		}
		require.True(t, len(cmd.Commands) == 0 || len(cmd.Flags) > 0, "%q stops at a command that only has others below it", line)
		require.NotEqual(t, root, cmd, line)
	}
}

func hasFlag(cmd *cli.Command, name string) bool {
	for _, f := range cmd.Flags {
		for _, n := range f.Names() {
			if n == name {
				return true
			}
		}
	}
	return false
}

func TestARemedyIsWrittenForWhatItIsAbout(t *testing.T) {
	here := subject{server: "saltpan", crate: "tide-lamps@2.0.0", deployment: "saltpan#7"}
	for want, r := range map[string]finding.Remedy{
		"restless server test saltpan":                      finding.TestServer.With(),
		"restless server test fair":                         finding.TestServer.On("fair"),
		"restless server trust fair SHA256:abc":             finding.TrustKey.On("fair", "SHA256:abc"),
		"restless server edit saltpan":                      finding.EditServer.With(),
		"restless server edit saltpan --upload-limit VALUE": finding.EditServer.With("upload-limit"),
		"restless deployment resume fair#2":                 finding.ResumeDeployment.On("fair#2"),
		"restless rollback fair --deployment 2":             finding.RollBack.On("fair#2"),
		"restless crate set tide-lamps@2.0.0 --name VALUE":  finding.NameCrate.With("name"),
		"restless crate compare a@1~12 b@1~34":              finding.CompareCrates.On("a@1~12", "b@1~34"),
		"restless deploy saltpan tide-base@3":               finding.Deploy.With("tide-base@3"),
		"restless deploy saltpan CRATE… --set group=VALUE":  finding.SetVariable.With("group"),
		"restless rulebook show tidewright":                 finding.ShowRulebook.On("tidewright"),
		"restless serve --max-upload VALUE":                 finding.StartService.With("max-upload"),
		"--set port=VALUE":                                  finding.GiveVariable.With("port"),
		"":                                                  {Do: "what a later service may name"},
	} {
		require.Equal(t, want, command(api.Remedy{Do: string(r.Do), On: r.On, With: r.With}, here))
	}
	require.Equal(t, "restless server test SERVER", command(api.Remedy{Do: "test-server"}, subject{}), "what is not known is left to be filled in")
}

func TestABlockIsPrintedWithTheOptionThatAcceptsIt(t *testing.T) {
	var out bytes.Buffer
	a := &App{Out: &out}
	d := api.Deployment{Name: "saltpan#7", Server: "saltpan", State: "draft", Findings: []api.Finding{
		{Level: "block", Code: "changed-file", Path: "stalls/a.b", What: "it was changed", Mend: "Accept this to go on."},
		{Level: "block", Code: "unknown-file", Path: "stalls/c", What: "it is not known"},
		{Level: "block", Code: "protected", Path: "keys", What: "it is protected", Final: true},
		{Level: "warn", Code: "host-untested", What: "nobody tested it", Remedies: []api.Remedy{{Do: "test-server"}}},
	}, Accepted: []api.Accepted{{Code: "unknown-file", Path: "stalls/c", By: "mara"}}}
	a.printDeployment(d)
	require.Contains(t, out.String(), "        Accept this to go on.\n          --accept changed-file=stalls/a.b\n")
	require.NotContains(t, out.String(), "--accept unknown-file", "it is accepted already")
	require.NotContains(t, out.String(), "--accept protected", "nobody can")
	require.Contains(t, out.String(), "          restless server test saltpan\n")
}
