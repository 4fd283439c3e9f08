package draft

import (
	"cmp"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// Renamings gives new names to files and folders that are called from, the outermost first; whole
// leaves alone what is only called so in part. What stands in a packed file keeps its name, and
// what is among leave. Nothing gets a name that no file can have.
func Renamings(paths []tree.Path, from, to string, whole bool, leave []tree.Path) (out Moves) {
	sorted := slices.Clone(paths)
	slices.SortFunc(sorted, func(a, b tree.Path) int {
		return cmp.Or(strings.Count(string(a), "/")-strings.Count(string(b), "/"), cmp.Compare(a, b))
	})
	for _, p := range sorted {
		if slices.Contains(leave, p) || strings.Contains(string(p), "!/") {
			continue
		}
		name := tweak.Swapped(p.Base(), from, to, whole)
		if as, err := tree.ParsePath(name); err == nil && as.Base() == name && name != p.Base() {
			at := out.New(p) // where it is by then
			out = append(out, Renaming{From: at, To: at.Dir().Join(tree.Path(name))})
		}
	}
	return out
}
