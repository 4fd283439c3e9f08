// Package progress is what long work tells of itself while it goes on. Every job tells
// it in this form, and whoever listens reads no other.
package progress

import (
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// Kind says what sort of thing is told.
type Kind string

// The kinds.
const (
	Look   Kind = "look"   // what the work looks at, before anything changes
	Phase  Kind = "phase"  // a phase of a run begins
	Motion Kind = "motion" // a motion of a run is done; of several, the last alone counts
	Note   Kind = "note"   // something that a person should know
)

// Event is one thing that is told. Done, Total and Sent are those of a run.
type Event struct {
	Kind  Kind        `json:"kind"`
	Phase draft.Phase `json:"phase,omitempty"`
	Step  int         `json:"step,omitempty"`
	Done  int         `json:"done"`           // motions done so far
	Total int         `json:"total"`          // motions in all
	Sent  int64       `json:"sent,omitempty"` // bytes
	Path  tree.Path   `json:"path,omitempty"`
	Text  string      `json:"text,omitempty"`
}

// Tell takes what is told. It may be nil: nobody listens then.
type Tell func(Event)

// Note tells something that a person should know.
func (t Tell) Note(text string) { t.Send(Event{Kind: Note, Text: text}) }

// Look tells what is looked at.
func (t Tell) Look(text string) { t.Send(Event{Kind: Look, Text: text}) }

// Send tells an event.
func (t Tell) Send(e Event) {
	if t != nil {
		t(e)
	}
}
