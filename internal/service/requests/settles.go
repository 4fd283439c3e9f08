package requests

import (
	"context"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
)

// settles turns what is to be done about differences into goals. A folder of the ledger stands for
// all that is recorded in it.
func (s *Maker) settles(ctx context.Context, asked []Settling, among bool, req *draft.Request) (title string, err error) {
	done := map[tree.Path]bool{}
	add := func(x draft.Settle) {
		if !done[x.Path] {
			done[x.Path] = true
			req.Settles = append(req.Settles, x)
		}
	}
	for _, a := range asked {
		if !slices.Contains(draft.Settlings, a.Do) {
			return "", fault.New(fault.Usage, "bad-settling", "%q is nothing that can be done about a difference", a.Do).WithMend("It is accept, restore, remove or tweak.")
		}
		below := recordedBelow(req.Ledger, a.Path)
		row, known := req.Ledger[a.Path]
		switch {
		case a.Do == draft.RemoveIt && among && (known && len(row.Claims) > 0 || len(below) > 0):
			// What was deployed goes or comes by what else is asked for.
		case a.Do == draft.RemoveIt && (known && len(row.Claims) > 0 || len(below) > 0):
			return "", fault.New(fault.Usage, "not-unknown", "%s was deployed; it goes with its add-on, or is accepted as gone", a.Path).By(finding.ShowFiles.With())
		case a.Do == draft.RemoveIt:
			add(draft.Settle{Path: a.Path, Do: a.Do, Folder: a.Folder})
		case !known && len(below) == 0:
			return "", fault.New(fault.Unknown, "not-recorded", "the ledger knows nothing of %s, so nothing of it can be put back or accepted", a.Path).WithMend("What nobody deployed can be removed or ignored.")
		default:
			for _, p := range append(below, a.Path) {
				if r, ok := req.Ledger[p]; ok && (r.State.Being == tree.Content || a.Do == draft.RestoreIt || p == a.Path) {
					add(draft.Settle{Path: p, Do: a.Do})
				}
			}
		}
	}
	return draft.Settled(req.Settles), s.doneAgain(ctx, req)
}

// recordedBelow lists what the ledger knows in a folder, sorted.
func recordedBelow(ledger map[tree.Path]draft.Row, folder tree.Path) (out []tree.Path) {
	for p := range ledger {
		if p.Within(folder) && p != folder {
			out = append(out, p)
		}
	}
	slices.Sort(out)
	return out
}

// doneAgain finds the texts that are put back by doing again what was deployed into them: those of
// which the stockroom does not hold the bytes as they are recorded.
func (s *Maker) doneAgain(ctx context.Context, req *draft.Request) error {
	for i := range req.Settles {
		x := &req.Settles[i]
		row := req.Ledger[x.Path]
		if x.Do != draft.RestoreIt || len(row.Listed)+len(row.Tweaks) == 0 {
			continue
		}
		_, held, err := s.Bytes(ctx, row.State.Digest, draft.LongestMerge)
		if err != nil {
			return err
		}
		x.Again = !held
	}
	return nil
}
