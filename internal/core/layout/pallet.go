package layout

import "cmp"

// Pallet is a pack whose add-ons came together.
type Pallet struct{ Name, Version string }

// Key is the identity of the pallet over its versions.
func (p *Pallet) Key() string { return Key(p.Name) }

// Label is name@version, as people write it.
func (p *Pallet) Label() string { return p.Name + "@" + p.Version }

// pallet names the pack after its file, where it holds several add-ons. An
// archive with several versions of one add-on is none.
func (l *laying) pallet() *Pallet {
	keys := map[string]bool{}
	for _, c := range l.res.Crates {
		keys[c.Key()] = true
	}
	if len(keys) < 2 || len(keys) < len(l.res.Crates) {
		return nil
	}
	t := l.book.Known.Tell(fileStem(l.archive.Filename).text)
	return &Pallet{Name: t.Name, Version: cmp.Or(t.Version, Unmarked)}
}
