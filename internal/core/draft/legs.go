package draft

import (
	"slices"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// Deferral is a text that is there only once the server has run: it is edited in
// the next leg, after a start and a stop.
type Deferral struct {
	Path   tree.Path `json:"path"`
	Edits  []Edit    `json:"edits"`
	Listed []Listing `json:"listed,omitempty"`
	Tweaks []Tweaked `json:"tweaks,omitempty"`
}

// NextLeg is the verb of what a later leg will do, of which only the edits are
// known yet.
const NextLeg Verb = "next leg"

// defers tells whether a text that is not there is left to the next leg: the
// rulebook says that the server makes it, and the server can be started and
// stopped again.
func (m *decider) defers(e *edited) bool {
	p := m.req.Power
	made := slices.ContainsFunc(m.req.FirstRun, func(g string) bool { return doublestar.MatchUnvalidated(g, string(e.path)) })
	if !made || e.returned || len(e.edits) == 0 {
		return false
	}
	if p == nil || p.Stop == "" || p.Start == "" || m.legs > 1 && m.launch == nil {
		m.report(finding.Block, "after-first-run", e.path, "Start the server once and draft again, or tell how it is stopped and started.",
			"%s is there only once the server has run, and it is to be changed.", e.path).By(finding.SetControl.With())
		return true
	}
	m.deferred = append(m.deferred, Deferral{Path: e.path, Edits: e.edits, Listed: e.listed, Tweaks: e.tweaks})
	if m.legs < 2 {
		m.report(finding.Note, "two-legs", e.path, "", "%s is there only once the server has run: it is started, stopped again, and the text is changed in a later leg.", e.path)
	}
	return true
}

// LookNext says what must be observed before the next leg of a deployment.
func LookNext(d *Draft, req *Request) Plan { return planOf(deferred(d), req) }

func deferred(d *Draft) *goals {
	g := &goals{goals: map[tree.Path]*goal{}, texts: map[tree.Path]*edited{}}
	for _, x := range d.Deferred {
		g.texts[x.Path] = &edited{path: x.Path, edits: x.Edits, listed: x.Listed, tweaks: x.Tweaks}
	}
	return g
}

// MakeNext drafts the next leg behind what a deployment has done so far, and gives
// the whole with the findings that are new. The draft that it is given stays as
// it is.
func MakeNext(d *Draft, req *Request, obs Observations) (*Draft, []finding.Finding) {
	next := *d
	next.Changes, next.Steps = slices.Clone(d.Changes), slices.Clone(d.Steps)
	next.Findings = nil
	next.Steps = slices.DeleteFunc(next.Steps, func(s Step) bool { return s.Verb == NextLeg })
	for i := range next.Steps { // those that follow are numbered behind them
		if next.Steps[i].ID != i+1 {
			next.renumber()
			break
		}
	}
	next.Legs = max(1, d.Legs) + 1
	var found []finding.Finding
	from := ground{req: req, obs: obs, legs: next.Legs, findings: &found}
	var later []Launch
	if len(d.Launches) > 0 {
		from.launch, later = &d.Launches[0], d.Launches[1:]
	}
	m := newDecider(from, 0)
	m.all = next.Changes
	m.texts(deferred(d))
	r := running{folding: folding{decider: m, dropped: map[tree.Path]bool{}}, later: later, sets: next.Sets}
	r.plan()
	emit(r, &next)
	next.Findings = append(slices.Clone(d.Findings), found...)
	finding.Sort(next.Findings)
	return &next, found
}

// renumber gives steps their numbers anew, and tells the motions.
func (d *Draft) renumber() {
	now := map[int]int{}
	for i := range d.Steps {
		now[d.Steps[i].ID] = i + 1
		d.Steps[i].ID = i + 1
	}
	var motions Motions // a list of its own: the draft that this one follows keeps its numbers
	motions.Begin(d.Motions.changes, d.Motions.Len())
	for m := range d.Motions.All() {
		m.Step = now[m.Step]
		motions.AddAbout(m.place-1, m)
	}
	d.Motions = motions
}
