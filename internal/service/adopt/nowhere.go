package adopt

import (
	"fmt"
	"sync"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// inFolders gives what stands in a folder: folders, or files.
func (l *looking) inFolders() func(folder tree.Path, folders bool) ([]string, bool) {
	by := sync.OnceValue(func() map[tree.Path][]tree.Entry { // only some lists ask
		by := map[tree.Path][]tree.Entry{}
		for p, e := range l.all {
			by[p.Dir()] = append(by[p.Dir()], e)
		}
		return by
	})
	return func(folder tree.Path, folders bool) (names []string, ok bool) {
		for _, e := range by()[folder] {
			if e.Dir == folders {
				names = append(names, e.Path.Base())
			}
		}
		return names, true
	}
}

// unseen tells of add-ons that the server said it loaded, and that are neither deployed nor among
// what was found.
func (l *looking) unseen(found []Found) (out []finding.Finding) {
	seen := map[string]bool{}
	for i := range found {
		for _, n := range found[i].names() {
			seen[n] = true
		}
	}
	for _, row := range l.ledger {
		for _, c := range row.Claims {
			seen[c.Addon] = true
		}
	}
	for _, name := range l.unplaced {
		if !seen[layout.Key(name)] {
			out = append(out, finding.Finding{Level: finding.Note, Code: "loaded-nowhere", What: fmt.Sprintf("The server said at the last roll call that it loaded %s; nothing that was found there is called so.", name),
				Mend: "It may be the server's own, or lie where the rulebook does not look."})
		}
	}
	return out
}

// names are the keys under which a list or a log may speak of it.
func (f *Found) names() []string {
	return []string{layout.Key(f.Name), layout.Key(f.Path.Base()), f.key()}
}
