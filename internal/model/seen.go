package model

import (
	"time"

	"restlesscrate/internal/core/finding"
)

// Seen is what was last found out about a server beside its files. Times are zero, and words
// empty, for what nobody has tried.
type Seen struct {
	TriedAt   time.Time        // when its host was last tried
	ReachedAt time.Time        // when that last went well
	Trouble   *finding.Finding // why the last try did not; nil where it did

	Condition   string // of the game: running, stopped, unknown
	Words       string // how that was told
	ConditionAt time.Time
	Meant       string // what this service last told it: running or stopped
}
