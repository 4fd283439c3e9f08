package layout

import (
	"cmp"
	"slices"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Folder is an empty folder of a crate: an add-on that writes into it needs it to be there.
// Its target is as that of a [File].
type Folder struct {
	Place    string    `json:"place"`
	Path     tree.Path `json:"path"`
	Source   tree.Path `json:"source"` // in the archive
	Line     int       `json:"line"`   // of the rule that would take a file in it
	Optional string    `json:"optional,omitempty"`
}

// anyFile stands for a file in an empty folder: only a rule that takes every file there
// takes this one.
const anyFile = "\u00b7"

// emptyFolders are the folders of an archive in which it has nothing. What a desktop has left
// in one counts for nothing, as it is left out.
func emptyFolders(entries []tree.Entry) (out []tree.Path) {
	if !slices.ContainsFunc(entries, func(e tree.Entry) bool { return e.Dir }) {
		return nil
	}
	full := map[tree.Path]bool{}
	for _, e := range entries {
		if isDropping(e.Path) {
			continue
		}
		for up := e.Path.Dir(); up != tree.Root && !full[up]; up = up.Dir() {
			full[up] = true
		}
	}
	for _, e := range entries {
		if e.Dir && e.Path != tree.Root && !full[e.Path] && !isDropping(e.Path) && !inside(e.Path) {
			out = append(out, e.Path)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// folders gives each empty folder below the root the target that a file in it would have. One
// that no rule speaks of is not missed.
func (c *Crate) folders(rules []rulebook.Rule, empty []tree.Path, r root) {
	if r.whole || r.only != nil || r.rest != nil || r.repack != "" {
		return
	}
	for _, at := range empty {
		rel, below := at.Below(r.folder)
		if !below {
			continue
		}
		rel = rel.Join(anyFile)
		i := slices.IndexFunc(rules, func(rule rulebook.Rule) bool { return globbed(rule.Take, rel) })
		if i < 0 || rules[i].Leave || rules[i].Into != "" {
			continue
		}
		rule := &rules[i]
		target, err := placing{c, rule, rel, r}.fill(rule.As)
		if err != nil || target.Base() != anyFile || target.Dir() == tree.Root || strings.Contains(string(target.Dir()), anyFile) {
			continue
		}
		c.Folders = append(c.Folders, Folder{Place: rule.Place, Path: target.Dir(), Source: at, Line: rule.Line, Optional: rule.Optional})
	}
	slices.SortFunc(c.Folders, func(a, b Folder) int {
		return cmp.Or(strings.Compare(a.Place, b.Place), strings.Compare(string(a.Path), string(b.Path)))
	})
	c.Folders = slices.CompactFunc(c.Folders, func(a, b Folder) bool { return a.Place == b.Place && a.Path == b.Path })
}
