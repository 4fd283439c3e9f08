// Package scrub takes out of texts what is not to be shown to strangers: secrets that are known, and
// the addresses of people.
package scrub

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"
)

// Masked is what takes the place of a secret.
const Masked = "••••"

// shortest is the shortest secret that is looked for: shorter ones stand in every text by chance.
const shortest = 4

// Scrubber takes the same things out of several texts. An address has one name in all of them, so
// that it is seen who is the same. It is not safe for several goroutines.
type Scrubber struct {
	secrets []string
	known   map[netip.Addr]string
}

// New makes a scrubber for secrets.
func New(secrets []string) *Scrubber {
	s := &Scrubber{known: map[netip.Addr]string{}}
	for _, x := range secrets {
		if len(x) >= shortest && !slices.Contains(s.secrets, x) {
			s.secrets = append(s.secrets, x)
		}
	}
	// One that holds another goes first, so that nothing of it is left.
	slices.SortFunc(s.secrets, func(a, b string) int { return len(b) - len(a) })
	return s
}

// Candidates for addresses; [netip.ParseAddr] decides.
var (
	four = regexp.MustCompile(`\b[0-9]{1,3}(?:\.[0-9]{1,3}){3}\b`)
	six  = regexp.MustCompile(`[0-9A-Fa-f]{0,4}(?::[0-9A-Fa-f]{0,4}){2,7}`)
)

// Text takes secrets and addresses out of a text. Addresses of the machine itself and of nobody stay:
// they say nothing of anybody.
func (s *Scrubber) Text(text string) string {
	for _, x := range s.secrets {
		text = strings.ReplaceAll(text, x, Masked)
	}
	text = four.ReplaceAllStringFunc(text, s.address)
	var out strings.Builder
	end := 0
	for _, at := range six.FindAllStringIndex(text, -1) {
		word := text[at[0]:at[1]]
		if !alone(text, at[0], at[1]) || !strings.ContainsAny(word, "0123456789") || len(strings.Trim(word, ":")) < 5 {
			continue // a part of a word, such as of a name in a program, or a time
		}
		out.WriteString(text[end:at[0]] + s.address(word))
		end = at[1]
	}
	return out.String() + text[end:]
}

// alone tells whether a part of a text is no part of a longer word.
func alone(text string, from, to int) bool {
	letter := func(b byte) bool {
		return b == '_' || b >= '0' && b <= '9' || b >= 'A' && b <= 'Z' || b >= 'a' && b <= 'z'
	}
	return (from == 0 || !letter(text[from-1])) && (to == len(text) || !letter(text[to]))
}

func (s *Scrubber) address(word string) string {
	a, err := netip.ParseAddr(word)
	if err != nil || a.IsLoopback() || a.IsUnspecified() {
		return word
	}
	if s.known[a] == "" {
		s.known[a] = fmt.Sprintf("address-%d", len(s.known)+1)
	}
	return s.known[a]
}

// Addresses is how many different addresses were taken out.
func (s *Scrubber) Addresses() int { return len(s.known) }
