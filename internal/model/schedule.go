package model

import (
	"encoding/json"
	"time"
)

// What schedules do.
const (
	DoDeploy  = "deploy"
	DoUpdate  = "update"
	DoSurvey  = "survey"
	DoRestart = "restart"
)

// Schedule is something that is done on a server by itself at its time.
type Schedule struct {
	ID       int64
	Name     string
	ServerID int64
	Server   string          // its name now
	Does     string          // [DoDeploy] and so on
	Ask      json.RawMessage // what is to be deployed, and how
	Cron     string          // empty for once
	Zone     string          // of IANA
	Window   time.Duration   // how late it may still begin
	Empty    bool            // only while nobody is on
	Warnings []Warning
	Actor    string
	At       time.Time
	Next     time.Time // when it is due; zero where it is over
}

// Warning is a line for the server's console some time before.
type Warning struct {
	Before time.Duration `json:"before"`
	Line   string        `json:"line"`
}

// The states of a schedule's run.
const (
	RunRunning  = "running"
	RunDone     = "done"
	RunNothing  = "nothing"  // there was nothing to do
	RunFailed   = "failed"   // it was tried and did not work
	RunMissed   = "missed"   // the service did not run within the window
	RunOccupied = "occupied" // players were on all the time
	RunBroken   = "broken"   // the service stopped while it was under way
)

// ScheduleRun is what came of a schedule at one of its times.
type ScheduleRun struct {
	ID         int64
	Schedule   int64
	Due        time.Time
	Began      time.Time // zero where it did not begin
	Ended      time.Time
	State      string
	Words      string
	Deployment string
}

// Bad tells whether somebody has to be told of it.
func (r ScheduleRun) Bad() bool {
	switch r.State {
	case RunFailed, RunMissed, RunOccupied, RunBroken:
		return true
	}
	return false
}

// Notice is where results are told.
type Notice struct {
	ID        int64
	Name      string
	Way       NoticeWay
	Secret    []byte // sealed
	Successes bool   // what went well is told too
	Actor     string
	At        time.Time
	ToldAt    time.Time
	Trouble   string // why the last one could not be told
}

// NoticeWay is how results are told: exactly one of Webhook, MailTo and Feed is set.
type NoticeWay struct {
	Webhook string `json:"webhook,omitempty"`
	MailTo  string `json:"mailTo,omitempty"`
	From    string `json:"from,omitempty"`
	SMTP    string `json:"smtp,omitempty"` // host:port
	User    string `json:"user,omitempty"`
	NoTLS   bool   `json:"noTLS,omitempty"` // it may go without TLS
	Feed    bool   `json:"feed,omitempty"`
	Key     string `json:"key,omitempty"` // of Feed: a keyed hash of what its address holds
}
