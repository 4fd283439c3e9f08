package model

import (
	"time"

	"restlesscrate/internal/core/tree"
)

// Group is servers that are deployed to together.
type Group struct {
	ID      int64
	Name    string
	IDs     []int64 // of its servers, in their order
	Servers []Server
	Actor   string
	At      time.Time
}

// The states of a group's run.
const (
	GroupDrafted = "drafted"
	GroupRunning = "running"
	GroupDone    = "done"
	GroupStopped = "stopped" // one of its servers did not come through; those after it were left
	GroupBack    = "back"    // all of it was taken back
)

// GroupRun is a deployment on each server of a group.
type GroupRun struct {
	ID    int64
	Group int64
	Parts []GroupPart
	State string
	Actor string
	At    time.Time
}

// The states of a part.
const (
	PartDrafted = "drafted"
	PartNothing = "nothing" // all of it was so already
	PartDone    = "done"
	PartFailed  = "failed" // it halted, did not come up, or did not load what was deployed
	PartLeft    = "left"   // an earlier one failed
	PartBack    = "back"
)

// GroupPart is what is done on one server of a group.
type GroupPart struct {
	ServerID int64  `json:"serverID"`
	Server   string `json:"server"` // its name then
	Number   int    `json:"number"` // of the deployment; 0 where there is nothing to do
	State    string `json:"state"`
	Words    string `json:"words"`
	Back     int    `json:"back"` // the deployment that took it back
}

// Apart is a value that differs between two servers on purpose.
type Apart struct {
	Path  tree.Path
	Value string // its value path
	Actor string
	At    time.Time
}
