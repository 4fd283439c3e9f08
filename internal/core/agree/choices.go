package agree

import (
	"slices"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Choices gives, by value path, what values of a text may be as agreements say, where that is one
// of some words or the name of something that is there: so that nobody types it blind.
func Choices(b *rulebook.Book, vars map[string]string, s Seen, p tree.Path) map[string][]string {
	out := map[string][]string{}
	for _, a := range b.Agree {
		if at, ok := place(a.Left.File, vars); !ok || at != p {
			continue
		}
		c := checking{book: b, vars: vars, seen: s, a: a}
		left, ok := c.value(a.Left)
		if !ok || left.at == "" || left.items != nil {
			continue
		}
		if may := c.choices(); len(may) > 0 {
			out[left.at] = may
		}
	}
	return out
}

func (c checking) choices() (out []string) {
	switch c.a.Bound {
	case "one-of":
		return c.a.Values
	case "folder":
		folder, ok := place(c.a.In, c.vars)
		if !ok || c.seen.Folders == nil {
			return nil
		}
		names, _ := c.seen.Folders(folder)
		return slices.Sorted(slices.Values(names))
	case "add-on":
		return slices.Sorted(slices.Values(c.seen.Addons))
	case "in-list":
		if right, ok := c.value(c.a.Right); ok {
			return right.items
		}
	}
	return nil
}
