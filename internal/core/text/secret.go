package text

import (
	"regexp"
	"strings"
)

var secretName = regexp.MustCompile(`(?i)(^|[-_. ]|[a-z])(pass(word|wd|phrase|code)?|secret|token|licen[sc]e[-_ ]?(key|code)|api[-_ ]?key|private[-_ ]?key|webhook([-_ ]?(url|address))?|credentials?)$`)

// looksNamed finds NAME = VALUE and NAME: VALUE in a line, whatever stands around the name.
var looksNamed = regexp.MustCompile(`(?m)([\w.-]+)["'\]]*[ \t]*[:=][ \t]*([^\r\n]*[^\s])`)

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

// Mask gives a text with every value masked that hidden names by its path; masked says how
// many values were. In a text that cannot be read, every line that looks like NAME = VALUE or
// NAME: VALUE is taken for one: a broken text is shown to find what broke it.
func Mask(source []byte, f Format, hidden func(path string) bool) (out []byte, masked int) {
	out = source
	var spans []Span
	d, err := Parse(source, f)
	if err != nil {
		for _, at := range looksNamed.FindAllSubmatchIndex(source, -1) {
			if hidden("/" + string(source[at[2]:at[3]])) {
				spans = append(spans, Span{at[4], at[5]})
			}
		}
		return masking(out, spans), len(spans)
	}
	d.Root.Walk(func(n *Node) bool {
		if n.Kind == Scalar && n.Up != nil && !n.At.Empty() && n.Value != "" && hidden(d.Path(n)) {
			spans = append(spans, n.At)
		}
		return true
	})
	return masking(out, spans), len(spans)
}

func masking(out []byte, spans []Span) []byte {
	for i := len(spans) - 1; i >= 0; i-- {
		out = Splice(out, spans[i].From, spans[i].To, Masked)
	}
	return out
}
