package rulebook

import (
	"slices"
	"strings"
)

// IsGame tells whether a name means the game itself, so that what is said of it is said of the
// game's version.
func (b *Book) IsGame(name string) bool {
	return slices.ContainsFunc(append([]string{b.Name, b.Title}, b.Known.Names...), func(n string) bool { return strings.EqualFold(n, name) })
}

// IsLoader tells whether a name is that of a loader of the game.
func (b *Book) IsLoader(name string) bool {
	return slices.ContainsFunc(b.Known.Loaders, func(n string) bool { return strings.EqualFold(n, name) })
}
