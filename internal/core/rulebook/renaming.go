package rulebook

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/tree"
)

// Renaming is how add-ons are disabled for which a server has no list: what lies directly in
// a place gets a suffix that the server does not load. Place is empty where that goes for
// every place of the kind.
type Renaming struct{ Suffix, Place string }

func (r *reader) renaming(v *yaml.Node, k *Kind, b *Book) {
	var to Renaming
	r.mapping(v, "disabled-by",
		field{"suffix", true, func(v *yaml.Node) {
			r.text("suffix", &to.Suffix)(v)
			if err := checkFileName("x" + to.Suffix); err != nil {
				r.fault(v, "suffix: %v", err)
			}
		}},
		field{"place", false, func(v *yaml.Node) {
			r.text("place", &to.Place)(v)
			if _, ok := b.Place(to.Place); !ok {
				r.fault(v, "there is no place %q", to.Place)
			}
		}})
	k.DisabledBy = &to
}

// Renamed are the folders of a server in which the names of a kind's add-ons tell whether
// they are disabled.
type Renamed struct {
	suffix  string
	folders []tree.Path
}

// Renames tells how add-ons of a kind are disabled on a server with these values; ok is
// false where that is not done by renaming.
func (b *Book) Renames(kind string, values map[string]string) (out Renamed, ok bool, err error) {
	for i := range b.Kinds {
		k := &b.Kinds[i]
		if k.Name != kind || k.DisabledBy == nil {
			continue
		}
		out.suffix = k.DisabledBy.Suffix
		for _, rule := range k.Rules {
			if rule.Leave || k.DisabledBy.Place != "" && rule.Place != k.DisabledBy.Place {
				continue
			}
			folder, err := b.Resolve(rule.Place, values)
			if err != nil {
				return out, false, fmt.Errorf("how %s is disabled: %w", kind, err)
			}
			out.folders = append(out.folders, folder)
		}
		return out, true, nil
	}
	return out, false, nil
}

// RenamesKind tells whether add-ons of a kind are disabled by renaming.
func (b *Book) RenamesKind(kind string) bool {
	return slices.ContainsFunc(b.Kinds, func(k Kind) bool { return k.Name == kind && k.DisabledBy != nil })
}

// WithOwn adds what an add-on has for itself, as NAME=VALUE, to a server's values.
func WithOwn(values map[string]string, own []string) map[string]string {
	out := make(map[string]string, len(values)+len(own))
	maps.Copy(out, values)
	for _, word := range own {
		if name, value, ok := strings.Cut(word, "="); ok {
			out[name] = value
		}
	}
	return out
}

// parts cuts a path into the folder, the name that lies directly in it, and the rest.
func (r Renamed) parts(p tree.Path) (folder tree.Path, name, rest string, ok bool) {
	for _, f := range r.folders {
		rel, below := p.Below(f)
		if !below || ok && f.Depth() <= folder.Depth() {
			continue
		}
		folder, ok = f, true
		name, rest, _ = strings.Cut(string(rel), "/")
	}
	return folder, name, rest, ok
}

// Off tells whether a path is named as one of a disabled add-on is.
func (r Renamed) Off(p tree.Path) bool {
	_, name, _, ok := r.parts(p)
	return ok && strings.HasSuffix(name, r.suffix) && name != r.suffix
}

// Name gives what a path is called where its add-on is disabled, or where it is not.
func (r Renamed) Name(p tree.Path, off bool) tree.Path {
	folder, name, rest, ok := r.parts(p)
	if !ok {
		return p
	}
	name = strings.TrimSuffix(name, r.suffix)
	if off {
		name += r.suffix
	}
	if rest != "" {
		name += "/" + rest
	}
	return folder.Join(tree.Path(name))
}
