package agree

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
)

// PortCode is the code of a finding about a port that is listened on twice.
const PortCode = "port-twice"

// named gives the texts with ports that the rulebook names outright, without a glob.
func named(b *rulebook.Book) (out []tree.Path) {
	for _, t := range b.Texts {
		for _, f := range t.Files {
			if p, err := tree.ParsePath(f); err == nil && len(t.Ports) > 0 && !strings.ContainsAny(f, "*?[{\\") {
				out = append(out, p)
			}
		}
	}
	return out
}

// ports tells of ports on which two parts of a server would listen: the second of them gets
// none. It goes by what the rulebook calls a port that is listened on, never by a name: a text
// may well name the port of something else.
func ports(b *rulebook.Book, s Seen) (out []Broken) {
	first := map[int]found{}
	texts := append(named(b), s.Others...)
	slices.Sort(texts)
	for _, p := range slices.Compact(texts) {
		rule, ruled := b.TextRule(p)
		if !ruled || len(rule.Ports) == 0 {
			continue
		}
		for _, port := range listened(rule, p, s) {
			n, err := strconv.Atoi(port.value)
			if err != nil || n <= 0 { // 0 and less say that it listens on none, or on any that is free
				continue
			}
			other, taken := first[n]
			if !taken {
				first[n] = port
				continue
			}
			out = append(out, Broken{Path: p, Finding: finding.Finding{Level: finding.Warn, Code: PortCode, Path: p, Mend: "Give one of the two another port.",
				What: fmt.Sprintf("%s (%s) and %s (%s) are both %d: where both speak TCP, or both UDP, only one of them can listen on it.", other.name(), other.where(), port.name(), port.where(), n)}})
		}
	}
	return out
}

// listened gives the ports of one text, in its order.
func listened(rule rulebook.TextRule, p tree.Path, s Seen) (out []found) {
	raw, ok := s.Text(p)
	if !ok {
		return nil
	}
	enc, is := text.EncodingOf(raw)
	if !is {
		return nil
	}
	source, err := enc.Decode(raw)
	if err != nil {
		return nil
	}
	format := rule.Format
	if format == "" {
		format = text.Guess(p.Base(), source)
	}
	d, err := text.Parse(source, format)
	if err != nil {
		return nil
	}
	d.Root.Walk(func(n *text.Node) bool {
		if n.Kind != text.Scalar || n.Up == nil {
			return true
		}
		at := d.Path(n)
		if times, counts := d.Doubled(n); times > 1 && !counts {
			return true
		}
		if slices.ContainsFunc(rule.Ports, func(glob string) bool { return doublestar.MatchUnvalidated(glob, at) }) {
			out = append(out, found{path: p, line: d.Line(n), at: at, format: format, value: n.Value})
		}
		return true
	})
	return out
}
