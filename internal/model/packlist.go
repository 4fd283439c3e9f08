package model

import (
	"time"

	"restlesscrate/internal/core/packing"
)

// Packlist is what a person says of what the players of a server need.
type Packlist struct {
	ServerID int64
	Title    string
	Words    string
	Said     []packing.Said
	Link     string // a keyed hash of what its address holds; empty for none
	Secret   []byte // what its address holds, sealed
}

// PacklistState is what a list said from some time on.
type PacklistState struct {
	Digest  string
	Entries []packing.Entry
	At      time.Time
}
