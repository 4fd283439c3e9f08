package api

import (
	"time"

	"restlesscrate/internal/core/power"
)

// SetControl keeps how a server is controlled, and secrets for it, which never
// come back out. Without control only the secrets are kept; an empty secret is
// taken away.
type SetControl struct {
	Control *power.Control    `json:"control,omitempty"`
	Secrets map[string]string `json:"secrets,omitempty"`
}

// Standing is whether a server runs.
type Standing struct {
	Condition string       `json:"condition" enum:"running,stopped,unknown"`
	Probes    []ProbeFound `json:"probes" nullable:"false"`
	Act       string       `json:"act,omitempty" enum:"stop,start,restart" doc:"What it is being told, while that is waited for"`
	Job       string       `json:"job,omitempty" doc:"The job that waits; cancelling it ends the waiting, and what the server was told stays told"`
}

// ProbeFound is what one probe found.
type ProbeFound struct {
	By        string `json:"by"`
	Condition string `json:"condition" enum:"running,stopped,unknown"`
	Words     string `json:"words"`
}

// DoAct asks for one act, outside of any deployment.
type DoAct struct {
	Act     string `json:"act" enum:"stop,start,restart,reload,say"`
	Subject string `json:"subject,omitempty" doc:"The line that is sent, or the add-on that is reloaded"`
	Wait    bool   `json:"wait,omitempty" doc:"Wait until it has stopped or is ready"`
}

// Acted is the result of an act.
type Acted struct {
	Answer   string    `json:"answer" doc:"Output, answer or the console's words, as they came"`
	Standing *Standing `json:"standing,omitempty"`
	Words    string    `json:"words,omitempty" doc:"How it was told that it has stopped or is ready"`
	Already  bool      `json:"already,omitempty" doc:"It stood so before, and nothing was done"`
}

// RollCall is what loaded on a server.
type RollCall struct {
	Ready      bool        `json:"ready"`
	Asked      bool        `json:"asked" doc:"The console was asked too"`
	Entries    []RollEntry `json:"entries" nullable:"false"`
	Errors     []LogLine   `json:"errors" nullable:"false" doc:"Trouble with no add-on"`
	LogRead    int         `json:"logRead" doc:"Lines of the log"`
	Findings   []Finding   `json:"findings" nullable:"false"`
	Deployment string      `json:"deployment,omitempty"`
	Actor      string      `json:"actor"`
	At         time.Time   `json:"at"`
}

// RollEntry is how one add-on stands.
type RollEntry struct {
	Addon    string    `json:"addon"`
	Standing string    `json:"standing" enum:"loaded,failed,silent,unknown"`
	Version  string    `json:"version,omitempty" doc:"That the server says"`
	Why      string    `json:"why,omitempty"`
	Listed   bool      `json:"listed" doc:"A load list names it, so that silence tells something"`
	Needs    []string  `json:"needs" nullable:"false"`
	Bring    []string  `json:"bring" nullable:"false" doc:"Staged crates that bring what it needs, as a draft names them"`
	Stage    []string  `json:"stage" nullable:"false" doc:"What it needs and is not staged"`
	Lines    []LogLine `json:"lines" nullable:"false"`
	From     []string  `json:"from" nullable:"false" doc:"log, console"`
	Oddities []string  `json:"oddities" nullable:"false" doc:"What looks wrong in it and is known to be harmless"`
}

// LogLine is a line of a log.
type LogLine struct {
	Number int    `json:"number"`
	Text   string `json:"text"`
	Addon  string `json:"addon,omitempty" doc:"That it is about, as far as the rulebook tells"`
}

// LogPiece is a part of a server's log.
type LogPiece struct {
	Lines []LogLine `json:"lines" nullable:"false"`
	Next  string    `json:"next" doc:"Where the next piece begins"`
}

// Written is a place that a server itself writes, such as a world. A draft can have
// it begun anew.
type Written struct {
	Place    string `json:"place" doc:"As the rulebook calls it"`
	Path     string `json:"path"`
	Variable string `json:"variable,omitempty" doc:"That names it, where one can be begun under another name"`
	Value    string `json:"value,omitempty" doc:"Of the variable"`
}

// Oddity is something harmless that looks wrong in an add-on.
type Oddity struct {
	Text   string `json:"text" minLength:"1" maxLength:"500"`
	Forget bool   `json:"forget,omitempty" doc:"It is not so any more"`
}

// Confirm is a person's word that an add-on works in the game.
type Confirm struct {
	Note string `json:"note,omitempty"`
}
