package draft

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/needs"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/words"
)

// Company is what add-ons tell of one another, once the draft is done.
type Company struct {
	Problems []needs.Problem
	Take     []string // labels of staged crates that mend what can be mended, together
	Left     []string // needs, by the names that they are of, that nothing staged mends
	GaveUp   bool     // whether something mends it was too much to find out
	// Along says of add-ons that come along, by key, who needs them.
	Along map[string]string
	// Requires are, by the keys of the add-ons that will be there, those that each needs.
	Requires map[string][]string
	// Heard are the names under which the server spoke of add-ons that the ledger does not know.
	Heard []string
}

// suits tells how each wanted crate fits the server.
func (m *telling) suits() {
	for _, w := range m.req.Wanted {
		if w.Build != "" {
			m.report(finding.Note, "build-chosen", tree.Path(w.Name), "", "%s: %s.", w.Label(), w.Build)
		}
		switch w.Fit.State {
		case fit.Outside:
			m.report(finding.Warn, "other-game-version", tree.Path(w.Name), "Look for a build that fits, or go on if you know that it does.", "%s: %s.", w.Label(), w.Fit)
		case fit.OtherLoader:
			m.report(finding.Block, "other-loader", tree.Path(w.Name), "Stage the build for the loader that the server has. Or correct what is known of the server. Or accept this, if you know that it loads.", "%s: %s.", w.Label(), w.Fit).
				By(finding.ShowServer.With())
		case fit.PlayersOnly:
			m.report(finding.Block, "players-only", tree.Path(w.Name), "Leave it out. Or accept this, if you know that the server needs it.", "%s: %s.", w.Label(), w.Fit).
				By(finding.LeaveOut.With(w.Name))
		}
	}
}

// Renamed is a name that is changed in the texts of a server, and what was found of it.
type Renamed struct {
	From     string `json:"from"`
	To       string `json:"to"`
	Places   int    `json:"places"`   // that change
	Texts    int    `json:"texts"`    // in which they are
	Searched int    `json:"searched"` // texts that were looked into
}

// named tells that texts may name what something else takes the place of: only a search of the
// server's texts shows whether they do.
func (m *telling) named() {
	for _, i := range m.req.Instead {
		m.report(finding.Note, "names-of-old", tree.Path(i[0]), "Have them found, and changed along with this or in a deployment of their own.", "%s takes the place of %s. It was not looked whether texts of the server name %s besides what loads it.", i[1], i[0], i[0]).
			By(finding.RewriteAlong.With(i[0]+" "+i[1]), finding.RewriteName.With(i[0]+" "+i[1]))
	}
	for _, r := range m.req.Renamed {
		if r.Places == 0 {
			m.report(finding.Note, "nothing-names-old", tree.Path(r.From), "", "Nothing in %s of the server names %s, besides what loads it and its log.", words.Count(r.Searched, "text"), r.From)
			continue
		}
		m.report(finding.Note, "names-change", tree.Path(r.From), "", "%s in %s that named %s, of %s that were searched, %s %s.", words.Count(r.Places, "place"), words.Count(r.Texts, "text"), r.From, words.Count(r.Searched, "text"), map[bool]string{true: "names", false: "name"}[r.Places == 1], r.To)
	}
}

// company tells what add-ons lack of one another, and what does not go together.
func (m *telling) company() {
	for _, w := range m.req.Wanted {
		if why := m.req.Company.Along[w.Addon]; why != "" {
			m.report(finding.Note, "comes-along", tree.Path(w.Name), "", "%s comes along: %s.", w.Label(), why)
		}
	}
	for _, p := range m.req.Company.Problems {
		wanted := slices.IndexFunc(m.req.Wanted, func(w Wanted) bool { return w.Addon == p.Of.Key })
		if wanted >= 0 && m.req.Wanted[wanted].Lacks != "" && p.Sort == needs.Missing && layout.Key(m.req.Wanted[wanted].Lacks) == layout.Key(p.Want.Name) {
			continue // it is told that what it changes is not there
		}
		ours := wanted >= 0 || slices.ContainsFunc(m.req.Toggles, func(t Toggle) bool { return t.Addon == p.Of.Key }) ||
			slices.ContainsFunc(m.req.Touched, func(t Touched) bool { return t.Addon == p.Of.Key && !t.Gone })
		m.problem(p, ours)
	}
}

// problem tells one of them. ours is set where it is about what the draft brings.
func (m *telling) problem(p needs.Problem, ours bool) {
	at, of := tree.Path(p.Of.Name), p.Of.Label()
	level := finding.Block
	if p.Old { // somebody has decided that already
		level = finding.Warn
	}
	switch p.Sort {
	case needs.Missing:
		if !ours {
			m.stillNeeded(p, "which is not there any more then")
			return
		}
		if where := m.strangers[layout.Key(p.Want.Name)]; where != "" {
			m.report(finding.Warn, "need-unknown", at, "Make sure that it is what is needed; the ledger does not know it.", "%s needs %s. Nothing that was deployed is called so, but %s.", of, p.Want, where)
			return
		}
		f := m.report(level, "need-missing", at, "Nothing that is staged mends it. Stage what is needed, or accept this to go on without.", "%s needs %s. Nothing that was deployed is called so, and nothing that this draft has seen on the server.", of, p.Want)
		if !slices.Contains(m.req.Company.Left, p.Want.Name) {
			m.mendable(f)
		}
	case needs.Unfit:
		if !ours {
			m.stillNeeded(p, "which will be "+p.With.Version+" then")
			return
		}
		m.mendable(m.report(level, "need-unfit", at, "", "%s needs %s, and the server has %s.", of, p.Want, p.With.Label()))
	case needs.Disabled:
		if !ours {
			m.stillNeeded(p, "which is disabled then")
			return
		}
		m.report(level, "need-disabled", at, "Enable that one. Or accept this, if it does without.", "%s needs %s, which is disabled on the server.", of, p.Want).
			By(finding.EnableAddon.With(p.With.Name))
	case needs.Conflict:
		f := m.report(level, "does-not-go-with", at, "Have one of the two go, or leave the other out. Or accept this to have both.", "%s says that it does not go together with %s, and %s is there.", of, p.Want, p.With.Label())
		if len(m.req.Company.Take) > 0 {
			m.mendable(f)
		}
		if ours && !m.wants(p.With.Key) {
			f.By(finding.InsteadOf.With(p.With.Name))
		} else {
			f.By(finding.LeaveOut.With(cmp.Or(m.wantedName(p.Of.Key), p.With.Name)))
		}
	case needs.Replaced:
		m.report(level, "replaces", at, "Have the other one go in the same deployment. Or accept this to have both.", "%s says that it takes the place of %s, and %s is there.", of, p.Want, p.With.Label()).
			By(finding.InsteadOf.With(p.With.Name))
	case needs.Recommended:
		m.report(finding.Note, "recommends", at, "", "%s recommends %s, which was not deployed.", of, p.Want)
	case needs.Circle:
		var ring []string
		for _, i := range p.Ring {
			ring = append(ring, i.Name)
		}
		m.report(finding.Note, "needs-circle", at, "", "Add-ons need one another in a circle: %s, and so on. None of them can be loaded before the others.", strings.Join(append(ring, ring[0]), ", "))
	}
}

// wants tells whether the draft brings an add-on.
func (m *telling) wants(key string) bool { return m.wantedName(key) != "" }

// wantedName is the name of an add-on that the draft brings; empty where it does not.
func (m *telling) wantedName(key string) string {
	for _, w := range m.req.Wanted {
		if w.Addon == key {
			return w.Name
		}
	}
	return ""
}

// stillNeeded tells that the draft takes from an add-on on the server what it needs.
func (m *telling) stillNeeded(p needs.Problem, then string) {
	lies := p.Of.Label() + " changes " // what lies over what goes is told with the path
	if slices.ContainsFunc(*m.findings, func(f finding.Finding) bool {
		return f.Code == "overlaid" && strings.HasPrefix(f.What, lies)
	}) {
		return
	}
	f := m.report(finding.Block, "still-needed", tree.Path(p.Of.Name), "", "%s needs %s, %s.", p.Of.Label(), p.Want, then)
	if len(m.req.Company.Take) > 0 || len(m.req.Wanted) > 0 {
		m.mendable(f)
		return
	}
	f.Mend = fmt.Sprintf("Do the same with %s, or leave what it needs as it is. Or accept this, if it does without.", p.Of.Name)
}

// mendable says of a block whether what is staged mends it.
func (m *telling) mendable(f *finding.Finding) *finding.Finding {
	defer func() {
		if f.Level == finding.Warn {
			f.Mend, _, _ = strings.Cut(f.Mend, " Or accept")
			f.Mend, _, _ = strings.Cut(f.Mend, ", or accept")
			f.Mend = strings.TrimSuffix(f.Mend, ".") + "."
		}
	}()
	switch c := m.req.Company; {
	case len(c.Take) > 0:
		f.Mend = fmt.Sprintf("Take along what is staged: %s. Or accept this to go on without.", strings.Join(c.Take, ", "))
		f.By(finding.TakeNeeds.With(strings.Join(c.Take, " ")))
	case c.GaveUp:
		f.Mend = "Whether what is staged mends it could not be found out: too many versions need one another. Choose the crates yourself, or accept this."
	default:
		f.Mend = "Nothing that is staged mends it. Stage what is needed, or accept this to go on without."
	}
	return f
}

// strangersCalled says where something is that has the name of what is missing, by that name. It is
// asked before the passes that need what was seen no more.
func (m *ground) strangersCalled() map[string]string {
	out := map[string]string{}
	for _, p := range m.req.Company.Problems {
		if p.Sort == needs.Missing {
			out[layout.Key(p.Want.Name)] = m.unknownCalled(p.Want.Name)
		}
	}
	return out
}

// unknownCalled says where something of a name is that the ledger does not know: among what was
// seen on the server, or what it said of itself. Empty where there is nothing.
func (m *ground) unknownCalled(name string) string {
	key := layout.Key(name)
	var found []tree.Path
	for p, seen := range m.obs.Paths {
		if seen.State.Being != tree.Content && seen.State.Being != tree.Folder {
			continue
		}
		if row, known := m.req.Ledger[p]; known && len(row.Claims) > 0 {
			continue
		}
		base := p.Base()
		stem, _ := version.Split(strings.TrimSuffix(base, path.Ext(base)))
		if layout.Key(base) == key || layout.Key(stem) == key {
			found = append(found, p)
		}
	}
	if len(found) > 0 {
		return fmt.Sprintf("%s lies on the server", slices.Min(found))
	}
	for _, h := range m.req.Company.Heard {
		if layout.Key(h) == key {
			return fmt.Sprintf("at the last roll call the server said that %s was loaded", h)
		}
	}
	return ""
}
