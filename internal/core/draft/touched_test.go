package draft

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
)

// A server is stopped for what takes effect at a start, told to take anew what it can, and
// left alone for what is placed: also where something goes or comes back.
func TestWhenTheServerIsStoppedForWhatGoesOrComesBack(t *testing.T) {
	running := Power{Condition: power.Running, Stop: "command", Start: "command", Reload: true, Rolls: true}
	reload := func(name string) Effect { return Effect{When: "reload", Reload: "reopen " + name} }
	for what, c := range map[string]struct {
		touched []Touched
		power   func(*Power)
		acts    []string
		rolls   string
	}{
		"of a kind that needs a start":      {touched: []Touched{{Label: "lamps@1"}}, acts: []string{"stop", "start"}, rolls: "since the start"},
		"what comes back and is reloaded":   {touched: []Touched{{Label: "lamps@1", Effect: reload("lamps")}}, acts: []string{"reload reopen lamps"}, rolls: "since the reload"},
		"what goes and could be reloaded":   {touched: []Touched{{Label: "lamps@1", Effect: reload("lamps"), Gone: true}}, acts: []string{"stop", "start"}, rolls: "since the start"},
		"what is placed":                    {touched: []Touched{{Label: "lamps@1", Effect: Effect{When: "placed"}, Gone: true}}, rolls: "since the change"},
		"a server that nobody can speak to": {touched: []Touched{{Label: "lamps@1", Effect: reload("lamps")}}, power: func(p *Power) { p.Reload = false }, acts: []string{"stop", "start"}, rolls: "since the start"},
		"a server that is stopped":          {touched: []Touched{{Label: "lamps@1", Effect: reload("lamps")}}, power: func(p *Power) { p.Condition = power.Stopped }},
		"several of one line": {touched: []Touched{{Label: "lamps@1", Effect: Effect{When: "reload", Reload: "reopen all"}}, {Label: "bells@2", Effect: Effect{When: "reload", Reload: "reopen all"}}},
			acts: []string{"reload reopen all"}, rolls: "since the reload"},
	} {
		w := newWorld()
		w.held[tree.Sum([]byte("old lamp"))] = true
		req := w.request()
		p := running
		if c.power != nil {
			c.power(&p)
		}
		req.Power, req.Touched = &p, c.touched
		req.Back = []Return{{Path: "lamp", From: tree.Nothing, To: content("old lamp"), Why: "as it was"}}
		d := Make(req, w.observe())
		var did []string
		for m := range d.Motions.All() {
			if m.Kind == PowerMotion {
				text := string(m.Do)
				if m.Subject != "" {
					text += " " + m.Subject
				}
				did = append(did, text)
				require.Equal(t, m.Do == power.Reload, m.Back != "", "%s: what was there before is reloaded too where this is taken back", what)
			}
		}
		require.Equal(t, c.acts, did, what)
		i := slices.IndexFunc(d.Steps, callsRoll)
		require.Equal(t, c.rolls != "", i >= 0, what)
		if i >= 0 {
			require.Contains(t, d.Steps[i].Reason, c.rolls, what)
		}
	}
}
