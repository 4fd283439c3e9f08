package archive

import (
	"fmt"
	"path"
	"strings"

	"restlesscrate/internal/core/tree"
)

// link is an entry that stands for another one of the same archive.
type link struct {
	name   string // of the entry, as it is written
	at, to tree.Path
}

// whatToDo tells a person how to get past a refusal.
const whatToDo = "unpack it yourself, look at what you get, and stage the folder"

// linked keeps a link for the end, when everything that it can stand for is known. from is the
// folder from which its target is read: the archive's own for a hard link.
func (op *opening) linked(name string, at, from tree.Path, target string) error {
	refuse := func(why string) error {
		return &Error{Code: "unsafe-entry", Entry: name, What: fmt.Sprintf("is a link to %q, %s; %s", target, why, whatToDo)}
	}
	target = strings.ReplaceAll(target, `\`, "/")
	if path.IsAbs(target) {
		return refuse("which is outside of the archive")
	}
	joined := path.Join(string(from), target)
	if joined == ".." || strings.HasPrefix(joined, "../") {
		return refuse("which is outside of the archive")
	}
	to, err := tree.ParsePath(joined)
	if err != nil || to == tree.Root {
		return refuse("which is no file or folder in it")
	}
	op.links = append(op.links, link{name, at, to})
	return nil
}

// resolve makes copies of what links stand for: what is put on a server is files. Links may
// stand for other links.
func (op *opening) resolve(l *Listing) error {
	todo := op.links
	op.links = nil
	for len(todo) > 0 {
		var later []link
		for _, k := range todo {
			if found, err := op.copyOf(l, k); err != nil {
				return err
			} else if !found {
				later = append(later, k)
			}
		}
		if len(later) == len(todo) {
			k := later[0]
			return &Error{Code: "unsafe-entry", Entry: k.name, What: fmt.Sprintf("is a link to %q, which is not in the archive; %s", k.to, whatToDo)}
		}
		todo = later
	}
	return nil
}

// copyOf adds what a link stands for under its own name; found is false where that is not
// there yet.
func (op *opening) copyOf(l *Listing, k link) (found bool, err error) {
	for _, it := range l.Items {
		rel, below := it.Path.Below(k.to)
		if it.Path != k.to && !below {
			continue
		}
		if k.at.Within(k.to) {
			return false, &Error{Code: "unsafe-entry", Entry: k.name, What: "is a link to a folder around itself; " + whatToDo}
		}
		found = true
		it.Path = k.at.Join(rel)
		if it.Path == "" {
			it.Path = k.at
		}
		if err := op.budget.spend(k.name, it.Size); err != nil {
			return false, err
		}
		l.Items = append(l.Items, it)
	}
	if found {
		op.note("link-copied", k.at, "%s is a link to %s in the archive; it becomes a copy", k.at, k.to)
	}
	return found, nil
}
