package model

import (
	"encoding/json"
	"fmt"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// State is where a deployment stands.
type State string

// The states: draft → queued → running ⇄ waiting → done; running or waiting →
// halted → running, or undoing → undone; draft → discarded.
const (
	Draft     State = "draft"
	Queued    State = "queued"
	Running   State = "running"
	Waiting   State = "waiting"
	Done      State = "done"
	Halted    State = "halted"
	Undoing   State = "undoing"
	UndoneAll State = "undone"
	Discarded State = "discarded"
)

// Open tells whether a deployment in this state keeps its server's slot.
func (s State) Open() bool {
	return s == Running || s == Waiting || s == Halted || s == Undoing
}

// Figures are what a run measured. Bytes and milliseconds.
type Figures struct {
	Sent      int64 `json:"sent"`
	Kept      int64 `json:"kept"`
	Proved    int   `json:"proved"` // files read back and hashed
	LookMS    int64 `json:"lookMs"`
	PrepareMS int64 `json:"prepareMs"` // while the server ran
	SwapMS    int64 `json:"swapMs"`
	ProofMS   int64 `json:"proofMs"`
	TidyMS    int64 `json:"tidyMs"`
	AwayMS    int64 `json:"awayMs"`           // from the stop to ready, of which SwapMS is ours
	HandMS    int64 `json:"handMs,omitempty"` // and of which this was waiting for a person
	// WaitingSince is since when it waits for a person, UTC milliseconds; 0 where it does not.
	WaitingSince int64 `json:"waitingSince,omitempty"`
	LostLines    int   `json:"lostLines"`
}

// Deployment is a reversible change set as it is recorded.
type Deployment struct {
	ID        int64
	ServerID  int64
	Server    string
	Number    int
	Kind      string
	Title     string
	State     State
	Delicate  bool // what was asked for holds secrets; known while it is drafted only
	Ask       json.RawMessage
	Digest    tree.Digest
	Draft     draft.Draft
	Motions   int // of the draft
	Accepts   []finding.Accept
	Actor     string
	Runner    string
	Trouble   string
	GoesBack  bool // what it waits for is part of taking it back
	Notes     []string
	Fell      []string // add-ons that did not load and are to go back alone; known while it runs only
	Figures   Figures
	Aftermath []finding.Finding // what was found out once it was done
	Untidy    bool
	Remark    Remark
	CreatedAt time.Time
	StartedAt time.Time
	EndedAt   time.Time
}

// Remark is what a person says of a deployment.
type Remark struct {
	Text  string
	Good  bool // the server was found good as it stood after it
	Actor string
	At    time.Time
}

// HandKey names something that a person does by hand on a server: in the rulebook's words, and
// for which add-on (its key), empty where it is once for all.
type HandKey struct{ Addon, What string }

// Name is how people write it: saltpan#7.
func (d Deployment) Name() string { return fmt.Sprintf("%s#%d", d.Server, d.Number) }

// Event is one line of the ledger with its cause.
type Event struct {
	draft.Event
	Number int // of the deployment, 0 where the cause is another
	Cause  string
	Actor  string
	At     time.Time
}

// DraftEvents are events without their causes, as the core takes them.
func DraftEvents(recorded []Event) []draft.Event {
	out := make([]draft.Event, len(recorded))
	for i, e := range recorded {
		out[i] = e.Event
	}
	return out
}

// Sum is what one version of an add-on claims on a server, added up.
type Sum struct {
	Addon, Label string
	Crate        tree.Digest
	Files        int
	Bytes        int64
	Seq          int64 // of the event that made the newest of its paths
	Deployment   string
	At           time.Time
}

// File is one file of a server with its provenance.
type File struct {
	Path   tree.Path
	State  tree.State
	Claims []draft.Claim
	Before tree.State // what stood there before the last event
	Last   *Cause     // of the last event; many files share one
	// Archives are the file names of the archives it came from.
	Archives []string
}

// TimelineFilter chooses deployments of a server.
type TimelineFilter struct {
	Path    string // words that all stand in a path that it touched
	Addon   string // that it touched
	Numbers []int  // where not nil, only these
}

// FolderSum is a folder of a server's tree with what is recorded below it, at whatever depth.
type FolderSum struct {
	Name  string // within the folder that holds it
	Files int
	Bytes int64
}

// FoundPath is a path that was looked for by its words.
type FoundPath struct {
	Server      string
	Path        tree.Path
	There, Gone bool  // a file is recorded there; one was, and is not any more
	Size        int64 // of what is there, or was
}

// Cause is what made events happen.
type Cause struct {
	Cause      string
	Deployment string // its name, such as saltpan#7
	Actor      string
	At         time.Time
}

// NotUp is what is found where a server was started to see whether it comes up, and did not.
const NotUp = "not-up"

// Down says why the server did not come up when the deployment started it to see whether it
// does; empty where it did, or was not started for that.
func (d Deployment) Down() string {
	for _, f := range d.Aftermath {
		if f.Code == NotUp {
			return f.What
		}
	}
	return ""
}
