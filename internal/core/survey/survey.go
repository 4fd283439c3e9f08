// Package survey compares a server's tree with what the ledger knows of it. It is pure: it is fed
// with the listings of folders, says which files have to be read, and gives what differs.
//
// What the ledger knows is the same, changed or missing; what it does not know is unknown, unless
// the rulebook says that the server makes it, or a person that it is to be ignored: that is
// counted. A folder of which nothing is known is one thing, with everything in it.
package survey

import (
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// Kind is how something differs.
type Kind string

// The kinds.
const (
	Changed Kind = "changed"
	Missing Kind = "missing"
	Unknown Kind = "unknown"
)

// Item is one thing that differs.
type Item struct {
	Kind  Kind       `json:"kind"`
	Path  tree.Path  `json:"path"`
	Was   tree.State `json:"was,omitzero"` // as it is recorded; of what is unknown, nothing
	Is    tree.State `json:"is"`           // the digest is not known where it was not read
	Owner string     `json:"owner,omitempty"`
	// In is the add-on in whose folder something unknown lies.
	In string `json:"in,omitempty"`
	// Of a folder, what is in it: of what is unknown, or what was there and is missing.
	Files int   `json:"files,omitempty"`
	Bytes int64 `json:"bytes,omitempty"`
	// Modified is the newest time of it, UTC milliseconds by the host's clock.
	Modified int64 `json:"modified,omitempty"`
	// Why says more of what is different, such as the entries that a text lacks.
	Why  string `json:"why,omitempty"`
	Diff string `json:"diff,omitempty"` // of a text; secrets are masked
}

// Same tells whether two items say the same of the same thing.
func (i Item) Same(o Item) bool {
	return i.Kind == o.Kind && i.Path == o.Path && i.Is == o.Is && i.Files == o.Files && i.Bytes == o.Bytes && i.Modified == o.Modified && i.Why == o.Why
}

// Counts sum a survey up. Bytes are of files that are there.
type Counts struct {
	Files   int   `json:"files"`   // that were seen
	Bytes   int64 `json:"bytes"`   // of them
	Folders int   `json:"folders"` // that were seen
	Same    int   `json:"same"`    // files that are as they are recorded
	Read    int   `json:"read"`    // of these, those whose bytes were read to know
	Changed int   `json:"changed"`
	Missing int   `json:"missing"`
	Unknown int   `json:"unknown"` // files that the ledger does not know, without those below
	Own     int   `json:"own"`     // files that the server makes itself, by the rulebook
	OwnSize int64 `json:"ownSize"` // bytes of them
	Ignored int   `json:"ignored"` // files that a person has said to ignore
	// Edited are texts of which the rest changed, and what was deployed into them holds.
	Edited int `json:"edited"`
}

// Differs tells whether anything that was deployed is not as it is recorded.
func (c Counts) Differs() bool { return c.Changed+c.Missing > 0 }

// Rules are what a rulebook and a person say of what nobody deployed.
type Rules struct {
	Own     []string    // globs of what the server makes by itself
	OwnDirs []tree.Path // folders that it writes
	Ignore  []string    // globs that a person ignores
	Places  []tree.Path // folders that several add-ons share
}

// Comparing is a survey under way. Its zero value is of no use; see [New].
type Comparing struct {
	ledger   map[tree.Path]draft.Row
	rules    Rules
	host     draft.Host
	thorough bool
	known    map[tree.Path]bool // folders that are in the ledger, or lead to what is
	owners   map[tree.Path]string
	seen     map[tree.Path]bool // what is recorded, and folders that lead there
	counted  map[tree.Path]bool // unknown folders in which something is counted elsewhere
	items    []Item
	within   map[tree.Path]*Item // unknown folders, with what is in them
	doubt    map[tree.Path]seenFile
	counts   Counts
}

type seenFile struct {
	state    tree.State
	modified int64
}

// several marks a folder that files of several add-ons share.
const several = "\x00"

// New begins a survey. thorough has every file that is known be read.
func New(ledger map[tree.Path]draft.Row, rules Rules, host draft.Host, thorough bool) *Comparing {
	c := &Comparing{ledger: ledger, rules: rules, host: host, thorough: thorough, known: map[tree.Path]bool{tree.Root: true}, owners: map[tree.Path]string{},
		seen: map[tree.Path]bool{tree.Root: true}, counted: map[tree.Path]bool{}, within: map[tree.Path]*Item{}, doubt: map[tree.Path]seenFile{}}
	for p, row := range ledger {
		if row.State.Being == tree.Folder {
			c.known[p] = true
		}
		label := ownerOf(row)
		for up := p; up != tree.Root; {
			up = up.Dir()
			c.known[up] = true
			switch was := c.owners[up]; {
			case label == "":
			case was == "":
				c.owners[up] = label
			case was != label:
				c.owners[up] = several
			}
		}
	}
	for _, p := range append(rules.Places, tree.Root) {
		for _, up := range append(p.Ancestors(), p) { // what leads to a place is nobody's either
			c.owners[up] = several
		}
	}
	return c
}

// ownerOf is the add-on that a path belongs to, for people; empty where it belongs to none.
func ownerOf(row draft.Row) string {
	if len(row.Claims) > 0 {
		return row.Claims[0].Label
	}
	return ""
}

// Folder takes in one thing that a folder holds, and tells whether what is in it has to be seen
// too. A folder is to be taken in before what is in it.
func (c *Comparing) Folder(p tree.Path, state tree.State, modified int64) (into bool) {
	c.count(state)
	row, recorded := c.ledger[p]
	if recorded && state.Being == row.State.Being || c.known[p] && state.Being == tree.Folder {
		c.seen[p] = true
	}
	switch {
	case p.Within(draft.Work) || strings.HasPrefix(p.Base(), string(draft.Work)):
		c.uncount(state)
		return false // ours
	case recorded && row.State.Being == tree.Content:
		c.file(p, row, state, modified)
		return false
	case state.Being == tree.Folder && c.known[p]:
		return true
	case c.known[p]: // a folder that is something else now; what was in it is missing
		i := Item{Kind: Changed, Path: p, Was: tree.State{Being: tree.Folder, Mode: row.State.Mode}, Is: state, Modified: modified}
		if o := c.owners[p]; o != several {
			i.Owner = o
		}
		c.items = append(c.items, i)
		return false
	}
	return c.unknown(p, state, modified)
}

func (c *Comparing) count(s tree.State) {
	switch s.Being {
	case tree.Folder:
		c.counts.Folders++
	case tree.Content:
		c.counts.Files++
		c.counts.Bytes += s.Size
	}
}

func (c *Comparing) uncount(s tree.State) {
	switch s.Being {
	case tree.Folder:
		c.counts.Folders--
	case tree.Content:
		c.counts.Files--
		c.counts.Bytes -= s.Size
	}
}

// file compares a file with its record.
func (c *Comparing) file(p tree.Path, row draft.Row, state tree.State, modified int64) {
	switch {
	case state.Being != tree.Content:
		c.items = append(c.items, Item{Kind: Changed, Path: p, Was: row.State, Is: state, Owner: ownerOf(row), Modified: modified})
	case !c.thorough && row.Reported.Trusts(state.Size, modified, c.host):
		c.counts.Same++
	default:
		c.doubt[p] = seenFile{state, modified}
	}
}

// unknown takes in what the ledger does not know.
func (c *Comparing) unknown(p tree.Path, state tree.State, modified int64) (into bool) {
	if top, in := c.topOf(p); in {
		if state.Being == tree.Content {
			counted := c.tally(p, state, func() { top.Files++; top.Bytes += state.Size; top.Modified = max(top.Modified, modified) })
			c.counted[top.Path] = c.counted[top.Path] || counted
		}
		return state.Being == tree.Folder
	}
	if state.Being == tree.Content && c.tally(p, state, func() {}) {
		return false
	}
	if state.Being == tree.Folder && (c.own(p) || c.ignored(p)) {
		// What is in it is counted, one by one, by the same rules.
		c.within[p] = &Item{Path: p}
		return true
	}
	i := Item{Kind: Unknown, Path: p, Is: state, Modified: modified, In: c.in(p)}
	if state.Being == tree.Folder {
		i.Modified = 0 // it is of what is in it
		c.within[p] = &i
		return true
	}
	c.items = append(c.items, i)
	return false
}

// tally counts an unknown file where it belongs; counted is true where that is not among what is
// unknown. unknown is called where it is.
func (c *Comparing) tally(p tree.Path, state tree.State, unknown func()) (counted bool) {
	switch {
	case c.ignored(p):
		c.counts.Ignored++
	case c.own(p):
		c.counts.Own++
		c.counts.OwnSize += state.Size
	default:
		c.counts.Unknown++
		unknown()
		return false
	}
	return true
}

// topOf gives the outermost unknown folder that something lies in.
func (c *Comparing) topOf(p tree.Path) (*Item, bool) {
	if len(c.within) == 0 {
		return nil, false
	}
	for up := p.Dir(); up != tree.Root; up = up.Dir() {
		if i := c.within[up]; i != nil {
			return i, true
		}
	}
	return nil, false
}

func (c *Comparing) own(p tree.Path) bool {
	return slices.ContainsFunc(c.rules.OwnDirs, func(d tree.Path) bool { return p == d || p.Within(d) }) || matches(c.rules.Own, p)
}

func (c *Comparing) ignored(p tree.Path) bool {
	for _, up := range append(p.Ancestors(), p) {
		if matches(c.rules.Ignore, up) {
			return true
		}
	}
	return false
}

func matches(globs []string, p tree.Path) bool {
	return slices.ContainsFunc(globs, func(g string) bool { return doublestar.MatchUnvalidated(g, string(p)) })
}

// in is the add-on in whose folder a path lies; empty where it is in none alone.
func (c *Comparing) in(p tree.Path) string {
	if o := c.owners[p.Dir()]; o != several {
		return o
	}
	return ""
}

// Doubtful are the files that have to be read, sorted: of those that are known, those whose times
// do not prove that they are as they were.
func (c *Comparing) Doubtful() []tree.Path {
	out := make([]tree.Path, 0, len(c.doubt))
	for p, s := range c.doubt {
		if !c.thorough && s.state.Size != c.ledger[p].State.Size && !c.edited(p) {
			continue // it is another one for certain
		}
		out = append(out, p)
	}
	slices.Sort(out)
	return out
}

// edited tells whether a path is a text that holds entries or tweaks.
func (c *Comparing) edited(p tree.Path) bool {
	row := c.ledger[p]
	return len(row.Listed)+len(row.Tweaks) > 0
}

// Size is how long a doubtful file is.
func (c *Comparing) Size(p tree.Path) int64 { return c.doubt[p].state.Size }

// Read takes in what a doubtful file holds, and tells whether that is as it is recorded; then what
// the host reports of it proves the same the next time.
func (c *Comparing) Read(p tree.Path, digest tree.Digest, size int64) (same bool, modified int64) {
	s := c.doubt[p]
	delete(c.doubt, p)
	row := c.ledger[p]
	s.state.Digest, s.state.Size = digest, size
	if row.State.SameBytes(s.state) {
		c.counts.Same++
		c.counts.Read++
		return true, s.modified
	}
	c.items = append(c.items, Item{Kind: Changed, Path: p, Was: row.State, Is: s.state, Owner: ownerOf(row), Modified: s.modified})
	return false, s.modified
}

// Held takes back that a text has changed: what was deployed into it holds, and the rest is the
// server's own.
func (c *Comparing) Held(p tree.Path) {
	c.items = slices.DeleteFunc(c.items, func(i Item) bool { return i.Path == p && i.Kind == Changed })
	c.counts.Edited++
}

// Result is what a survey found.
type Result struct {
	Items  []Item `json:"items"` // sorted by path
	Counts Counts `json:"counts"`
}
