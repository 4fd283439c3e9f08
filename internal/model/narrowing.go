package model

import (
	"time"

	"restlesscrate/internal/core/narrow"
)

// Narrowing is a search for the add-on of a server that does something wrong.
type Narrowing struct {
	ServerID   int64
	Base, Last int // numbers of the last deployment before it, and of the last that was its own
	Search     narrow.Search
	Actor      string
	At         time.Time
}
