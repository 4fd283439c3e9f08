package draft

import (
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Seen is the state of one path at a look. Digest is set only
// where the bytes were read.
type Seen struct {
	State    tree.State
	Modified int64 // UTC milliseconds, by the host's clock
}

// Observations are what was found. A path whose folder was listed and that is
// not in Paths is absent.
type Observations struct {
	Paths map[tree.Path]Seen
	Texts map[tree.Path][]byte // of [Plan.Texts] that are there
	// Doubles are folders of [Plan.Neighbours] that hold an add-on that is wanted.
	Doubles []Copy
}

// At gives what was found at p.
func (o Observations) At(p tree.Path) Seen {
	if s, ok := o.Paths[p]; ok {
		return s
	}
	return Seen{State: tree.Nothing}
}

// Plan is what must be observed before a draft can be made.
type Plan struct {
	// Folders are to be listed, outermost first; one that is absent, or
	// whose parent is, needs no listing.
	Folders []tree.Path
	// Texts are to be read whole, if they are there.
	Texts []tree.Path
	// Trees are to be listed with everything in them: data folders, for what they
	// weigh.
	Trees []tree.Path
	full  map[tree.Path]bool // the folders; true for those that hold something that the draft is about
	req   *Request
	g     *goals
}

// Look says what must be observed for a request.
func Look(req *Request) Plan {
	return planOf(gather(req), req)
}

func planOf(g *goals, req *Request) Plan {
	folders := map[tree.Path]bool{tree.Root: false}
	pass := func(p tree.Path) { // a folder that is known has those above it known too
		for {
			if _, known := folders[p]; known {
				return
			}
			folders[p] = false
			p = p.Dir()
		}
	}
	above := func(p tree.Path) {
		pass(p.Dir())
		folders[p.Dir()] = true
	}
	for p := range g.goals {
		above(p)
		if g.goals[p].after.Being == tree.Absent {
			if row, ok := req.Ledger[p]; ok && row.State.Being == tree.Folder {
				pass(p)
			}
		}
	}
	all := map[tree.Path]bool{}
	for p := range g.texts {
		all[p] = true
	}
	for p := range g.merged {
		all[p] = true
	}
	for p := range g.drawn {
		all[p] = true
	}
	for _, p := range req.AgreeFiles {
		all[p] = true
	}
	for _, p := range g.toSettle(req) {
		all[p] = true
	}
	texts := slices.Sorted(maps.Keys(all))
	for _, p := range texts {
		above(p)
		for _, l := range req.Lists {
			if l.Path != p {
				continue
			}
			for _, r := range l.Rules {
				pass(r.Folder)
				folders[r.Folder] = true
			}
		}
	}
	for _, mv := range req.Moves {
		above(req.Moves.after(mv))
	}
	for _, n := range req.NewNames {
		above(n.To)
	}
	for _, f := range req.Renew {
		if f.From != tree.Root {
			above(f.From)
		}
	}
	for _, h := range req.Hands { // whether what is looked for in a text can be done before the stop
		if h.File != tree.Root {
			above(h.File)
		}
	}
	for _, s := range req.Sets {
		if s.Check.File != tree.Root {
			above(s.Check.File)
		}
	}
	var trees []tree.Path
	for _, f := range req.Data {
		trees = append(trees, f.Path)
	}
	for _, r := range req.Returns {
		trees = append(trees, r.Folder)
	}
	return Plan{Folders: slices.SortedFunc(maps.Keys(folders), byDepth), Texts: texts, Trees: trees, full: folders, req: req, g: g}
}

// Full tells whether a planned folder holds something that the draft is about. The other
// folders only lead there: of their files the names count and nothing else.
func (pl Plan) Full(folder tree.Path) bool { return pl.full[folder] }

// NeedsBytes tells whether the bytes at p must be read and hashed: it is a
// file that the draft is about, and the host's own times do not prove that it
// is what the ledger knows.
func (pl Plan) NeedsBytes(p tree.Path, s Seen) bool {
	if _, about := pl.g.goals[p]; !about || s.State.Being != tree.Content || pl.g.texts[p] != nil {
		return false
	}
	if _, merged := pl.g.merged[p]; merged { // it is read as a text
		return false
	}
	row, known := pl.req.Ledger[p]
	return !known || row.State.Being != tree.Content || !row.Reported.Trusts(s.State.Size, s.Modified, pl.req.Host)
}

// NeedsText tells whether a text must be read: one that is merged need not be where the
// host's own times prove that it is what the add-on brought.
func (pl Plan) NeedsText(p tree.Path, s Seen) bool {
	m, merged := pl.g.merged[p]
	row := pl.req.Ledger[p]
	return !merged || pl.g.texts[p] != nil || len(row.Tweaks) > 0 || row.State.Digest != m.base ||
		!row.Reported.Trusts(s.State.Size, s.Modified, pl.req.Host)
}

// Make makes the draft, as [Make] does, from the goals that the look was planned from. It
// can be called once and uses the request up: a long draft is not to be in memory beside
// all that it was made from.
func (pl Plan) Make(obs Observations) *Draft {
	req := *pl.req
	*pl.req = Request{}
	return makeFrom(pl.g, &req, obs)
}

// Known completes a look whose bytes need not be read: the ledger's digest.
func (pl Plan) Known(p tree.Path) tree.Digest { return pl.req.Ledger[p].State.Digest }

func byDepth(a, b tree.Path) int {
	if d := a.Depth() - b.Depth(); d != 0 {
		return d
	}
	return strings.Compare(string(a), string(b))
}
