package text

import (
	"regexp"
	"strings"
)

var secretName = regexp.MustCompile(`(?i)(^|[-_. ]|[a-z])(pass(word|wd|phrase|code)?|secret|token|licen[sc]e[-_ ]?(key|code)|api[-_ ]?key|private[-_ ]?key|webhook([-_ ]?(url|address))?|credentials?)$`)

// SecretPath tells whether a value goes by a name that secrets have, such as password.
func SecretPath(path string) bool {
	steps := Steps(path)
	for len(steps) > 0 {
		last := strings.TrimLeft(steps[len(steps)-1], "@")
		if last == "#text" || len(last) > 0 && (last[0] == '[' || last[0] >= '0' && last[0] <= '9') {
			steps = steps[:len(steps)-1]
			continue
		}
		return secretName.MatchString(last)
	}
	return false
}

// Masked is what is shown in the place of a secret.
const Masked = "······"

// Mask gives a text with every value masked that hidden names by its path. Nothing is masked
// in a text that cannot be read; masked says how many values were.
func Mask(source []byte, f Format, hidden func(path string) bool) (out []byte, masked int) {
	d, err := Parse(source, f)
	if err != nil {
		return source, 0
	}
	out = source
	var spans []Span
	d.Root.Walk(func(n *Node) bool {
		if n.Kind == Scalar && n.Up != nil && !n.At.Empty() && n.Value != "" && hidden(d.Path(n)) {
			spans = append(spans, n.At)
		}
		return true
	})
	for i := len(spans) - 1; i >= 0; i-- {
		out = splice(out, spans[i].From, spans[i].To, Masked)
	}
	return out, len(spans)
}
