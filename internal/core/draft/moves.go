package draft

import (
	"slices"

	"restlesscrate/internal/core/tree"
)

// Renaming gives a file, or a folder with all in it, another name. Several follow one another: each
// is about the tree as those before it leave it.
type Renaming struct {
	From tree.Path `json:"from"`
	To   tree.Path `json:"to"`
}

// Moves are several, in their order. A draft is made of the tree as they leave it: they are the
// first that is done in the swap.
type Moves []Renaming

// New gives the path of something once all are done.
func (l Moves) New(p tree.Path) tree.Path {
	for _, m := range l {
		p = m.apply(p)
	}
	return p
}

// Old gives the path of something before any is done.
func (l Moves) Old(p tree.Path) tree.Path {
	for _, m := range slices.Backward(l) {
		p = Renaming{m.To, m.From}.apply(p)
	}
	return p
}

// Back gives the moves that take them back.
func (l Moves) Back() (out Moves) {
	for _, m := range slices.Backward(l) {
		out = append(out, Renaming{m.To, m.From})
	}
	return out
}

func (m Renaming) apply(p tree.Path) tree.Path {
	if p == m.From {
		return m.To
	}
	if rel, below := p.Below(m.From); below {
		return m.To.Join(rel)
	}
	return p
}

// With gives moves that hold on a server with more behind them: where a later one leads back to
// where an earlier one began, both are gone.
func (l Moves) With(more Moves) Moves {
	out := slices.Clone(l)
	for _, m := range more {
		if n := len(out); n > 0 && out[n-1].To == m.From && out[n-1].From == m.To {
			out = out[:n-1]
			continue
		}
		out = append(out, m)
	}
	return out
}

// Moved gives a ledger as it is once moves are done.
func (l Moves) Moved(ledger map[tree.Path]Row) map[tree.Path]Row {
	if len(l) == 0 {
		return ledger
	}
	out := make(map[tree.Path]Row, len(ledger))
	for p, row := range ledger {
		out[l.New(p)] = row
	}
	return out
}

// moves emits the renames, in front of all else in the swap.
func (m *emitting) moves(e *emitter) {
	if m.d.Legs > 1 {
		return
	}
	for _, mv := range m.req.Moves {
		if !m.mayTouch(mv.From) || !m.mayTouch(mv.To) {
			continue
		}
		seen := m.obs.At(m.req.Moves.after(mv))
		if seen.State.Being == tree.Foreign {
			m.refuse("foreign-in-way", mv.From, "Take it away by hand if it should go.", "%s is a link or device on the server; such things are never touched.", mv.From)
			continue
		}
		if m.req.Host.Tested && !m.req.Host.RenameFolders && seen.State.Being == tree.Folder {
			m.refuse("move-by-hand", mv.From, "Rename it by hand, and then change the name in the texts alone.", "%s is to be renamed, and this host does not rename folders.", mv.From)
			continue
		}
		e.group++
		s := e.step(Step{Phase: Swap, Verb: RenameIt, Path: mv.From, What: "to " + string(mv.To), Reason: "with all that is in it"})
		e.motion(s, Motion{Kind: MoveMotion, Path: mv.From, Subject: string(mv.To), Before: tree.State{Being: seen.State.Being}})
	}
	if len(m.req.Wanted)+len(m.req.Remove)+len(m.req.Toggles) > 0 && len(m.req.Moves) > 0 {
		m.refuse("move-alone", tree.Root, "Rename in a deployment of its own.", "Files and folders are renamed in a deployment that puts no add-on and takes none away.")
	}
}

// after gives where a moved thing is once the later moves are done too.
func (l Moves) after(m Renaming) tree.Path {
	i := slices.Index(l, m)
	return l[i+1:].New(m.To)
}
