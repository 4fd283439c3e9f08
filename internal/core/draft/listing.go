package draft

import (
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
)

// Listing is an entry of an add-on in a text that names what a server loads.
type Listing struct {
	Addon string            `json:"addon"` // the add-on's key
	Label string            `json:"label"` // name@version, for people
	Crate tree.Digest       `json:"crate"`
	Name  string            `json:"name"` // of the load list in the rulebook
	List  settings.List     `json:"list"`
	Key   string            `json:"key"` // the name as it stands in the text
	With  map[string]string `json:"with,omitempty"`
	Off   bool              `json:"off,omitempty"` // disabled
	// Back puts the entry back to where it stood, where disabling it took it out.
	Back *settings.Op `json:"back,omitempty"`
}

// equal tells whether two listings are the same entry of the same add-on.
func (l Listing) equal(o Listing) bool {
	return l.Addon == o.Addon && l.Name == o.Name && l.Key == o.Key
}

// Same tells whether two listings stand for the same entry, of whichever add-ons.
func (l Listing) Same(o Listing) bool { return l.Name == o.Name && l.Key == o.Key }

// Wish is an entry that a wanted add-on needs in a text.
type Wish struct {
	Path    tree.Path
	Listing Listing
	// Before are names that must not come before it: of what needs it.
	Before []string
}

// Edit is one change of a text, done for an add-on. Undo takes it back.
type Edit struct {
	Op    settings.Op `json:"op"`
	Undo  settings.Op `json:"undo,omitzero"`
	Addon string      `json:"addon"`
	Why   string      `json:"why"`
	Tweak string      `json:"tweak,omitempty"` // the ID of the tweak that it does
	// Secret says that its text holds secrets; Sealed is then what the records keep in place of
	// Op, Undo and Why, and empty everywhere else.
	Secret bool   `json:"secret,omitempty"`
	Sealed []byte `json:"sealed,omitempty"`
}

// ApplyEdits does edits one after the other. It gives them with their undos,
// without those that change nothing.
func ApplyEdits(text []byte, edits []Edit) (after []byte, done []Edit, err error) {
	after = text
	for _, e := range edits {
		var undo settings.Op
		if after, undo, err = settings.Apply(after, e.Op); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", e.Op.What(), err)
		}
		if undo.Do != "" {
			e.Undo = undo
			done = append(done, e)
		}
	}
	return after, done, nil
}

// edited is what a request wants of one text.
type edited struct {
	path     tree.Path
	edits    []Edit
	listed   []Listing // that hold once it is done
	claims   []Claim   // that hold once it is done: of crates that put the text as a whole
	tweaks   []Tweaked // that hold once it is done
	shipped  bool      // an add-on brings it: it is merged with what stands there
	returned bool      // by a rollback
	made     bool      // the text was made by what a rollback takes back
}

// Toggle is the wish to disable an add-on without taking it away, or to enable
// it again.
type Toggle struct {
	Addon, Name string
	Off         bool
}

// listings turns what is wanted, removed, disabled and enabled into edits.
func (g *goals) listings(req *Request) {
	for _, p := range slices.Sorted(maps.Keys(req.Ledger)) {
		for _, l := range req.Ledger[p].Listed {
			g.listed(req, p, l)
		}
	}
	for _, w := range byNeeds(req.Wanted) {
		for _, wish := range w.Listings {
			g.wish(req, w, wish)
		}
	}
	g.tweaks(req)
	maps.DeleteFunc(g.texts, func(p tree.Path, e *edited) bool {
		return len(e.edits) == 0 && sameListed(e.listed, req.Ledger[p].Listed) && sameTweaks(e.tweaks, req.Ledger[p].Tweaks)
	})
}

// byNeeds orders what is wanted so that its entries can be written one after the other, each behind
// those that it needs and else as it was asked for.
func byNeeds(wanted []Wanted) []*Wanted {
	type entry struct {
		path      tree.Path
		list, key string
	}
	waits := map[entry]int{} // how many others have to be written before an entry
	for _, w := range wanted {
		for _, wish := range w.Listings {
			for _, name := range wish.Before {
				waits[entry{wish.Path, wish.Listing.Name, name}]++
			}
		}
	}
	free := func(w *Wanted) bool {
		return !slices.ContainsFunc(w.Listings, func(wish Wish) bool { return waits[entry{wish.Path, wish.Listing.Name, wish.Listing.Key}] > 0 })
	}
	left := make([]*Wanted, len(wanted))
	for i := range wanted {
		left[i] = &wanted[i]
	}
	var out []*Wanted
	for len(left) > 0 {
		i := max(0, slices.IndexFunc(left, free)) // in a circle the first one
		w := left[i]
		left = slices.Delete(left, i, i+1)
		out = append(out, w)
		for _, wish := range w.Listings {
			for _, name := range wish.Before {
				waits[entry{wish.Path, wish.Listing.Name, name}]--
			}
		}
	}
	return out
}

// listed decides what becomes of an entry that the ledger knows.
func (g *goals) listed(req *Request, p tree.Path, l Listing) {
	at := g.text(req, p)
	drop := func(why string) {
		at.listed = slices.DeleteFunc(at.listed, l.equal)
		if slices.ContainsFunc(at.listed, l.Same) {
			return // another add-on needs the entry, such as the next one of its group
		}
		at.edits = append(at.edits, Edit{Op: settings.Op{List: l.List, Do: settings.Drop, Key: l.Key}, Addon: l.Addon, Why: why})
	}
	if i := slices.IndexFunc(req.Remove, func(r Removal) bool { return r.Addon == l.Addon }); i >= 0 {
		drop(req.Remove[i].Name + " goes")
		return
	}
	if i := slices.IndexFunc(req.Toggles, func(t Toggle) bool { return t.Addon == l.Addon }); i >= 0 {
		t := req.Toggles[i]
		do, why := settings.On, t.Name+" is enabled"
		if t.Off {
			do, why = settings.Off, t.Name+" is disabled; its files stay"
		}
		if slices.ContainsFunc(at.listed, func(o Listing) bool {
			return l.Same(o) && o.Addon != l.Addon && !slices.ContainsFunc(req.Toggles, func(t Toggle) bool { return t.Addon == o.Addon })
		}) {
			return // others, which stay as they are, have the same entry
		}
		op := settings.Op{List: l.List, Do: do, Key: l.Key, Values: l.With}
		if l.Back != nil && !t.Off {
			op = *l.Back
		}
		for n := range at.listed {
			if at.listed[n].equal(l) {
				at.listed[n].Off, at.listed[n].Back = t.Off, nil
			}
		}
		at.edits = append(at.edits, Edit{Op: op, Addon: l.Addon, Why: why})
		return
	}
	w := slices.IndexFunc(req.Wanted, func(w Wanted) bool { return w.Addon == l.Addon })
	if w < 0 {
		return
	}
	for _, wish := range req.Wanted[w].Listings {
		if wish.Path == p && wish.Listing.Name == l.Name && wish.Listing.Key == l.Key {
			return // it stays, as [goals.wish] writes it
		}
	}
	drop("no longer the name of " + req.Wanted[w].Label())
}

// wish adds the edit that makes an entry be there.
func (g *goals) wish(req *Request, w *Wanted, wish Wish) {
	at := g.text(req, wish.Path)
	l := wish.Listing
	op := settings.Op{List: l.List, Do: settings.Add, Key: l.Key, Values: l.With, Before: wish.Before}
	wished := func(key string) bool {
		return slices.ContainsFunc(w.Listings, func(o Wish) bool {
			return o.Path == wish.Path && o.Listing.Name == l.Name && o.Listing.Key == key
		})
	}
	known := slices.ContainsFunc(req.Ledger[wish.Path].Listed, l.equal)
	for _, old := range req.Ledger[wish.Path].Listed {
		if old.Addon != l.Addon || old.Name != l.Name || old.Key != l.Key && (known || wished(old.Key)) {
			continue
		}
		l.Off = l.Off || old.Off // what is disabled stays so over an update
		if old.Key != l.Key {
			op.After = old.Key // where the old name stood, which goes behind it
		}
	}
	op.Off = l.Off
	why := "lists " + w.Label()
	if l.Off {
		why += ", disabled as before"
	}
	// In front of what takes an old name of the same add-on out, so that the
	// place is still there.
	first := slices.IndexFunc(at.edits, func(e Edit) bool { return e.Addon == l.Addon && e.Op.Key == op.After })
	if first < 0 {
		first = len(at.edits)
	}
	at.edits = slices.Insert(at.edits, first, Edit{Op: op, Addon: l.Addon, Why: why})
	at.listed = append(slices.DeleteFunc(at.listed, l.equal), l)
}

// text gives what is wanted of a text so far.
func (g *goals) text(req *Request, p tree.Path) *edited {
	if g.texts[p] == nil {
		g.texts[p] = &edited{path: p, listed: slices.Clone(req.Ledger[p].Listed), claims: req.Ledger[p].Claims, tweaks: slices.Clone(req.Ledger[p].Tweaks)}
	}
	return g.texts[p]
}

// returns turns the edits that a rollback takes back into edits of now.
func (g *goals) returns(req *Request) {
	for _, r := range req.Back {
		if r.Whole || len(r.Edits)+len(r.Unlist)+len(r.Relist)+len(r.Untweak)+len(r.Retweak) == 0 {
			continue
		}
		delete(g.goals, r.Path)
		at := g.text(req, r.Path)
		at.returned = true
		at.made = r.To.Being == tree.Absent
		if r.Claimed {
			at.claims = r.Claims
		}
		at.edits = append(at.edits, r.Edits...)
		at.tweaks = r.retweaked(at.tweaks)
		for _, l := range r.Unlist {
			at.listed = slices.DeleteFunc(at.listed, l.equal)
		}
		for _, l := range r.Relist {
			at.listed = append(slices.DeleteFunc(at.listed, l.equal), l)
		}
	}
}
