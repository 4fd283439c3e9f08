package draft

import (
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// Set is a variable of the server that a deployment gives another value, such as
// the name of its world or of the program by which it is started. The variable has
// the new value once the deployment is done.
type Set struct {
	Variable string `json:"variable"`
	Before   string `json:"before"`
	After    string `json:"after"`
	Addon    string `json:"addon,omitempty"` // for which it is done; empty where a person wishes it
	Why      string `json:"why"`

	// What holds the value: a text, in which List finds it, or a person's hands;
	// neither where the commands of the server's control do.
	Path tree.Path     `json:"-"`
	List settings.List `json:"-"`
	Hand string        `json:"hand,omitempty"`
	// Stay are add-ons, name@version, that lie where the value before says.
	Stay []string `json:"-"`
	// Check tells of what a person does whether it was done.
	Check HandCheck `json:"check,omitzero"`
}

// Drift is a variable of the server whose value a text holds, and another one than is
// recorded. Unfit says that a draft cannot go by it.
type Drift struct {
	Variable, Recorded, Found string
	Path                      tree.Path
	Unfit                     bool
}

// NewName is a data folder that stays as it is while the server begins a new one
// under another name.
type NewName struct {
	From, To tree.Path
	Stay     []string // add-ons, name@version, that stay with the old one
}

// Launch is one of the starts by which a loader is installed.
type Launch struct {
	Program string `json:"program"`
	Ends    bool   `json:"ends,omitempty"` // it does its work and ends by itself
	Label   string `json:"label"`          // of the loader
}

// sets adds the edits of texts that hold a variable. What a rollback takes back of
// them is among its own edits.
func (g *goals) sets(req *Request) {
	if len(req.Back) > 0 {
		return
	}
	for _, s := range req.Sets {
		if s.Path != tree.Root {
			at := g.text(req, s.Path)
			at.edits = append(at.edits, Edit{Op: settings.Op{List: s.List, Do: settings.Set, Key: s.After}, Addon: s.Addon, Why: s.Why})
		}
	}
}

// keptSets tells which variables have another value once the draft is done.
func (m *running) keptSets() (out []Set) {
	for _, s := range m.req.Sets {
		if s.Variable != Program || m.launch != nil || len(m.req.Launches) == 0 {
			switch {
			case m.req.Power.takes(s.Variable):
				s.Hand = ""
			case s.Path == tree.Root && s.Hand == "":
				m.refuse("nothing-sets", tree.Root, "Say in the rulebook what holds it: set-in or set-by-hand; or use {"+s.Variable+"} in what starts the server.",
					"Nothing is known that would set %s to %s.", s.Variable, s.After).By(finding.SetControl.With())
			}
			out = append(out, s)
		}
	}
	return out
}

// newNames says what becomes of data folders that get another name.
func (m *running) newNames() {
	for _, s := range m.req.Sets {
		if len(s.Stay) > 0 {
			m.report(finding.Warn, "stays-behind", s.Path, "Deploy what shall be in the new one too.", "%s in what belongs to %s %s.", stay(s.Stay), s.Variable, s.Before)
		}
	}
	for _, n := range m.req.NewNames {
		if m.obs.At(n.To).State.Being == tree.Folder {
			m.report(finding.Warn, "goes-on", n.To, "Choose another name for a new one.", "%s is there already: the server goes on in it. %s stays as it is.", n.To, n.From)
		} else {
			m.report(finding.Warn, "renewed", n.From, "", "%s stays as it is, and the server begins a new one, %s; players begin in that.", n.From, n.To)
		}
		if len(n.Stay) > 0 {
			m.report(finding.Warn, "stays-behind", n.From, "Deploy what shall be in the new one too.", "%s in the old one.", stay(n.Stay))
		}
	}
}

func stay(labels []string) string {
	if len(labels) == 1 {
		return labels[0] + " stays"
	}
	return words.Few(labels) + " stay"
}

// launches decides by which starts this leg and the later ones end.
func (m *running) launches() {
	all := m.req.Launches
	if len(all) == 0 || len(m.changes)+len(m.deferred)+len(m.edits) == 0 {
		return
	}
	p := m.req.Power
	if p == nil || p.Start == "" || len(all) > 1 && p.Stop == "" || p.Leave {
		m.report(finding.Warn, "starts-yourself", tree.Root, "Or tell how it is stopped and started, and draft again.",
			"%s is installed by starting it: start the server yourself, %s.", all[0].Label, inTurn(all)).By(finding.SetControl.With())
		return
	}
	m.launch, m.later = &all[0], all[1:]
	if len(all) > 1 {
		m.report(finding.Note, "several-starts", tree.Root, "", "%s is installed by %s: %s.", all[0].Label, words.Count(len(all), "start"), inTurn(all))
	}
}

// inTurn names starts in their order.
func inTurn(all []Launch) string {
	var words []string
	for _, l := range all {
		w := "with " + l.Program
		if l.Ends {
			w += ", which ends by itself"
		}
		words = append(words, w)
	}
	return strings.Join(words, ", then ")
}

// more tells whether another leg follows.
func (m *running) more() bool { return len(m.deferred)+len(m.later) > 0 }

// more tells whether another leg follows.
func (d *Draft) more() bool { return len(d.Deferred)+len(d.Launches) > 0 }

// More tells whether another leg follows, which is drafted when its turn comes.
func (d *Draft) More() bool { return d.more() }

// Program is the variable that holds the program by which a server is started.
const Program = "program"

// value is what a variable is set to in this leg.
func (m *running) value(s Set) string {
	if s.Variable == Program && m.launch != nil {
		return m.launch.Program
	}
	return s.After
}

// with are the values that the server's start takes in this leg, where they are
// others than it has.
func (m *running) with() map[string]string {
	var out map[string]string
	for _, s := range m.sets {
		if m.req.Power.takes(s.Variable) {
			if out == nil {
				out = map[string]string{}
			}
			out[s.Variable] = m.value(s)
		}
	}
	return out
}

// takes tells whether the start of a server takes the value of a variable.
func (p *Power) takes(variable string) bool { return p != nil && slices.Contains(p.Takes, variable) }

// nextLegs shows what the later legs will do.
func (m *emitting) nextLegs(e *emitter) {
	for _, x := range m.d.Deferred {
		e.step(Step{Phase: Proof, Verb: NextLeg, Path: x.Path, Reason: reasons(x.Edits) + "; drafted once the server has made it"})
	}
	for _, l := range m.d.Launches {
		e.step(Step{Phase: Proof, Verb: NextLeg, What: "start with " + l.Program, Reason: fmt.Sprintf("%s is installed by several starts", l.Label)})
	}
}
