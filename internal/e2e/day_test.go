package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A whole server goes back to any of several days and forth again, byte for byte: add-ons in and
// out, settings merged and tweaked, an entry taken out of a list, a file settled by hand.
func TestAWholeServerGoesBackToAnyDayAndForthAgain(t *testing.T) {
	t.Parallel()
	overBoth(t, func(t *testing.T, s *service, root string) {
		at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
		s.must("rulebook", "add", fullBooks+"lanternfall.yaml")
		testbed.Write(t, at("fair.order"), "# the fair\ncall nobody\n")
		testbed.Write(t, at("fair.seal"), "a seal\n")
		zip := func(name, version string, more map[string]string) string {
			texts := map[string]string{name + "/stall.lf": fmt.Sprintf("title = %q\nversion = %q\n", name, version)}
			for p, text := range more {
				texts[name+"/"+p] = text
			}
			return testbed.Zip(t, filepath.Join(t.TempDir(), name+"-"+version+".zip"), texts)
		}
		s.must("stage", zip("wheel", "1.0", map[string]string{"turn.lf": "turns = 3\n"}), zip("wheel", "1.1", map[string]string{"turn.lf": "turns = 4\n", "bell.lf": "bell\n"}),
			zip("honey", "1.0", map[string]string{"pots/a.lf": "a\n", "pots/b.lf": "b\n"}), zip("honey", "2.0", map[string]string{"pots/c.lf": "c\n"}), zip("drum", "0.1", nil))
		var days []map[string]string
		day := func(args ...string) {
			t.Helper()
			s.must(append(args, "--yes")...)
			days = append(days, testbed.Files(settled(t, root)))
		}
		days = append(days, testbed.Files(testbed.Snapshot(t, root)))
		day("deploy", "lantern", "wheel@1.0", "honey@1.0")
		day("deploy", "lantern", "wheel@1.1", "drum@0.1")
		testbed.Write(t, at("stalls/wheel/turn.lf"), "turns = 40\n")
		s.must("survey", "lantern", "--thorough")
		day("settle", "lantern", "accept=stalls/wheel/turn.lf")
		day("disable", "lantern", "drum")
		day("deploy", "lantern", "honey@2.0", "--accept", "changed-file")
		day("remove", "lantern", "drum")

		var list []api.Deployment
		s.get(&list, "deployment", "list", "lantern")
		require.Len(t, list, 6)
		ended := map[int]time.Time{}
		for _, d := range list {
			ended[d.Number] = *d.EndedAt
		}
		for _, back := range []int{1, 6, 3, 5, 2, 4, 6} {
			s.must("rollback", "lantern", "--as-of", ended[back].Format(time.RFC3339Nano), "--yes")
			require.Equal(t, days[back], testbed.Files(settled(t, root)), "as after lantern#%d", back)
		}
		s.must("rollback", "lantern", "--as-of", ended[1].Add(-time.Hour).Format(time.RFC3339Nano), "--yes")
		require.Equal(t, days[0], testbed.Files(settled(t, root)), "before the first")
		s.must("rollback", "lantern", "--to", "6", "--yes")
		require.Equal(t, days[6], testbed.Files(settled(t, root)))
		require.Contains(t, s.must("survey", "lantern", "--thorough"), "as recorded")
		s.fails(2, "is yet to come", "rollback", "lantern", "--as-of", "2999-01-01")
		s.fails(2, "is no time", "rollback", "lantern", "--as-of", "last Tuesday")
		_, err := os.Stat(at("fair.seal"))
		require.NoError(t, err)
	})
}

// Two moments are compared by what their texts mean, and one value goes back to what it was while
// the rest of its text stays.
func TestOneValueGoesBack(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.horns("1.0", "loud: 3\nlong: 2\npassword: reed\nold: 1\n"), r.horns("1.1", "loud: 5\nlong: 7\npassword: tide\nnew: 1\n"))
	r.must("deploy", "here", "horns@1.0", "--yes")
	r.must("deploy", "here", "horns@1.1", "--yes")
	out := r.must("compare", "here", "1", "--diff")
	require.Regexp(t, `(?m)^ +/loud +3 +→ 5$`, out)
	require.Regexp(t, `(?m)^ +/new +not there +→ 1$`, out)
	require.Regexp(t, `(?m)^ +/old +1 +→ not there$`, out)
	require.NotContains(t, out, "reed")
	require.NotContains(t, out, "tide\n")
	require.Contains(t, out, "\n    -loud: 3\n")
	require.NotContains(t, r.must("compare", "here", "1"), "-loud: 3")

	r.must("rollback", "here", "--path", "fittings/horns.yaml", "--value", "/loud", "--to", "1", "--yes")
	require.Equal(t, "loud: 3\nlong: 7\npassword: tide\nnew: 1\n", r.read("fittings/horns.yaml"))
	r.must("rollback", "here", "--path", "fittings/horns.yaml", "--value", "/new", "--to", "1", "--yes")
	require.Equal(t, "loud: 3\nlong: 7\npassword: tide\n", r.read("fittings/horns.yaml"))
	r.fails(1, "there is nothing to take back", "rollback", "here", "--path", "fittings/horns.yaml", "--value", "/loud", "--to", "1", "--yes")
	r.fails(2, "goes with --path and --to", "rollback", "here", "--value", "/loud", "--yes")
}
