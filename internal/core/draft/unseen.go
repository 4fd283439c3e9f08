package draft

import (
	"fmt"
	"maps"
	"slices"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// unseen is what the ledger owns and a look did not find, behind one path.
type unseen struct {
	files int
	label string // of the add-on that owns the first of them
}

// unseen notes a file that shall go and is not seen. The ledger would forget it
// though nothing shows that it is gone: what is missing may stand behind a link, or
// on a disk that is not mounted. A single old file that an update would take away is
// only told of: somebody did by hand what the update does.
func (m *decider) unseen(p tree.Path, row Row) {
	at := p
	for _, up := range p.Ancestors() {
		if m.obs.At(up).State.Being != tree.Folder {
			at = up
			break
		}
	}
	if at == p && replaces(m.req, row.Claims[0].Addon) {
		m.report(finding.Warn, "missing-file", p, "The ledger forgets it.", "%s belongs to %s and is gone from the server; the new version has no such file.", p, row.Claims[0].Label)
		return
	}
	if m.gone[at] == nil {
		m.gone[at] = &unseen{label: row.Claims[0].Label}
	}
	m.gone[at].files++
}

// sayUnseen blocks on what cannot be seen, once for each path that hides it.
func (m *decider) sayUnseen() {
	for _, at := range slices.Sorted(maps.Keys(m.gone)) {
		u := m.gone[at]
		what := fmt.Sprintf("%s of %s", words.Count(u.files, "file"), u.label)
		switch m.obs.At(at).State.Being {
		case tree.Foreign:
			m.report(finding.Block, "behind-link", at, "Put the folder back in the link's place; or accept this to have the ledger forget them, and what is behind the link left alone.",
				"%s is a link on the server now; links are not followed, so %s below it cannot be seen or taken away.", at, what)
		case tree.Content:
			m.report(finding.Block, "missing-file", at, "Accept this to have the ledger forget them.",
				"%s is a file on the server now, and %s stood below it.", at, what)
		default:
			m.report(finding.Block, "missing-file", at, "If that is as it should be, accept this to have the ledger forget it; if a disk or folder is only missing for now, bring it back first.",
				"%s is not on the server, and %s should be there: nothing of it can be taken away.", at, what)
		}
	}
}

// leftOvers are the files in the folders of add-ons that come or go that nobody deployed, by the add-on's key:
// left from a copy that was put there by hand, or written by the server.
func (m *ground) leftOvers(g *goals) map[string][]tree.Path {
	folders := map[tree.Path]string{}
	for _, w := range m.req.Wanted {
		for _, f := range w.Files {
			for d := f.Path.Dir(); d != tree.Root && !m.req.Shared[d]; d = d.Dir() {
				folders[d] = w.Addon
			}
		}
	}
	for _, r := range m.req.Remove {
		for p, row := range m.req.Ledger {
			if !slices.ContainsFunc(row.Claims, func(c Claim) bool { return c.Addon == r.Addon }) {
				continue
			}
			for d := p.Dir(); d != tree.Root && !m.req.Shared[d]; d = d.Dir() {
				folders[d] = r.Addon
			}
		}
	}
	out := map[string][]tree.Path{}
	for p, seen := range m.obs.Paths {
		addon, in := folders[p.Dir()]
		if !in || seen.State.Being != tree.Content || m.firstRun(p) {
			continue
		}
		row, known := m.req.Ledger[p]
		if known && len(row.Claims)+len(row.Listed)+len(row.Tweaks) > 0 || g.goals[p] != nil || g.texts[p] != nil {
			continue
		}
		out[addon] = append(out[addon], p)
	}
	for _, list := range out {
		slices.Sort(list)
	}
	return out
}

func (m *ground) firstRun(p tree.Path) bool {
	return slices.ContainsFunc(m.req.FirstRun, func(glob string) bool { return doublestar.MatchUnvalidated(glob, string(p)) })
}

// sayLeftOvers tells of them, once for each add-on.
func (m *telling) sayLeftOvers() {
	for _, r := range m.req.Remove {
		left := slices.DeleteFunc(slices.Clone(m.left[r.Addon]), m.req.replaced)
		if len(left) == 0 {
			continue
		}
		top := left[0]
		for _, p := range left[1:] { // what holds all of it
			for !p.Within(top) && top != tree.Root {
				top = top.Dir()
			}
		}
		if len(left) > 1 && m.req.Shared[top] || top == tree.Root {
			top = left[0]
		}
		m.report(finding.Note, "data-stays", left[0], "It can go too: its bytes are kept, and a rollback brings it back.", "%s goes, and %s in its folder that nobody deployed stay, such as %s: the server has made them, or somebody put them there.", r.Name, words.Count(len(left), "file"), left[0]).
			By(finding.SetAside.With(string(top)))
	}
	for _, w := range m.req.Wanted {
		left := slices.DeleteFunc(slices.Clone(m.left[w.Addon]), m.inOlder)
		if len(left) == 0 || w.Adopt {
			continue
		}
		some := string(left[0])
		if len(left) > 1 {
			some = fmt.Sprintf("%s, such as %s", words.Count(len(left), "file"), left[0])
		}
		m.report(finding.Note, "left-over", left[0], "If the server has not written that, a survey offers to take it off the server.", "In the folder of %s lies what was never deployed: %s. It is left as it is.", w.Label(), some).By(finding.Survey.With())
	}
}
