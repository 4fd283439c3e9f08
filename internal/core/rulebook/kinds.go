package rulebook

import (
	"slices"

	"go.yaml.in/yaml/v3"
)

// asWords are the placeholders that a rule's "as" may hold.
var asWords = []string{"name", "version", "path", "file"}

func (r *reader) kinds(n *yaml.Node, b *Book) {
	r.named(n, "kinds", func(key, value *yaml.Node) {
		k := Kind{Name: key.Value, Line: key.Line}
		r.mapping(value, "kind "+key.Value,
			field{"about", false, r.text("about", &k.About)},
			field{"recognise", true, func(v *yaml.Node) { r.recognise(v, &k) }},
			field{"name", false, func(v *yaml.Node) {
				r.mapping(v, "name",
					field{"trim", false, r.texts("trim", &k.Trim, checkAny)},
					field{"read", false, func(v *yaml.Node) { k.NameIn = r.reading(v) }})
			}},
			field{"version", false, func(v *yaml.Node) {
				r.mapping(v, "version", field{"read", true, func(v *yaml.Node) { k.VerIn = r.reading(v) }})
			}},
			field{"put", true, func(v *yaml.Node) { r.rules(v, b, &k) }},
		)
		b.Kinds = append(b.Kinds, k)
	})
	if len(b.Kinds) == 0 && n.Kind == yaml.MappingNode {
		r.fault(n, "a rulebook needs at least one kind")
	}
}

func (r *reader) recognise(n *yaml.Node, k *Kind) {
	before := len(r.faults)
	r.mapping(n, "recognise",
		field{"single", false, r.texts("single", &k.Single, checkGlob)},
		field{"holds", false, r.texts("holds", &k.Holds, checkGlob)},
		field{"marker", false, r.texts("marker", &k.Marker, checkFileName)},
		field{"loose", false, r.texts("loose", &k.Loose, checkGlob)})
	ways := 0
	for _, way := range [][]string{k.Single, k.Marker, k.Loose} {
		if len(way) > 0 {
			ways++
		}
	}
	if len(r.faults) > before {
		return
	}
	if ways != 1 {
		r.fault(n, "recognise needs exactly one of single, marker and loose; it has %d", ways)
	}
	if len(k.Holds) > 0 && len(k.Single) == 0 {
		r.fault(n, "holds goes with single")
	}
}

func (r *reader) reading(n *yaml.Node) *Reading {
	rd := &Reading{Line: n.Line}
	r.mapping(n, "read",
		field{"file", true, func(v *yaml.Node) {
			r.text("file", &rd.File)(v)
			if err := checkGlob(rd.File); err != nil {
				r.fault(v, "%v", err)
			}
		}},
		field{"match", true, func(v *yaml.Node) {
			r.text("match", &rd.Match)(v)
			if err := checkMatch(rd.Match); err != nil {
				r.fault(v, "match: %v", err)
			}
		}})
	return rd
}

func (r *reader) rules(n *yaml.Node, b *Book, k *Kind) {
	if !r.is(n, yaml.SequenceNode, "put") {
		return
	}
	for _, item := range n.Content {
		rule := Rule{Line: item.Line}
		var leave string
		r.mapping(item, "a rule under put",
			field{"take", false, r.texts("take", &rule.Take, checkGlob)},
			field{"leave", false, func(v *yaml.Node) {
				r.texts("leave", &rule.Take, checkGlob)(v)
				rule.Leave, leave = true, "leave"
			}},
			field{"place", false, func(v *yaml.Node) {
				r.text("place", &rule.Place)(v)
				if _, ok := b.Place(rule.Place); !ok {
					names := make([]string, len(b.Places))
					for i, p := range b.Places {
						names[i] = p.Name
					}
					r.fault(v, "there is no place %q; %s", rule.Place, suggest(rule.Place, names))
				}
			}},
			field{"as", false, func(v *yaml.Node) { r.as(v, &rule) }},
			field{"because", false, r.text("because", &rule.Because)})
		switch {
		case item.Kind != yaml.MappingNode:
		case leave != "" && rule.Place != "":
			r.fault(item, "a rule either puts files in a place or leaves them out, not both")
		case leave == "" && len(rule.Take) == 0:
			r.fault(item, "a rule needs take (what goes) or leave (what stays out)")
		case leave == "" && rule.Place == "":
			r.fault(item, "a rule with take needs the place it goes to")
		}
		if rule.As == "" {
			rule.As = "{path}"
		}
		k.Rules = append(k.Rules, rule)
	}
	if len(n.Content) == 0 {
		r.fault(n, "put needs at least one rule")
	}
}

func (r *reader) as(v *yaml.Node, rule *Rule) {
	r.text("as", &rule.As)(v)
	if err := checkPlacePath(rule.As); err != nil {
		r.fault(v, "as: %v", err)
		return
	}
	for _, word := range Placeholders(rule.As) {
		if !slices.Contains(asWords, word) {
			r.fault(v, "as holds {%s}; %s", word, suggest(word, asWords))
		}
	}
}
