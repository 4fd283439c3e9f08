package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// Something is wrong, and nothing in the log names its cause: halves of the add-ons are off in
// turn, a person answers, the one is found, and everything is as it was.
func TestTheCauseIsFoundByHalves(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	names := []string{"cranes", "winches", "ropes", "bells", "lamps"}
	for _, n := range names {
		head := []string{"name " + n, "version 1.0"}
		if n == "winches" {
			head = append(head, "needs ropes")
		}
		r.must("stage", r.fixture(n+"-1.0.tdx", head...))
	}
	r.must(append(append([]string{"deploy", "here"}, names...), "--yes")...)
	conf := func() string { return strings.Split(r.read("tidewright.conf"), "days-open")[0] }
	before := conf()
	out := r.must("narrow", "here", "bells", "lamps", "--by-start", "--yes")
	require.Contains(t, out, "None of them keeps here down now")
	require.NotContains(t, out, "restless disable", "nobody is blamed")
	require.Equal(t, before, conf())
	r.fails(1, "nothing is searched for on here", "narrow", "here", "--still", "yes")
	r.fails(2, "yes or no", "narrow", "here", "--still", "perhaps")
	r.fails(2, "nobody cannot be a suspect", "narrow", "here", "nobody", "cranes", "--yes")
	require.Equal(t, before, conf())

	// It is the ropes, which the winches need.
	var n api.Narrowing
	step := func(args ...string) { r.get(&n, append([]string{"narrow", "here"}, args...)...) }
	step("--yes")
	require.Len(t, n.Suspects, 5)
	// Two answer the same question at once: one of them is told.
	answer := func() (state string) {
		_, raw := r.call("POST", "/api/v1/servers/here/narrowing/answer", r.token(), fmt.Sprintf(`{"tried":0,"still":%t}`, !slices.Contains(n.Off, "ropes")))
		var j api.Job
		require.NoError(t, json.Unmarshal([]byte(raw), &j))
		testbed.Eventually(t, "it has ended", func() bool {
			_, raw := r.call("GET", "/api/v1/jobs/"+j.ID, r.token(), "")
			require.NoError(t, json.Unmarshal([]byte(raw), &j))
			return j.State != "running"
		})
		return j.State
	}
	states := make([]string, 2)
	var both sync.WaitGroup
	for i := range states {
		both.Go(func() { states[i] = answer() })
	}
	both.Wait()
	require.ElementsMatch(t, []string{"done", "failed"}, states)
	step()
	for range 5 {
		if n.Over {
			break
		}
		off := strings.Join(n.Off, " ")
		for _, name := range n.Off {
			require.NotContains(t, ","+strings.Split(strings.Split(r.read("tidewright.conf"), "load-fixtures = ")[1], "\n")[0]+",", ","+name+",")
		}
		require.Equal(t, strings.Contains(off, "ropes"), strings.Contains(off, "ropes") && strings.Contains(off, "winches"), "who needs what is off is off too: %s", off)
		still := "yes"
		if strings.Contains(off, "ropes") {
			still = "no"
		}
		step("--still", still)
	}
	require.True(t, n.Over)
	require.Equal(t, []string{"ropes"}, n.Suspects)
	require.Equal(t, before, conf(), "everything is as it was")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 5 loaded")

	// Given up half-way, killed in between: everything is as it was as well.
	require.Contains(t, r.must("narrow", "here", "cranes", "bells", "lamps", "--yes"), "It may be one of 3 add-ons; 3 questions more at most.")
	require.NotEqual(t, before, conf())
	r.kill()
	r.up()
	require.Contains(t, r.must("narrow", "here"), "restless narrow here --still no")
	require.Contains(t, r.must("narrow", "here", "--give-up"), "is as it was")
	require.Equal(t, before, conf())
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 5 loaded")
}

// One of five has the server fall before it is ready, and its log names none of them: the search
// answers itself, is killed on its way and taken up again, and ends with everything as it was.
func TestTheOneThatKeepsTheServerDownIsFoundWithoutAsking(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	names := []string{"cranes", "winches", "ropes", "bells", "lamps"}
	for _, n := range names {
		head := []string{"name " + n, "version 1.0"}
		if n == "bells" {
			head = append(head, "breaks")
		}
		r.must("stage", r.fixture(n+"-1.0.tdx", head...))
	}
	r.must(append(append([]string{"deploy", "here"}, names...), "--leave-running", "--yes")...)
	r.must("stop", "here", "--yes")
	r.fails(1, "", "start", "here", "--yes")
	conf := func() string { return strings.Split(r.read("tidewright.conf"), "days-open")[0] }
	before := conf()

	began := r.begin("narrow", "here", "--by-start", "--yes")
	testbed.Eventually(t, "a first half is off", func() bool {
		raw, err := os.ReadFile(filepath.Join(r.root, "tidewright.conf"))
		return err == nil && !strings.HasPrefix(string(raw), before) // for a moment there is none
	})
	r.kill()
	began.ended()
	r.up()
	var list []api.Deployment
	r.get(&list, "deployment", "list", "here")
	require.Equal(t, "halted", list[0].State)
	r.fails(4, "half-way", "narrow", "here") // what halted is a person's to decide
	r.must("deployment", "resume", list[0].Name)
	said := r.must("narrow", "here")
	require.Contains(t, said, "It is bells: with it off the server comes up, and with it on it does not. Everything on here is as it was.")
	require.Contains(t, said, "The server did not come up: ")
	require.Equal(t, before, conf(), "everything is as it was")

	// Somebody deploys something in the midst of a search: that stays.
	r.must("disable", "here", "bells", "--yes")
	require.Contains(t, r.must("narrow", "here", "cranes", "winches", "ropes", "--yes"), "Off now")
	r.must("disable", "here", "lamps", "--yes")
	require.Contains(t, r.must("narrow", "here", "--still", "yes"), "Off now")
	said = r.must("narrow", "here", "--give-up")
	require.Contains(t, said, "deployed meanwhile, so only what was off is enabled again")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 3 loaded")
}
