package draft

import (
	"fmt"
	"slices"

	"restlesscrate/internal/core/asset"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// SwapWish is a person's own file that shall stand in the place of another, such as a picture of
// an add-on, or beside it under a name of its own.
type SwapWish struct {
	Path    tree.Path
	Bytes   Bytes
	Tweaked Tweaked // its Do is [tweak.Swap]
	// Was is what it takes the place of, nil where that is not known; Now is what it is.
	Was, Now *asset.Asset
}

// swapOf gives the swap that holds on a path.
func swapOf(row Row) (Tweaked, bool) {
	i := slices.IndexFunc(row.Tweaks, func(k Tweaked) bool { return k.Tweak.Do == tweak.Swap })
	if i < 0 {
		return Tweaked{}, false
	}
	return row.Tweaks[i], true
}

func bytesOf(k Tweaked) tree.State {
	var d tree.Digest
	if err := d.UnmarshalText([]byte(k.Tweak.Value)); err != nil {
		panic(fmt.Sprintf("draft: a swap was kept without its digest: %v", err)) // [SwapWish] has one
	}
	return tree.State{Being: tree.Content, Digest: d, Size: int64(k.Tweak.Count)}
}

// without gives tweaks but one.
func without(all []Tweaked, id string) []Tweaked {
	return slices.DeleteFunc(slices.Clone(all), func(k Tweaked) bool { return k.ID == id })
}

// swaps has persons' own files stand where they were put: those that are wished now, and those
// that hold, over what an update brings. What was swapped comes back where one is taken back.
func (g *goals) swaps(req *Request) {
	if len(req.Back) > 0 {
		return
	}
	for _, p := range TweakedTexts(req.Ledger) {
		if k, is := swapOf(req.Ledger[p]); is {
			g.swapped(req, p, k)
		}
	}
	for _, w := range req.Swaps {
		row, at := req.Ledger[w.Path], g.goals[w.Path]
		if at == nil {
			at = &goal{path: w.Path, claims: row.Claims}
			g.goals[w.Path] = at
		}
		at.after = tree.State{Being: tree.Content, Digest: w.Bytes.Digest, Size: w.Bytes.Size}
		at.reason = "in place of what is there, as you wish"
		k := w.Tweaked
		if before, is := swapOf(row); is {
			k.Was = before.Was // what stood there before any of them
		} else if row.State.Being == tree.Content {
			k.Was = &Bytes{Digest: row.State.Digest, Size: row.State.Size}
		}
		at.tweaks, at.swap = append(slices.DeleteFunc(slices.Clone(row.Tweaks), func(k Tweaked) bool { return k.Tweak.Do == tweak.Swap }), k), true
		g.fits(w)
	}
}

// swapped decides what becomes of a swap that the ledger knows.
func (g *goals) swapped(req *Request, p tree.Path, k Tweaked) {
	row, at := req.Ledger[p], g.goals[p]
	undo := slices.Contains(req.Untweak, k.ID) || slices.ContainsFunc(req.Swaps, func(w SwapWish) bool { return w.Path == p })
	switch {
	case at != nil && at.after.Being == tree.Content && undo:
		at.tweaks, at.swap = without(row.Tweaks, k.ID), true
	case at != nil && at.after.Being == tree.Content:
		at.after, at.exec = bytesOf(k), false
		at.tweaks, at.swap = row.Tweaks, true
		if brings := broughtAt(row); !brings.IsZero() && len(at.claims) > 0 && at.claims[len(at.claims)-1].Brings.Digest != brings {
			g.findings = append(g.findings, finding.Finding{Level: finding.Note, Code: "swap-again", Path: p,
				What: fmt.Sprintf("%s: the new version brings another file, and yours (%s) stays in its place.", p, k.Tweak.Text)})
		}
	case at != nil: // it goes with its add-on
		if k.Addon == "" || !removes(req, k.Addon) {
			g.findings = append(g.findings, finding.Finding{Level: finding.Warn, Code: "swap-goes", Path: p, Mend: "Swap it anew where the new version has it.",
				What: fmt.Sprintf("%s goes, and with it your file in its place (%s).", p, k.Tweak.Text)})
		}
	case undo, k.Addon != "" && removes(req, k.Addon):
		after := tree.Nothing
		if d := broughtAt(row); !d.IsZero() {
			after = tree.State{Being: tree.Content, Digest: d, Size: row.Claims[len(row.Claims)-1].Brings.Size}
		} else if k.Was != nil {
			after = tree.State{Being: tree.Content, Digest: k.Was.Digest, Size: k.Was.Size}
		}
		g.goals[p] = &goal{path: p, after: after, claims: row.Claims, reason: k.ID + " is taken back", tweaks: without(row.Tweaks, k.ID), swap: true}
	}
}

// stood notes with a new swap what was found where it goes, if the ledger did not know it.
func (g *goal) stood(before tree.State) {
	for i := range g.tweaks {
		if k := &g.tweaks[i]; k.Tweak.Do == tweak.Swap && k.Was == nil && before.Being == tree.Content && before.Digest != g.after.Digest && len(g.claims) == 0 {
			k.Was = &Bytes{Digest: before.Digest, Size: before.Size}
		}
	}
}

// broughtAt is what the add-ons bring to a path, zero where none does.
func broughtAt(row Row) tree.Digest {
	if len(row.Claims) == 0 {
		return tree.Digest{}
	}
	return row.Claims[len(row.Claims)-1].Brings.Digest
}

// fits tells where what is put is of another kind than what it takes the place of.
func (g *goals) fits(w SwapWish) {
	say := func(level finding.Level, code, mend, format string, args ...any) {
		g.findings = append(g.findings, finding.Finding{Level: level, Code: code, Path: w.Path, What: fmt.Sprintf(format, args...), Mend: mend})
	}
	switch {
	case w.Was == nil || w.Now == nil:
		say(finding.Warn, "swap-unknown", "Look whether it is of the same kind and measures.", "It is not known what %s takes the place of at %s: its bytes are not in the stockroom.", w.Tweaked.Tweak.Text, w.Path)
	case asset.OtherType(*w.Was, *w.Now):
		say(finding.Block, "swap-type", "Give one of the same kind. Or accept this, if the game is known to read it.", "%s is %s, and %s, which is to take its place, is %s.", w.Path, w.Was, w.Tweaked.Tweak.Text, w.Now)
	case asset.OtherMeasures(*w.Was, *w.Now):
		say(finding.Warn, "swap-measures", "A game may show a picture of other measures wrongly, or refuse it.", "%s is %s, and %s is %s.", w.Path, w.Was, w.Tweaked.Tweak.Text, w.Now)
	case asset.MuchLarger(*w.Was, *w.Now):
		say(finding.Warn, "swap-larger", "Players may have to load it. Make it smaller if it need not be as large.", "%s is %s, and %s is %s.", w.Path, w.Was, w.Tweaked.Tweak.Text, w.Now)
	}
}
