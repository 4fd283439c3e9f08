package draft

import (
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Seen is what a look at the server found at one path. Digest is set only
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
}

// At is what stands at p.
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
	req   *Request
	goals map[tree.Path]bool
}

// Look says what must be observed for a request.
func Look(req *Request) Plan {
	return planOf(gather(req), req)
}

func planOf(g *goals, req *Request) Plan {
	folders := map[tree.Path]bool{tree.Root: true}
	goals := map[tree.Path]bool{}
	for p := range g.goals {
		goals[p] = true
		for _, up := range p.Ancestors() {
			folders[up] = true
		}
		if g.goals[p].after.Being == tree.Absent {
			if row, ok := req.Ledger[p]; ok && row.State.Being == tree.Folder {
				folders[p] = true
			}
		}
	}
	texts := slices.Sorted(maps.Keys(g.texts))
	for _, p := range texts {
		goals[p] = true
		for _, up := range p.Ancestors() {
			folders[up] = true
		}
		for _, l := range req.Lists {
			if l.Path != p {
				continue
			}
			for _, r := range l.Rules {
				folders[r.Folder] = true
				for _, up := range r.Folder.Ancestors() {
					folders[up] = true
				}
			}
		}
	}
	for _, n := range req.NewNames {
		for _, up := range n.To.Ancestors() {
			folders[up] = true
		}
	}
	var trees []tree.Path
	for _, f := range req.Data {
		trees = append(trees, f.Path)
	}
	for _, r := range req.Returns {
		trees = append(trees, r.Folder)
	}
	return Plan{Folders: slices.SortedFunc(maps.Keys(folders), byDepth), Texts: texts, Trees: trees, req: req, goals: goals}
}

// NeedsBytes tells whether the bytes at p must be read and hashed: it is a
// file that the draft is about, and the host's own times do not prove that it
// is what the ledger knows.
func (pl Plan) NeedsBytes(p tree.Path, s Seen) bool {
	if !pl.goals[p] || s.State.Being != tree.Content || slices.Contains(pl.Texts, p) {
		return false
	}
	row, known := pl.req.Ledger[p]
	return !known || row.State.Being != tree.Content || !row.Reported.Trusts(s.State.Size, s.Modified, pl.req.Host)
}

// Known completes a look whose bytes need not be read: the ledger's digest.
func (pl Plan) Known(p tree.Path) tree.Digest { return pl.req.Ledger[p].State.Digest }

func byDepth(a, b tree.Path) int {
	if d := a.Depth() - b.Depth(); d != 0 {
		return d
	}
	return strings.Compare(string(a), string(b))
}
