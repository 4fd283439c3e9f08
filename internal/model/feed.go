package model

import (
	"time"

	"restlesscrate/internal/core/feed"
)

// Feed is a feed that is followed, with what it last said.
type Feed struct {
	ID        int64
	Name      string
	URL       string
	Rulebook  string
	Key       string        // of minisign; empty where nobody asks for a signature
	Every     time.Duration // how often it is looked at; 0 for never by itself
	Taken     []string      // keys of add-ons whose next versions are staged by themselves
	Actor     string
	At        time.Time
	ETag      string
	Modified  string
	Said      *feed.Feed // nil until it could be read
	LookedAt  time.Time  // when it last could be read
	ChangedAt time.Time  // when it last said something else
	TriedAt   time.Time
	Trouble   string // why it could not be read at the last try; empty where it could
}
