package version

import (
	"fmt"
	"regexp"
	"strings"
)

// Range is a set of versions as authors write one. The zero Range holds all.
type Range struct {
	text string
	any  []span // one of them must hold; none means all
}

// span is an interval. An empty bound is open to that side.
type span struct {
	low, high         string
	lowOpen, highOpen bool // the bound itself is outside
}

// ParseRange reads a range as manifests of different origins write one: comparisons joined
// by spaces or commas (">=1.2 <2"), a caret or a tilde ("^1.2" up to the next 2, "~1.2.3" up
// to the next 1.3, as npm reads them; "~> 1.2" and "~=1.2" up to the next 2, as RubyGems and
// PEP 440 do), a span ("1.2 - 1.9", both ends in it), a wildcard ("1.2.x", "1.2.*", "*"), an
// interval ("[1.2,2.0)"), one version, or several of these joined by "||" or, for intervals
// and plain versions, by commas ("9.2, 9.3").
func ParseRange(text string) (Range, error) {
	r := Range{text: strings.TrimSpace(text)}
	for part := range strings.SplitSeq(r.text, "||") {
		spans, err := parseAny(strings.TrimSpace(part))
		if err != nil {
			return Range{}, fmt.Errorf("%q is no range of versions: %w", text, err)
		}
		if spans == nil {
			return Range{text: r.text}, nil // one part that holds all
		}
		r.any = append(r.any, spans...)
	}
	return r, nil
}

// String gives the range as it was written.
func (r Range) String() string { return r.text }

// Contains tells whether the version is in the range.
func (r Range) Contains(v string) bool {
	for _, s := range r.any {
		if s.contains(v) {
			return true
		}
	}
	return len(r.any) == 0
}

func (s span) contains(v string) bool {
	if s.low != "" {
		if c := Compare(v, s.low); c < 0 || c == 0 && s.lowOpen {
			return false
		}
	}
	if s.high != "" {
		if c := Compare(v, s.high); c > 0 || c == 0 && s.highOpen {
			return false
		}
	}
	return true
}

var (
	interval   = regexp.MustCompile(`^([\[(])\s*([^,\[\]()]*?)\s*(?:(,)\s*([^,\[\]()]*?)\s*)?([\])])`)
	comparison = regexp.MustCompile(`^(>=|<=|==|=|>|<|\^|~>|~=|~)?\s*([0-9A-Za-z][0-9A-Za-z.+_*-]*|\*)`)
	spanned    = regexp.MustCompile(`^([0-9A-Za-z][0-9A-Za-z.+_-]*)\s+-\s+([0-9A-Za-z][0-9A-Za-z.+_-]*)$`)
)

// parseAny reads one part between "||"; nil spans stand for all versions.
func parseAny(text string) ([]span, error) {
	if text == "" || text == "*" {
		return nil, nil
	}
	if strings.ContainsAny(text[:1], "[(") {
		return parseIntervals(text)
	}
	if m := spanned.FindStringSubmatch(text); m != nil {
		return []span{{low: m[1], high: m[2]}}, nil
	}
	var plain []span
	all := span{}
	compared := false
	for text != "" {
		m := comparison.FindStringSubmatch(text)
		if m == nil {
			return nil, fmt.Errorf("%q is not understood", text)
		}
		text = strings.TrimLeft(text[len(m[0]):], " ,")
		switch op, v := m[1], m[2]; {
		case op == "":
			s, err := wildcard(v)
			if err != nil {
				return nil, err
			}
			plain = append(plain, s)
		case strings.ContainsAny(strings.TrimRight(v, ".*"), "*"), v == "*", v == "x", v == "X":
			return nil, fmt.Errorf("%s cannot be compared with %s", v, op)
		default:
			compared = true
			if err := all.narrow(op, v); err != nil {
				return nil, err
			}
		}
	}
	if compared && plain != nil {
		return nil, fmt.Errorf("comparisons and plain versions are mixed")
	}
	if compared {
		return []span{all}, nil
	}
	return plain, nil
}

// narrow takes a comparison into a span. A version with a wildcard stands for all that it
// covers: ">1.2.x" begins with 1.3, "<=1.2.x" ends before it.
func (s *span) narrow(op, v string) error {
	base := strings.TrimRight(v, ".xX*")
	wild := base != v && (isWildcard(v) || strings.HasSuffix(v, "*"))
	if !wild {
		base = v
	}
	behind := base
	if wild && (op == ">" || op == "<=" || op == "=" || op == "==") {
		var err error
		if behind, err = after(base); err != nil {
			return err
		}
	}
	switch op {
	case ">":
		s.from(behind, !wild)
	case ">=":
		s.from(base, false)
	case "<":
		s.upTo(base, true)
	case "<=":
		s.upTo(behind, wild)
	case "^", "~", "~>", "~=":
		end, err := after(kept(op, base))
		if err != nil {
			return err
		}
		s.from(base, false)
		s.upTo(end, true)
	default:
		s.from(base, false)
		s.upTo(behind, wild)
	}
	return nil
}

// from and upTo keep the narrower of two bounds.
func (s *span) from(v string, open bool) {
	if c := Compare(v, s.low); s.low == "" || c > 0 || c == 0 && open {
		s.low, s.lowOpen = v, open
	}
}

func (s *span) upTo(v string, open bool) {
	if c := Compare(v, s.high); s.high == "" || c < 0 || c == 0 && open {
		s.high, s.highOpen = v, open
	}
}

// kept is the part of a version that may not change in its range: for a caret up to the first
// number that is not 0; for a tilde the first two numbers; for the others all but the last.
func kept(op, v string) string {
	core, _, _ := strings.Cut(v, "-")
	core, _, _ = strings.Cut(core, "+")
	parts := strings.Split(core, ".")
	var n int
	switch op {
	case "^":
		n = 1
		for n < len(parts) && strings.Trim(parts[n-1], "0") == "" {
			n++
		}
	case "~":
		n = min(2, len(parts))
	default:
		n = max(1, len(parts)-1)
	}
	return strings.Join(parts[:n], ".")
}

func parseIntervals(text string) ([]span, error) {
	var out []span
	for text != "" {
		m := interval.FindStringSubmatch(text)
		if m == nil {
			return nil, fmt.Errorf("%q is not understood", text)
		}
		text = strings.TrimLeft(text[len(m[0]):], " ,")
		s := span{low: m[2], high: m[4], lowOpen: m[1] == "(", highOpen: m[5] == ")"}
		if m[3] == "" {
			s.high = m[2] // [1.2]: just that
		}
		out = append(out, s)
	}
	return out, nil
}

func isWildcard(v string) bool {
	return v == "x" || v == "X" || strings.HasSuffix(v, ".x") || strings.HasSuffix(v, ".X")
}

// wildcard reads "1.2.x" as from 1.2 up to before 1.3.
func wildcard(v string) (span, error) {
	if !isWildcard(v) && !strings.Contains(v, "*") {
		return span{low: v, high: v}, nil
	}
	base := strings.TrimRight(v, ".xX*")
	if base == "" {
		return span{}, nil
	}
	if strings.Contains(base, "*") {
		return span{}, fmt.Errorf("%q has a * before its end", v)
	}
	next, err := after(base)
	return span{low: base, high: next, highOpen: true}, err
}

// after raises the last number by one: what comes after every 1.2.x is 1.3.
func after(v string) (string, error) {
	i := len(v)
	for i > 0 && digit(v[i-1]) {
		i--
	}
	if i == len(v) {
		return "", fmt.Errorf("%q does not end with a number before its wildcard", v)
	}
	digits := []byte(v[i:])
	for j := len(digits) - 1; j >= 0; j-- {
		if digits[j] != '9' {
			digits[j]++
			return v[:i] + string(digits), nil
		}
		digits[j] = '0'
	}
	return v[:i] + "1" + string(digits), nil
}
