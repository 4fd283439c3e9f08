package draft

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
)

// told gives a draft's steps of the server, a line each: leg, verb, what.
func told(d *Draft) (out []string) {
	for _, s := range d.Steps {
		if s.Verb == Put || s.Verb == Move || s.Verb == Tidy {
			continue
		}
		what := s.What
		if what == "" {
			what = string(s.Path)
		}
		out = append(out, fmt.Sprintf("%d %s %s", s.Leg, s.Verb, what))
	}
	return out
}

// acts gives a draft's motions of the server.
func acts(d *Draft) (out []string) {
	for m := range d.Motions.All() {
		if m.OfServer() {
			out = append(out, strings.TrimSpace(fmt.Sprintf("%d %s %s%s", m.Leg, m.Do, m.With[Program], m.Subject)))
		}
	}
	return out
}

// keel is a loader that is installed by two starts, on a server that runs.
func keel(f *fair, how *Power) func(*Request) {
	return func(r *Request) {
		r.Power = how
		r.Wanted = []Wanted{f.wanted("keel", "4", map[tree.Path]string{"keel.bin": "keel"})}
		r.Launches = []Launch{{Program: "keel-setup", Ends: true, Label: "keel@4"}, {Program: "keel", Label: "keel@4"}}
		r.Sets = []Set{{Variable: Program, Before: "quay", After: "keel", Addon: "keel", Why: "keel@4 is started by it"}}
	}
}

func TestALoaderIsInstalledByTwoStarts(t *testing.T) {
	f := newFair("")
	change := keel(f, &Power{Condition: power.Running, Stop: "command", Start: "command", Takes: []string{Program}, Rolls: true})
	d := f.draft(func(r *Request) { change(r); r.Sets[0].Hand = "Set the program file in the panel." })
	require.Equal(t, []string{"1 stop the server", "1 start the server, with keel-setup", "1 next leg start with keel"}, told(d))
	require.Equal(t, []string{"1 stop", "1 stopped", "1 start keel-setup", "1 ended"}, acts(d))
	require.Equal(t, "keel@4 is installed by 2 starts: with keel-setup, which ends by itself, then with keel.", said(t, d, "several-starts"))
	require.True(t, d.More())

	req := f.request()
	req.Power, req.Sets = &Power{Condition: power.Stopped, Stop: "command", Start: "command", Takes: []string{Program}, Rolls: true}, d.Sets
	next, found := MakeNext(d, req, f.observe())
	require.Empty(t, found)
	require.Equal(t, []string{"1 stop the server", "1 start the server, with keel-setup", "2 start the server, with keel", "2 roll call what has loaded"}, told(next))
	require.Equal(t, []string{"1 stop", "1 stopped", "1 start keel-setup", "1 ended", "2 start keel", "2 ready"}, acts(next))
	require.False(t, next.More())
	require.Len(t, next.Sets, 1)

	// The setup that did not end by itself is stopped first.
	req.Power.Condition = power.Running
	next, _ = MakeNext(d, req, f.observe())
	require.Equal(t, []string{"2 stop", "2 stopped", "2 start keel", "2 ready"}, acts(next)[4:])
}

func TestAProgramThatOnlyAPanelSetsIsSetByHandBeforeEachStart(t *testing.T) {
	f := newFair("")
	change := keel(f, &Power{Condition: power.Running, Stop: "http", Start: "http", Rolls: true})
	byHand := func(r *Request) { change(r); r.Sets[0].Hand = "Set the program file in the panel." }
	d := f.draft(byHand)
	require.Equal(t, []string{"1 by hand Set the program file in the panel. Copy: keel-setup", "1 stop the server", "1 start the server", "1 next leg start with keel"}, told(d))
	require.Equal(t, []string{"1 ticked Set the program file in the panel.\nkeel-setup", "1 stop", "1 stopped", "1 start", "1 ended"}, acts(d))
	for m := range d.Motions.All() {
		if m.Do == UntilTicked {
			require.Equal(t, "Set the program file in the panel.\nquay", m.Back)
		}
	}
	req := f.request()
	req.Power, req.Sets = &Power{Condition: power.Stopped, Stop: "http", Start: "http", Rolls: true}, d.Sets
	next, _ := MakeNext(d, req, f.observe())
	require.Equal(t, []string{"2 ticked Set the program file in the panel.\nkeel", "2 start", "2 ready"}, acts(next)[5:])
}

func TestStartsThatNobodyElseCanDoAreTold(t *testing.T) {
	for name, how := range map[string]*Power{
		"no control":     nil,
		"no way to stop": {Condition: power.Running, Start: "command", Takes: []string{Program}},
		"left running":   {Condition: power.Running, Stop: "command", Start: "command", Takes: []string{Program}, Leave: true},
	} {
		f := newFair("")
		d := f.draft(keel(f, how))
		require.Equal(t, "keel@4 is installed by starting it: start the server yourself, with keel-setup, which ends by itself, then with keel.", said(t, d, "starts-yourself"), name)
		require.False(t, d.More(), name)
		require.Empty(t, d.Sets, name)
	}
}

func TestNothingIsStartedForALoaderThatIsThereAlready(t *testing.T) {
	f := newFair("")
	f.done(t, f.draft(keel(f, nil)))
	d := f.draft(keel(f, &Power{Condition: power.Running, Stop: "command", Start: "command", Takes: []string{Program}}))
	require.Zero(t, d.Motions.Len())
	require.Empty(t, d.Sets)
}

func TestWhatIsSetByHandIsSetBeforeTheFirstStartAlone(t *testing.T) {
	f := newFair("")
	how := &Power{Condition: power.Stopped, Stop: "command", Start: "command", Takes: []string{Program}}
	change := keel(f, how)
	d := f.draft(func(r *Request) {
		change(r)
		r.Sets = append(r.Sets, Set{Variable: "port", Before: "north", After: "south", Why: "a new port", Hand: "Name the port."})
		r.FirstRun, r.Hands = []string{"fair.order"}, []Hand{{What: "Open the gate.", Text: "7000"}}
		r.Wanted = append(r.Wanted, f.stall("drum", "1"))
	})
	require.Equal(t, []string{"1 ticked Name the port.\nsouth", "1 ticked Open the gate.\n7000", "1 start keel-setup", "1 ended"}, acts(d))
	req := f.request()
	req.Power, req.Sets, req.FirstRun, req.Hands = how, d.Sets, []string{"fair.order"}, []Hand{{What: "Open the gate.", Text: "7000"}}
	second, found := MakeNext(d, req, f.observe())
	require.Empty(t, found)
	require.Equal(t, []string{"2 start keel", "2 ready"}, acts(second)[4:])
	require.True(t, second.More(), "the text is there only now")

	obs := f.observe()
	obs.Paths["fair.order"], obs.Texts = Seen{State: content("call gate\n")}, map[tree.Path][]byte{"fair.order": []byte("call gate\n")}
	running := *how
	running.Condition = power.Running
	req.Power = &running
	third, _ := MakeNext(second, req, obs)
	require.Equal(t, []string{"3 stop", "3 stopped", "3 start keel", "3 ready"}, acts(third)[6:])
	require.False(t, third.More())
}

func TestByHandStepsComeBeforeTheFirstStartOfSeveral(t *testing.T) {
	f := newFair("")
	change := keel(f, &Power{Condition: power.Stopped, Stop: "command", Start: "command", Takes: []string{Program}})
	d := f.draft(func(r *Request) { change(r); r.Hands = []Hand{{What: "Open the gate.", Text: "7000"}} })
	require.Equal(t, []string{"1 ticked Open the gate.\n7000", "1 start keel-setup", "1 ended"}, acts(d))
	req := f.request()
	req.Power, req.Sets, req.Hands = &Power{Condition: power.Stopped, Stop: "command", Start: "command", Takes: []string{Program}}, d.Sets, []Hand{{What: "Open the gate.", Text: "7000"}}
	next, _ := MakeNext(d, req, f.observe())
	require.Equal(t, []string{"2 start keel", "2 ready"}, acts(next)[3:])
}

func TestAVariableIsSetInItsTextAndGoesBackWithItsDeployment(t *testing.T) {
	f := newFair("port = north\n# more\n")
	set := Set{Variable: "port", Before: "north", After: "south", Why: "a new port, as you wish", Path: "fair.order", List: settings.List{Form: settings.ValueForm, Match: `(?m)^port = (.*)$`}}
	d := f.draft(func(r *Request) { r.Sets = []Set{set} })
	require.Equal(t, "--- before fair.order\n+++ after fair.order\n@@ -1,2 +1,2 @@\n-port = north\n+port = south\n # more\n", d.Steps[0].Diff)
	require.Equal(t, []Set{{Variable: "port", Before: "north", After: "south", Why: "a new port, as you wish", Path: "fair.order", List: set.List}}, d.Sets)
	f.done(t, d)
	require.Equal(t, "port = south\n# more\n", f.text)

	back := f.draft(func(r *Request) {
		r.Back = Inverse(f.events, func(Event) bool { return true })
		r.Sets = []Set{{Variable: "port", Before: "south", After: "north", Why: "as it was", Path: "fair.order", List: set.List}}
	})
	f.done(t, back)
	require.Equal(t, "port = north\n# more\n", f.text)
	require.Equal(t, "north", back.Sets[0].After)

	gone := newFair("")
	require.Equal(t, "fair.order is not on the server, and a value is to be set in it.", said(t, gone.draft(func(r *Request) { r.Sets = []Set{set} }), "no-settings-file"))
}
