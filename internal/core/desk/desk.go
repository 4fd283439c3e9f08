// Package desk decides what needs a person: out of how every server stands it makes a list of
// what waits, worst first, each with the deed that helps. Times are UTC milliseconds; 0 is none.
package desk

import (
	"cmp"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
)

// Kind is what sort of thing waits for a person. The code is stable.
type Kind string

// The kinds, the worst first.
const (
	Halted   Kind = "halted"   // a deployment stopped half-way
	HostKey  Kind = "host-key" // a host shows another key than the confirmed one, or one that nobody confirmed
	NoReach  Kind = "no-reach" // a host could not be reached or worked on
	Down     Kind = "down"     // a game is stopped that was told to run
	Failed   Kind = "failed"   // an add-on did not load
	ByHand   Kind = "by-hand"  // a deployment waits for something that a person does
	Search   Kind = "search"   // add-ons are off while somebody looks for the one that does something wrong
	Unsuited Kind = "unsuited" // add-ons lack what they need, or do not go together
	Blocked  Kind = "blocked"  // a draft that will not run as it is
	Changed  Kind = "changed"  // files were changed outside
	Silent   Kind = "silent"   // an add-on that a load list names was not heard of
	Apart    Kind = "apart"    // values that must go together do not
	Missed   Kind = "missed"   // a schedule did not do what it was to do
	Unread   Kind = "unread"   // a feed that cannot be read
	Untaken  Kind = "untaken"  // a download of which no crate came
	Drafted  Kind = "drafted"  // a draft that nobody has run
	Update   Kind = "update"   // newer versions that are staged and fit
	Released Kind = "released" // a feed announces what is newer
)

// order is the kinds as a person takes them up.
var order = []Kind{Halted, HostKey, NoReach, Down, Failed, ByHand, Search, Unsuited, Blocked, Changed, Silent, Apart, Missed, Unread, Untaken, Drafted, Update, Released}

// level is how much a kind weighs.
func (k Kind) level() finding.Level {
	switch k {
	case Halted, HostKey, NoReach, Down, Failed:
		return finding.Block
	case Drafted, Update, Released:
		return finding.Note
	}
	return finding.Warn
}

// Need is one thing that waits for a person.
type Need struct {
	Kind   Kind
	Level  finding.Level
	Server string // empty where it is about none, or about several
	What   string // a sentence without its full stop
	More   string // what there is to know besides
	Line   string // what a server or a host said, to the letter
	Since  int64  // when it began or was found; UTC milliseconds; 0 where that is not known
	// Deeds are one or two that help, the likeliest first.
	Deeds []finding.Remedy
}

// Server is how one server stands.
type Server struct {
	Name    string
	Open    *Deployment // the one that keeps its slot
	Drafts  []Deployment
	Reach   *finding.Finding // why its host was not reached at the last try; nil where it was
	TriedAt int64
	// Stopped is set where its game was found stopped though it was told to run.
	Stopped   bool
	StoppedAt int64
	StoppedBy string // how that was told
	Addons    []Addon
	RolledAt  int64
	RolledBy  string // the deployment of the last roll call; empty where it was none's
	Changed   *Change
	Company   []finding.Finding // what is wrong between its add-ons
	Apart     []finding.Finding // values that do not go together
	ApartAt   int64
	Search    *Narrowing
	Released  []string // name and version of what feeds announce and is newer than all that is staged
}

// Deployment is one that is not over.
type Deployment struct {
	Name, Title string
	State       string // halted, waiting and others
	Trouble     string
	Blocks      int // findings of a draft that nobody has accepted
	Since       int64
}

// Addon is an add-on on a server.
type Addon struct {
	Name, Version string
	Trouble       string // why it did not load
	Line          string // of the log that says so
	Silent        bool   // a load list names it, and nothing was heard of it
	Newer         string // a newer version that is staged, fits and is not held back
}

// Narrowing is a search by halves that nobody has ended.
type Narrowing struct {
	Off []string // what is off for it
	By  string   // who began it
	At  int64
}

// Change is what was found changed outside.
type Change struct {
	Changed, Missing, Unknown int
	Paths                     []string // some of them
	By                        string   // the survey or the deployment that saw it
	At                        int64
}

// Beside is what waits and belongs to no server.
type Beside struct {
	Missed  []Miss
	Unread  []Unreadable
	Untaken []Download
}

// Miss is a schedule whose last time did not go well.
type Miss struct {
	Schedule, Server, Words string
	At                      int64
}

// Unreadable is a feed that could not be read at the last try.
type Unreadable struct {
	Feed, Trouble string
	Since         int64 // when it last could; 0 for never
}

// Download is an archive of which no crate came.
type Download struct {
	Name, Why string
	At        int64
}

// Needs gathers what waits for a person, worst first, and of the same weight by server.
func Needs(servers []Server, beside Beside) []Need {
	var out []Need
	for _, s := range servers {
		out = append(out, s.needs()...)
	}
	out = append(out, beside.needs()...)
	for i := range out {
		out[i].Level = out[i].Kind.level()
	}
	slices.SortStableFunc(out, func(a, b Need) int {
		return cmp.Or(cmp.Compare(slices.Index(order, a.Kind), slices.Index(order, b.Kind)), strings.Compare(a.Server, b.Server))
	})
	return out
}
