package model

import (
	"time"

	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/tree"
)

// RollCall is what one roll call found on a server. Seq is the last event of its
// ledger before it.
type RollCall struct {
	ServerID     int64
	DeploymentID int64 // 0 where it was called by itself
	Deployment   string
	Roll         rollcall.Roll
	Seq          int64
	Actor        string
	At           time.Time
}

// Confirmation is a person's word that an add-on works in the game.
type Confirmation struct {
	ServerID int64
	Addon    string
	Crate    tree.Digest
	Note     string
	Actor    string
	At       time.Time
}
