package draft

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Event is one line of the ledger, as a rollback reads it.
type Event struct {
	Seq        int64
	Deployment string // its name, such as saltpan#7
	Change     Change
}

// Return is what a rollback wants of one path: what it expects to find, and
// what shall stand there again.
type Return struct {
	Path   tree.Path
	From   tree.State // what the change that goes back had left
	To     tree.State
	Claims []Claim // that hold once it is back
	Later  string  // a later deployment that changed the path again, or empty
	Why    string
	// Where the path is a text that was edited, its edits go back instead of its
	// bytes: what others changed in it since stays.
	Edits          []Edit
	Unlist, Relist []Listing
	Untweak        []string // IDs of tweaks that hold no more
	Retweak        []Tweaked
	// Whole says that a text was put as a whole too, so that its bytes go back after
	// all, with the entries Listed that it had. Claimed says that its owners go back.
	Whole, Claimed bool
	Listed         []Listing
}

// Inverse is the way back over some events of one server: each of their paths
// to what it was before the first of them. all are the server's events, in
// order; which chooses those that go back.
func Inverse(all []Event, which func(Event) bool) []Return {
	byPath := map[tree.Path]*Return{}
	for _, e := range all {
		if e.Change.Moved != tree.Root { // it goes back with its name
			continue
		}
		r := byPath[e.Change.Path]
		switch {
		case which(e) && r == nil:
			byPath[e.Change.Path] = &Return{Path: e.Change.Path, From: e.Change.After, To: e.Change.Before,
				Claims: e.Change.ClaimsBefore, Listed: e.Change.ListedBefore, Why: "as it was before " + e.Deployment}
			byPath[e.Change.Path].takeBack(e.Change, byPath[e.Change.Path].Why)
		case which(e):
			r.From, r.Later = e.Change.After, ""
			r.takeBack(e.Change, r.Why)
		case r != nil && !e.Change.After.Same(r.From):
			r.Later = e.Deployment
		}
	}
	return sorted(byPath)
}

// AsOf is the way back to how things stood after the event seq, over the
// paths that which chooses. Paths that have not changed since are not in it.
func AsOf(all []Event, seq int64, name string, which func(Event) bool) []Return {
	chosen := map[tree.Path]bool{}
	left := map[tree.Path]Change{} // the last that was recorded of a path up to seq
	for _, e := range all {
		if which(e) {
			chosen[e.Change.Path] = true
		}
		if e.Seq <= seq {
			left[e.Change.Path] = e.Change
		}
	}
	byPath := map[tree.Path]*Return{}
	for _, e := range all {
		p := e.Change.Path
		if e.Seq <= seq || !chosen[p] {
			continue
		}
		if byPath[p] == nil {
			byPath[p] = &Return{Path: p, To: e.Change.Before, Claims: e.Change.ClaimsBefore, Listed: e.Change.ListedBefore, Why: "as it was after " + name}
			// What an event found may hold what came by hand in between.
			if c, ok := left[p]; ok {
				byPath[p].To, byPath[p].Claims, byPath[p].Listed = c.After, c.ClaimsAfter, c.ListedAfter
			}
		}
		byPath[p].From = e.Change.After
		byPath[p].takeBack(e.Change, byPath[p].Why)
	}
	return sorted(byPath)
}

// takeBack adds the way back over the edits of one more event, a later one than
// those before.
func (r *Return) takeBack(c Change, why string) {
	var back []Edit
	for _, e := range slices.Backward(c.Edits) {
		back = append(back, Edit{Op: e.Undo, Addon: e.Addon, Why: why})
	}
	r.Edits = append(back, r.Edits...)
	r.Whole = r.Whole || len(c.Edits) == 0 && !c.Before.SameBytes(c.After)
	r.Claimed = r.Claimed || !sameClaims(c.ClaimsBefore, c.ClaimsAfter)
	r.untweaks(c)
	for _, l := range c.ListedAfter {
		if !slices.ContainsFunc(c.ListedBefore, l.equal) && !slices.ContainsFunc(r.Relist, l.equal) {
			r.Unlist = append(r.Unlist, l)
		}
	}
	for _, l := range c.ListedBefore {
		was := slices.IndexFunc(c.ListedAfter, l.equal)
		if (was < 0 || c.ListedAfter[was].Off != l.Off || c.ListedAfter[was].Label != l.Label) && !slices.ContainsFunc(r.Relist, l.equal) && !slices.ContainsFunc(r.Unlist, l.equal) {
			r.Relist = append(r.Relist, l)
		}
	}
}

// OfAddon keeps of the ways back over edits those that were done for one add-on.
func (r *Return) OfAddon(addon string) {
	other := func(a string) bool { return a != addon }
	r.Edits = slices.DeleteFunc(r.Edits, func(e Edit) bool { return other(e.Addon) })
	r.Unlist = slices.DeleteFunc(r.Unlist, func(l Listing) bool { return other(l.Addon) })
	r.Relist = slices.DeleteFunc(r.Relist, func(l Listing) bool { return other(l.Addon) })
	r.Retweak = slices.DeleteFunc(r.Retweak, func(k Tweaked) bool { return other(k.Addon) })
}

// Touches tells whether an event changed what an add-on claims.
func (e Event) Touches(addon string) bool {
	has := func(c Claim) bool { return c.Addon == addon }
	of := func(all []Listing) []Listing {
		return slices.DeleteFunc(slices.Clone(all), func(l Listing) bool { return l.Addon != addon })
	}
	was, is := slices.ContainsFunc(e.Change.ClaimsBefore, has), slices.ContainsFunc(e.Change.ClaimsAfter, has)
	if len(e.Change.Edits) > 0 { // what owns an edited text is not what was changed in it
		was, is = was && !is, is && !was
	}
	return was || is ||
		slices.ContainsFunc(e.Change.Edits, func(d Edit) bool { return d.Addon == addon }) ||
		!sameListed(of(e.Change.ListedBefore), of(e.Change.ListedAfter))
}

func sorted(byPath map[tree.Path]*Return) []Return {
	out := make([]Return, 0, len(byPath))
	for _, r := range byPath {
		out = append(out, *r)
	}
	slices.SortFunc(out, func(a, b Return) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return out
}
