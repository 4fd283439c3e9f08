package rulebook

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/version"
)

func (r *reader) rules(n *yaml.Node, b *Book, k *Kind) (rules []Rule) {
	if !r.expect(n, yaml.SequenceNode, "put") {
		return nil
	}
	for _, item := range n.Content {
		rules = append(rules, r.rule(item, b, k))
	}
	if len(n.Content) == 0 {
		r.fault(n, "put needs at least one rule")
	}
	return rules
}

func (r *reader) rule(item *yaml.Node, b *Book, k *Kind) Rule {
	rule := Rule{Line: item.Line}
	r.mapping(item, "a rule under put",
		field{"take", false, r.texts("take", &rule.Take, checkGlob)},
		field{"leave", false, func(v *yaml.Node) {
			var globs []string
			r.texts("leave", &globs, checkGlob)(v)
			if len(rule.Take) > 0 {
				r.fault(v, "a rule either puts files in a place or leaves them out, not both")
			}
			rule.Take, rule.Leave = globs, true
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
		field{"into", false, func(v *yaml.Node) { r.path(v, "into", &rule.Into, intoWords, nil) }},
		field{"as", false, func(v *yaml.Node) { r.path(v, "as", &rule.As, asWords, k) }},
		field{"because", false, r.text("because", &rule.Because)},
		field{"one-of", false, func(v *yaml.Node) {
			r.text("one-of", &rule.OneOf)(v)
			if !IsName(rule.OneOf) {
				r.fault(v, "%q cannot name parts of which one is taken: small letters, digits and dashes", rule.OneOf)
			}
		}},
		field{"for", false, func(v *yaml.Node) {
			r.mapping(v, "for",
				field{"game", false, r.text("game", &rule.For.Game)},
				field{"loader", false, r.text("loader", &rule.For.Loader)})
			if _, err := version.ParseRange(rule.For.Game); rule.For.Game != "" && err != nil {
				r.fault(v, "game: %v", err)
			}
		}},
		field{"optional", false, func(v *yaml.Node) {
			r.text("optional", &rule.Optional)(v)
			if !IsName(rule.Optional) {
				r.fault(v, "%q cannot name an optional part: small letters, digits and dashes, at most 31, not a dash first", rule.Optional)
			}
		}},
		field{"also", false, r.yes("also", &rule.Also)},
		field{"settings", false, r.yes("settings", &rule.Settings)})
	switch {
	case item.Kind != yaml.MappingNode:
	case rule.Leave && rule.Place != "":
		r.fault(item, "a rule either puts files in a place or leaves them out, not both")
	case (rule.OneOf != "" || rule.For != (For{})) && (rule.Optional == "" || rule.OneOf == ""):
		r.fault(item, "parts of which one is taken need optional (the part's name) and one-of (the name for all of them)")
	case rule.Leave && (rule.Also || rule.Settings || rule.Optional != "" || rule.Into != ""):
		r.fault(item, "a rule that leaves files out has nothing optional, also, settings or into")
	case !rule.Leave && len(rule.Take) == 0:
		r.fault(item, "a rule needs take (what goes) or leave (what stays out)")
	case !rule.Leave && rule.Place == "":
		r.fault(item, "a rule with take needs the place it goes to")
	}
	if rule.As == "" {
		rule.As = "{path}"
	}
	return rule
}

// path reads a path that may hold some placeholders.
func (r *reader) path(v *yaml.Node, what string, dst *string, words []string, k *Kind) {
	r.text(what, dst)(v)
	if err := checkPlacePath(*dst); err != nil {
		r.fault(v, "%s: %v", what, err)
		return
	}
	for _, word := range Placeholders(*dst) {
		wild := what == "as" && len(word) == 1 && word >= "1" && word <= "9"
		switch {
		case wild || slices.Contains(words, word):
		case k != nil:
			r.later = append(r.later, func() {
				if !k.Told(word) {
					r.fault(v, "%s holds {%s}; %s", what, word, suggest(word, words))
				}
			})
		default:
			r.fault(v, "%s holds {%s}; %s", what, word, suggest(word, words))
		}
	}
}

// NeedsBase tells whether a rule can only be followed where it is known which
// add-on is changed.
func (r Rule) NeedsBase() bool {
	return slices.Contains(Placeholders(r.As), "base") || slices.Contains(Placeholders(r.Into), "base")
}
