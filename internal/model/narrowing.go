package model

import (
	"time"

	"restlesscrate/internal/core/narrow"
)

// Narrowing is a search for the add-on of a server that does something wrong.
type Narrowing struct {
	ServerID int64
	Base     int   // number of the last deployment before it
	Own      []int // numbers of those that were made for it
	Search   narrow.Search
	Actor    string
	At       time.Time
}
