package rulebook

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"
)

// ParseRules reads rules for put that are kept outside a rulebook: a person's
// corrections. Their places are the book's. The error is an *[Error].
func ParseRules(b *Book, text string) ([]Rule, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return nil, &Error{Faults: []Fault{yamlFault(err)}}
	}
	if len(doc.Content) == 0 {
		return nil, nil
	}
	r := &reader{}
	rules := r.rules(doc.Content[0], b, nil)
	if len(r.faults) > 0 {
		return nil, &Error{Faults: r.faults}
	}
	for i := range rules {
		rules[i].Line = 0
	}
	return rules, nil
}

// RuleText writes one rule in the rulebook language, as a line that
// [ParseRules] reads.
func RuleText(rule Rule) string {
	parts := []string{fmt.Sprintf("take: %q", rule.Take)}
	if rule.Leave {
		parts = []string{fmt.Sprintf("leave: %q", rule.Take)}
	} else {
		parts = append(parts, "place: "+rule.Place, fmt.Sprintf("as: %q", rule.As))
	}
	if rule.Because != "" {
		parts = append(parts, fmt.Sprintf("because: %q", rule.Because))
	}
	return strings.ReplaceAll("- {"+strings.Join(parts, ", ")+"}\n", `" "`, `", "`)
}
