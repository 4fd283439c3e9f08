package api

import "time"

// Desk is what needs a person, over all servers, and how these stand. Nothing is looked at for it:
// it tells what was found before, and when.
type Desk struct {
	Needs   []Need  `json:"needs" nullable:"false" doc:"The worst first"`
	Servers []Stand `json:"servers" nullable:"false"`
}

// Need is one thing that waits for a person.
type Need struct {
	Kind   string     `json:"kind" enum:"halted,host-key,no-reach,down,failed,by-hand,search,unsuited,blocked,changed,silent,apart,missed,unread,untaken,drafted,update,released"`
	Level  string     `json:"level" enum:"block,warn,note"`
	Server string     `json:"server,omitempty" doc:"Absent where it is about none"`
	What   string     `json:"what"`
	More   string     `json:"more,omitempty" doc:"What there is to know besides"`
	Line   string     `json:"line,omitempty" doc:"What a server or a host said, to the letter"`
	Since  *time.Time `json:"since,omitempty" doc:"When it began or was found"`
	Deeds  []Remedy   `json:"deeds" nullable:"false" doc:"One or two that help, the likeliest first"`
}

// Stand is how one server stands, as it was found.
type Stand struct {
	Server    string      `json:"server"`
	Rulebook  string      `json:"rulebook"`
	Game      string      `json:"game,omitempty" doc:"The version of its game"`
	Addons    int         `json:"addons"`
	Files     int         `json:"files"`
	Loaded    int         `json:"loaded" doc:"Add-ons that were heard of at the last start, or seen by a person"`
	Asked     int         `json:"asked" doc:"Add-ons of which the last roll call can say that, and that did not change since"`
	Failed    int         `json:"failed"`
	RolledAt  *time.Time  `json:"rolledAt,omitempty"`
	Condition string      `json:"condition,omitempty" enum:"running,stopped,unknown" doc:"Of the game, as its probes last told; absent where nobody has asked"`
	Told      string      `json:"told,omitempty" doc:"How the probes told it"`
	FoundAt   *time.Time  `json:"foundAt,omitempty" doc:"When they did"`
	TriedAt   *time.Time  `json:"triedAt,omitempty" doc:"When its host was last tried"`
	ReachedAt *time.Time  `json:"reachedAt,omitempty" doc:"When that last went well"`
	Trouble   *Finding    `json:"trouble,omitempty" doc:"Why the last try did not go well"`
	LookedAt  *time.Time  `json:"lookedAt,omitempty" doc:"When its files were last looked at: all of them by a survey, else those of a deployment"`
	LookedBy  string      `json:"lookedBy,omitempty" doc:"The deployment; absent for a survey"`
	Different int         `json:"different" doc:"Files that this look found changed, missing or unknown"`
	Open      *Deployment `json:"open,omitempty"`
	Last      *Deployment `json:"last,omitempty"`
	Join      string      `json:"join,omitempty" doc:"Where players join: host:port"`
}
