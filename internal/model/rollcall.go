package model

import (
	"time"

	"restlesscrate/internal/core/finding"
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

// AgreeLook is what was seen of the values of a server that must go together.
type AgreeLook struct {
	At    time.Time // zero where nobody has looked yet
	By    string    // the deployment, or who looked
	Found []finding.Finding
}

// Oddity is something that looks wrong in an add-on and is known to be harmless.
type Oddity struct {
	Rulebook, Addon string // the add-on's key
	Text            string
	Actor           string
	At              time.Time
}

// OdditiesOf gives the texts of those that are known of one add-on.
func OdditiesOf(all []Oddity, addon string) (out []string) {
	for _, o := range all {
		if o.Addon == addon {
			out = append(out, o.Text)
		}
	}
	return out
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
