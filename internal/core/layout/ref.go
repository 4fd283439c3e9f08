package layout

import (
	"fmt"
	"regexp"
	"strings"
)

// Ref is how people name a crate: name@version, or the name alone for its newest version,
// or name@version~digits where that is not clear.
type Ref struct{ Name, Version, Digits string }

var digits = regexp.MustCompile(`~([0-9a-f]{4,64})$`)

// ParseRef reads one. The name may hold spaces, and an @ of its own, also as its first
// character: what is behind the last one is the version.
func ParseRef(ref string) (r Ref, err error) {
	rest := strings.TrimSpace(ref)
	if m := digits.FindStringSubmatch(rest); m != nil {
		r.Digits = m[1]
		rest = strings.TrimSuffix(rest, m[0])
	}
	r.Name = rest
	if i := strings.LastIndexByte(rest, '@'); i > 0 {
		r.Name, r.Version = rest[:i], rest[i+1:]
		if r.Version == "" {
			return r, fmt.Errorf("%q is not name@version: nothing is behind the @", ref)
		}
	}
	if r.Name == "" {
		return r, fmt.Errorf("%q is not name@version", ref)
	}
	return r, nil
}
