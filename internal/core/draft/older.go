package draft

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// Copy is something on a server that looks like an add-on and that nobody deployed.
type Copy struct {
	Path  tree.Path // its file, or its folder
	Addon string    // the key
	Label string    // name@version, as far as its names tell
}

// older is a copy of an add-on that is wanted.
type older struct {
	Copy
	of    Wanted
	files []tree.Path // of it that were seen
	place bool        // what is wanted goes to its place
}

// olderCopies finds copies of wanted add-ons that were put on the server by hand: in the place of
// what is wanted, or beside it. One that is what is wanted already is none.
func (m *ground) olderCopies(g *goals) (out []older) {
	if m.req.Copies == nil || len(m.req.Wanted) == 0 {
		return nil
	}
	var seen []tree.Entry
	unknown := map[tree.Path]bool{}
	for p, s := range m.obs.Paths {
		row := m.req.Ledger[p]
		if s.State.Being == tree.Folder {
			seen = append(seen, tree.Entry{Path: p, Dir: true})
		} else if s.State.Being == tree.Content && len(row.Claims)+len(row.Listed)+len(row.Tweaks) == 0 && !m.firstRun(p) {
			seen = append(seen, tree.Entry{Path: p, Size: s.State.Size})
			unknown[p] = true
		}
	}
	slices.SortFunc(seen, func(a, b tree.Entry) int { return strings.Compare(string(a.Path), string(b.Path)) })
	claimed := sync.OnceValue(func() map[tree.Path]bool { return ClaimedFolders(m.req.Ledger) }) // few drafts meet a copy
	for _, c := range m.allCopies(seen) {
		i := slices.IndexFunc(m.req.Wanted, func(w Wanted) bool { return w.Addon == c.Addon && !w.Adopt })
		if i < 0 || claimed()[c.Path] {
			continue
		}
		o := older{Copy: c, of: m.req.Wanted[i]}
		same := true
		for _, e := range seen {
			if !e.Path.Within(c.Path) || !unknown[e.Path] {
				continue
			}
			o.files = append(o.files, e.Path)
			n := g.goals[e.Path]
			same = same && n != nil && m.obs.At(e.Path).State.SameBytes(n.after)
		}
		o.place = slices.ContainsFunc(o.of.Files, func(f Target) bool { return f.Path.Within(c.Path) })
		if !same && len(o.files) > 0 {
			out = append(out, o)
		}
	}
	return out
}

// allCopies are those that names tell of, and those that tell of themselves under another name.
func (m *ground) allCopies(seen []tree.Entry) []Copy {
	all := slices.Clone(m.obs.Doubles)
	for _, c := range m.req.Copies(seen) {
		if !slices.ContainsFunc(all, func(o Copy) bool { return o.Path == c.Path }) {
			all = append(all, c)
		}
	}
	return all
}

// ClaimedFolders are the paths at which, or in which, something is that was deployed.
func ClaimedFolders(ledger map[tree.Path]Row) map[tree.Path]bool {
	out := map[tree.Path]bool{}
	for p, row := range ledger {
		if len(row.Claims) == 0 {
			continue
		}
		for ; p != tree.Root && !out[p]; p = p.Dir() {
			out[p] = true
		}
	}
	return out
}

// Neighbours are the folders right beside those of the add-ons that are wanted, as far as no
// deployment is known to have made them: one of them may be the same add-on under another name.
// Those whose names have something of a wanted one come first.
func (pl Plan) Neighbours(obs Observations) (out []tree.Path) {
	beside, names := map[tree.Path]bool{}, []string{}
	own, met := map[tree.Path]bool{}, map[tree.Path]bool{}
	for _, w := range pl.req.Wanted {
		if w.Adopt {
			continue
		}
		for _, f := range w.Files {
			for up := f.Path.Dir(); up != tree.Root && !met[up]; up = up.Dir() {
				met[up] = true
				if !pl.req.Shared[up] && pl.req.Shared[up.Dir()] {
					beside[up.Dir()], own[up] = true, true
				}
			}
		}
		names = append(names, w.Addon)
	}
	if len(beside) == 0 { // single files
		return nil
	}
	claimed := ClaimedFolders(pl.req.Ledger)
	for p, s := range obs.Paths {
		if s.State.Being == tree.Folder && p != tree.Root && beside[p.Dir()] && !own[p] && !claimed[p] && !pl.req.Shared[p] {
			out = append(out, p)
		}
	}
	alike := func(p tree.Path) int {
		folder := strings.ToLower(p.Base())
		if slices.ContainsFunc(names, func(n string) bool { return strings.Contains(folder, n) || strings.Contains(n, folder) }) {
			return 0
		}
		return 1
	}
	slices.SortFunc(out, func(a, b tree.Path) int {
		return cmp.Or(alike(a)-alike(b), strings.Compare(string(a), string(b)))
	})
	return out
}

// inOlder tells whether a path belongs to a copy that is told of as a whole.
func (m *ground) inOlder(p tree.Path) bool {
	return slices.ContainsFunc(m.copies, func(o older) bool { return p.Within(o.Path) })
}

// replaced tells whether what nobody deployed at a path is to go, so that something else takes its place.
func (r *Request) replaced(p tree.Path) bool {
	return slices.ContainsFunc(r.Settles, func(s Settle) bool { return s.Do == RemoveIt && p.Within(s.Path) })
}

// sayOlder blocks on copies that nobody has decided about yet.
func (m *telling) sayOlder() {
	for _, o := range m.copies {
		if m.req.replaced(o.Path) {
			m.report(finding.Note, "older-goes", o.Path, "", "%s, which nobody deployed, goes; its bytes are kept, and a rollback brings it back.", o.Path)
			continue
		}
		what := "lies beside it, so there would be two"
		leave := "Accept this to leave it there."
		if o.place {
			what = "is in its place"
			leave = "Accept this to have what the new one brings take over, with the old bytes kept, and leave the rest of it there."
		}
		m.report(finding.Block, "older-copy", o.Path,
			"Have it replaced: it goes, and its bytes are kept. Or take it in first, so that the new one is an update of it. Or take it off the server first. "+leave,
			"A copy of %s that nobody deployed %s: %s, %s.", o.of.Name, what, o.Path, words.Count(len(o.files), "file")).
			By(finding.ReplaceCopy.With(string(o.Path)), finding.TakeIn.With(string(o.Path)), finding.RemoveCopy.With(string(o.Path)))
	}
}
