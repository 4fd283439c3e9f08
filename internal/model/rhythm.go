package model

import "time"

// Rhythm is how often a server is to be looked at. Zero is never, or not said.
type Rhythm struct {
	Survey    time.Duration // by itself, and after starts
	Updates   time.Duration // a person means to look for updates
	UpdatesAt time.Time     // when somebody last did
	UpdatesBy string
}

// Overdue tells whether nobody has looked for updates as often as that was meant.
func (r Rhythm) Overdue(now time.Time) bool {
	return r.Updates > 0 && now.Sub(r.UpdatesAt) > r.Updates
}
