// Package draft decides what a deployment will do, and touches nothing.
//
// It is two pure calls. [Look] says what must be observed on the server for a
// request; [Make] turns the request and the observations into a [Draft]:
// ordered steps with their reasons, the motions behind them, and findings.
// The same inputs give the same draft, and [Draft.Digest] names it.
//
// The package also decides what a broken run left behind: [Decide] tells from
// what the host holds whether a motion happened, [Forward] and [Backward]
// give the one act that does or undoes it.
package draft

import (
	"fmt"
	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
)

// Role says how a crate stands to a path that it claims.
type Role string

// The roles. Whoever shares a path brings the same bytes as its owner; whoever
// overlays it brings others, which stand there while it does.
const (
	Owns     Role = "owns"
	Shares   Role = "shares"
	Overlays Role = "overlays"
)

// Bytes name some bytes; the zero value means that they are not known.
type Bytes struct {
	Digest tree.Digest `json:"digest,omitzero"`
	Size   int64       `json:"size,omitempty"`
}

// Claim says that a path belongs to an add-on. A path is removed when its last claim is
// removed.
type Claim struct {
	Addon string      `json:"addon"` // the add-on's key
	Label string      `json:"label"` // name@version, for people
	Crate tree.Digest `json:"crate"`
	Role  Role        `json:"role"`
	// Brings are the add-on's own bytes for the path: what stands there once
	// nothing overlays it any more. Claims of early records lack them.
	Brings Bytes `json:"brings,omitzero"`
}

// Row is what the ledger knows of one path.
type Row struct {
	State    tree.State
	Claims   []Claim
	Listed   []Listing // entries of add-ons in the text at this path
	Tweaks   []Tweaked // that hold on the text at this path, in their order
	Reported Reported
}

// Reported is what the host itself said of a file after our last write or
// reading of it. Times are UTC milliseconds.
type Reported struct {
	Size     int64 `json:"size"`
	Modified int64 `json:"modified"` // by the host's clock
	SeenAt   int64 `json:"seenAt"`   // by the host's clock, as far as it is known; 0 where it is not
}

// Trusts tells whether a file is certainly unchanged since Reported: same
// size and time, and that time older than the look by more than the host's
// resolution, so that a later change would have given it another time.
func (r Reported) Trusts(size, modified int64, h Host) bool {
	return r.SeenAt != 0 && h.Resolution > 0 && size == r.Size && modified == r.Modified &&
		r.Modified+h.Resolution < r.SeenAt
}

// Host is what is known of the host's abilities.
type Host struct {
	ability.Set
	Tested      bool  // whether a test has found them out; a draft believes the usual ones until then
	Plain       bool  // whether nothing on the way to it tells that bytes were changed, and no test has proved that they are not
	Unclean     bool  // whether a test has proved that they are
	UploadLimit int64 // bytes of the longest file that it takes, as far as a person knows; 0: any
	SideBySide  int   // how many renames it does at a time
	Rate        int64 // bytes a second that came and went the last time; 0 where that is not known
}

// Target is one file of a wanted crate at its real path on this server.
type Target struct {
	Path   tree.Path
	Digest tree.Digest
	Size   int64
	Exec   bool
	// Overlay is set where the add-on may change another's file.
	Overlay bool
	// Settings is set for a text that people change: theirs is kept over updates.
	Settings bool
	// Merged says for a packed file what was merged into it, in words, and Over into what.
	Merged string
	Over   tree.Digest
}

// Wanted is a crate to be on the server.
type Wanted struct {
	Addon     string // key
	Adopt     bool   // it lies on the server already, and the ledger takes it in as it is
	Name      string
	Version   string
	Crate     tree.Digest
	Files     []Target    // without those of parts that are not taken
	Folders   []tree.Path // that are to be there, though it has nothing in them
	Parts     []Part      // by choice
	Values    []Value     // that belong to the add-on, such as its group folder
	Lacks     string      // the add-on that it changes, where that is not on the server and not wanted
	Build     string      // which of several builds it is, where the server's game version chose it
	OtherKind string      // of what kind the installed add-on of this name is, where that is another
	Fit       fit.Verdict // how it fits the server
	Why       string      // why its files go where they go, where it is not that they are new
	Says      []Says      // what the author's notes tell people to do
	// Listings are the entries that it needs in texts that name what is loaded.
	Listings []Wish
	Effect   Effect
}

// Value is a variable of a place that each add-on has for itself.
type Value struct{ Name, Value string }

// Says is an instruction in the author's notes. From names it for a person and for
// ticking it off.
type Says struct {
	From tree.Path
	Text string
}

// Part is an optional part of a wanted crate.
type Part struct {
	Name  string
	Taken bool
	Files int
}

// Label is name@version.
func (w Wanted) Label() string { return w.Name + "@" + w.Version }

// Removal is an add-on to be removed.
type Removal struct{ Addon, Name string }

// Request is everything that a draft is made from but the server's tree.
type Request struct {
	Wanted   []Wanted
	Remove   []Removal
	Toggles  []Toggle
	FirstRun []string     // globs of what is there only once the server has run
	Data     []DataFolder // that are copied while the server is stopped
	Renew    []DataFolder // that the server shall make anew
	Returns  []DataReturn // of earlier copies
	Sets     []Set        // variables of the server that get another value
	NewNames []NewName    // of data folders that are begun anew
	Launches []Launch     // by which a wanted loader is installed
	Hands    []Hand       // what a person has to do, that was not done on this server before
	Power    *Power       // nil where nothing is known of how to stop and start the server
	Back     []Return     // the goals of a rollback, from [Inverse] or [AsOf]
	Lists    []Listed     // the rulebook's load lists on this server
	// Ledger is what is known of the paths that the request may be about, and of the
	// folders above them; Present are the keys of all add-ons on the server.
	Ledger map[tree.Path]Row
	// Drifts are values that the server's texts hold otherwise than they are recorded.
	Drifts []Drift
	// Kept says of members of a pallet why they are not deployed.
	Kept []string
	// Shared are the folders that no add-on has for itself: places, and what leads there.
	Shared map[tree.Path]bool
	// Company is what add-ons tell of one another.
	Company Company
	// Touched is what goes or comes back by a removal or a rollback.
	Touched   []Touched
	Present   map[string]bool
	Protected []string // globs from the rulebook
	CaseBlind bool     // by the rulebook
	Host      Host
	Own       int64                  // bytes free on the service's own disk, 0 where that is not known
	Held      func(tree.Digest) bool // whether the stockroom holds these bytes
	// HeldBy names the archives that hold bytes which the stockroom does not; nil where nobody knows.
	HeldBy func(tree.Digest) []string
	// Renamed are names that are changed in texts, with what was found of each.
	Renamed []Renamed
	// Instead are add-ons that go because another one takes their place: the old name, the new one.
	Instead [][2]string
	// Copies finds what looks like an add-on among things on the server that nobody deployed; nil
	// where nobody can tell.
	Copies func(entries []tree.Entry) []Copy
	// Recognise tells which add-on a folder holds, out of what is right in it and of what its
	// texts say of themselves; nil where nobody can tell.
	Recognise func(folder tree.Path, inside []tree.Entry, read func(p tree.Path, most int64) ([]byte, error)) (Copy, bool, error)
	// Tweaks are changes of texts that shall hold, and Untweak the IDs of those that shall
	// hold no more.
	Tweaks  []TweakWish
	Untweak []string
	// Templates are, by the ID of a tweak that holds, what its value is made from, with all filled
	// in but the values of texts; and Format tells the format that the rulebook says a text has,
	// nothing where it says none.
	Templates map[string]string
	Format    func(p tree.Path) text.Format
	// Moves are files and folders that get other names. All else of the request is about the
	// tree as they leave it.
	Moves Moves
	// Settles are what is done about what differs from the ledger.
	Settles []Settle
	// Swaps are persons' own files that shall stand in the place of others.
	Swaps []SwapWish
	// Agree looks whether values of texts go together, of the texts AgreeFiles; nil where
	// the rulebook says nothing.
	Agree      func(agree.Seen) []agree.Broken
	AgreeFiles []tree.Path
	// Puts are texts that a person has edited as a whole.
	Puts []TextPut
	// Secret tells which values of texts the rulebook calls secret; nil where none are.
	Secret func(p tree.Path, at string) bool
	// Shipped are the bytes that [Plan.Contents] asks for, as far as they are known.
	Shipped map[tree.Digest][]byte
	// Keep is what was decided where both the server and a new version changed the same.
	Keep     map[tree.Path]map[string]merge.Side
	Thorough bool // whether every file is read back once it is sent
}

// Change is what the draft does to one path, as the ledger will write it.
type Change struct {
	Path         tree.Path  `json:"path"`
	Before       tree.State `json:"before"`
	After        tree.State `json:"after"`
	ClaimsBefore []Claim    `json:"claimsBefore,omitempty"`
	ClaimsAfter  []Claim    `json:"claimsAfter,omitempty"`
	// A text that is edited: its entries, and the edits in their order.
	ListedBefore []Listing `json:"listedBefore,omitempty"`
	ListedAfter  []Listing `json:"listedAfter,omitempty"`
	Edits        []Edit    `json:"edits,omitempty"`
	TweaksBefore []Tweaked `json:"tweaksBefore,omitempty"`
	TweaksAfter  []Tweaked `json:"tweaksAfter,omitempty"`
	// Moved is the other path of something that got another name, of both changes that it is.
	Moved tree.Path `json:"moved,omitempty"`
}

// Idle tells whether a change changed nothing of what stands at a path and of who owns it: such
// as where an add-on's entry in a text is the same in its next version.
func (c Change) Idle() bool {
	return c.Before.Same(c.After) && len(c.Edits) == 0 && sameTweaks(c.TweaksBefore, c.TweaksAfter) && sameClaims(c.ClaimsBefore, c.ClaimsAfter)
}

// Did says what edits did, in words.
func (c Change) Did() (out []string) {
	for _, e := range c.Edits {
		switch {
		case e.Op.Tweak != nil:
			out = append(out, e.Op.Tweak.String())
			continue
		case e.Op.Merge != nil:
			out = append(out, "brings in what the new version changes")
			continue
		}
		form := map[settings.Verb]string{settings.Add: "names %s", settings.Drop: "takes %s out", settings.On: "enables %s", settings.Off: "disables %s", settings.Set: "sets it to %s"}[e.Op.Do]
		out = append(out, fmt.Sprintf(form, e.Op.Key))
	}
	return out
}

// Verb is what a step does, as a person reads it.
type Verb string

// The verbs that drafts use today.
const (
	Keep     Verb = "keep"
	Put      Verb = "put"
	Remove   Verb = "remove"
	SetAside Verb = "set aside"
	Accept   Verb = "accept"
	TakeIn   Verb = "take in"
	Move     Verb = "move"
	RenameIt Verb = "rename"
	EditText Verb = "edit"
	StopIt   Verb = "stop"
	StartIt  Verb = "start"
	ReloadIt Verb = "reload"
	ByHand   Verb = "by hand"
	CallRoll Verb = "roll call"
	Tidy     Verb = "tidy"
)

// Phase is when a step happens.
type Phase uint8

// The phases, in order.
const (
	Prepare Phase = iota + 1 // while the server runs
	Swap                     // while it is stopped, where it can be
	Proof                    // start, look again, record, tidy
)

var phases = [...]string{"", "prepare", "swap", "proof"}

// String is the word for it, as records have it.
func (p Phase) String() string { return phases[p] }

// MarshalText writes the word.
func (p Phase) MarshalText() ([]byte, error) { return []byte(phases[p]), nil }

// UnmarshalText reads the word.
func (p *Phase) UnmarshalText(text []byte) error {
	i, err := wordIn(phases[:], "phase", text)
	*p = Phase(i)
	return err
}

// Step is one operation as a person reads it.
type Step struct {
	ID      int       `json:"id"`            // from 1
	Leg     int       `json:"leg,omitempty"` // from 1
	Phase   Phase     `json:"phase"`
	Verb    Verb      `json:"verb"`
	Path    tree.Path `json:"path,omitempty"`
	What    string    `json:"what,omitempty"` // instead of a path
	Reason  string    `json:"reason"`
	Bytes   int64     `json:"bytes,omitempty"` // that cross the line
	Diff    string    `json:"diff,omitempty"`  // of a text that is edited
	Motions []int     `json:"motions,omitempty"`
}

// Counts sum a draft up.
type Counts struct {
	In       int   `json:"in"`
	Changed  int   `json:"changed"`
	Out      int   `json:"out"`
	Same     int   `json:"same"`
	Edited   int   `json:"edited,omitempty"`   // texts
	Accepted int   `json:"accepted,omitempty"` // paths that the ledger takes as they are
	Send     int64 `json:"send"`               // bytes to upload
	Keep     int64 `json:"keep"`               // bytes to download first
	Copied   int64 `json:"copied,omitempty"`   // bytes that the host copies itself
}

// Draft is a deployment before it is run.
type Draft struct {
	Changes []Change `json:"changes"` // sorted by path
	Steps   []Step   `json:"steps"`
	Motions Motions  `json:"motions"`
	Outline
}

// Outline is what of a draft does not grow with its files.
type Outline struct {
	Findings []finding.Finding `json:"findings"`
	Counts   Counts            `json:"counts"`
	// Deferred are the texts of the next leg, and Legs how many were drafted; 0 is
	// one.
	Deferred []Deferral   `json:"deferred,omitempty"`
	Moves    Moves        `json:"moves,omitempty"`    // what gets another name
	Launches []Launch     `json:"launches,omitempty"` // of later legs
	Sets     []Set        `json:"sets,omitempty"`
	Checked  []Hand       `json:"checked,omitempty"` // by hand, of which it can be told whether they were done
	Returns  []DataReturn `json:"returns,omitempty"`
	Legs     int          `json:"legs,omitempty"`
	Beside   bool         `json:"beside,omitempty"` // temporary files stand beside their targets
	WayBack  string       `json:"wayBack"`
	// LookedAt is when the server was looked at for this draft, by its own
	// clock and not later than it was, in UTC milliseconds; 0 where that clock
	// is not known. It is no part of the digest.
	LookedAt int64 `json:"lookedAt,omitempty"`
}
