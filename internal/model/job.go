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
}

// JobEvent is one numbered event of a job.
type JobEvent struct {
	Number int64
	Data   progress.Event
	At     time.Time
}
