package model

import (
	"encoding/json"
	"time"

	"restlesscrate/internal/core/progress"
)

// Job is long work with a state, a result and numbered events.
type Job struct {
	ID        string
	Kind      string
	Subject   string
	State     string // running, done, failed, cancelled
	Result    json.RawMessage
	Problem   json.RawMessage
	Actor     string
	CreatedAt time.Time
	EndedAt   time.Time
	Row       int64 // its place among all, where it comes in a list of those that ended
}

// JobFilter chooses jobs that have ended.
type JobFilter struct {
	Failed bool   // only those that did
	Words  string // in what it was, what it was about, or who asked for it
}

// JobEvent is one numbered event of a job.
type JobEvent struct {
	Number int64
	Data   progress.Event
	At     time.Time
}
