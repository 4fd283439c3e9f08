package layout

import (
	"cmp"
	"maps"
	"slices"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Pallet is a pack whose add-ons came together.
type Pallet struct{ Name, Version string }

// Key is the identity of the pallet over its versions.
func (p *Pallet) Key() string { return Key(p.Name) }

// Label is name@version, as people write it.
func (p *Pallet) Label() string { return p.Name + "@" + p.Version }

// PalletFix is under which key the name is kept that a person gives a pallet, by the key that
// its file name tells.
func PalletFix(key string) string { return "pallet " + key }

// pallet names the pack after its file, where it holds several add-ons, or as a person has
// said. An archive with several versions of one add-on is none.
func (l *laying) pallet() *Pallet {
	keys := map[string]bool{}
	for _, c := range l.res.Crates {
		keys[c.Key()] = true
	}
	if len(keys) < 2 || len(keys) < len(l.res.Crates) {
		return nil
	}
	t := l.book.Known.Tell(fileStem(l.archive.Filename).text)
	p := &Pallet{Name: t.Name, Version: cmp.Or(t.Version, Unmarked)}
	if fix := l.fixes[PalletFix(p.Key())]; fix.Name != "" {
		p.Name = fix.Name
	}
	return p
}

// rest makes one crate of what lies beside the add-ons of a pack, for the first kind that
// takes something of it.
func (l *laying) rest() {
	takes := func(k rulebook.Kind) bool { return len(k.Rest) > 0 }
	if len(l.res.Crates) == 0 || l.err != nil || !slices.ContainsFunc(l.book.Kinds, takes) {
		return
	}
	held := map[tree.Path]bool{}
	for _, c := range l.res.Crates {
		maps.Copy(held, c.sources())
	}
	wrapper, file := l.wrapper(), fileStem(l.archive.Filename)
	t := l.book.Known.Tell(file.text)
	file.text = t.Name + "-rest" // the pack's own name is the pallet's
	if t.Version != "" {
		file.text += "-" + t.Version
	}
	for i := range l.book.Kinds {
		k := &l.book.Kinds[i]
		of := l.restOf(k, wrapper, held)
		if len(of) == 0 {
			continue
		}
		maps.Copy(held, of)
		l.crate(k, root{folder: wrapper, rest: of, stems: []stem{file}, why: "what lies beside the add-ons of the pack", reason: "beside the add-ons of the pack"})
	}
}

func (l *laying) restOf(k *rulebook.Kind, wrapper tree.Path, held map[tree.Path]bool) map[tree.Path]bool {
	out := map[tree.Path]bool{}
	if len(k.Rest) == 0 {
		return out
	}
	for _, e := range l.files {
		if rel, below := e.Path.Below(wrapper); below && !held[e.Path] && globbed(k.Rest, rel) {
			out[e.Path] = true
		}
	}
	return out
}

// wrapper is the folder around everything in the archive; the root where there is none.
func (l *laying) wrapper() tree.Path {
	at := tree.Root
	for {
		var only tree.Path
		for _, e := range l.files {
			rel, _ := e.Path.Below(at)
			first := tree.Path(rel.Parts()[0])
			if rel.Depth() == 1 || only != tree.Root && first != only {
				return at
			}
			only = first
		}
		if only == tree.Root {
			return at
		}
		at = at.Join(only)
	}
}
