package api

// Narrowing is how a search stands for the add-on of a server that does something wrong.
type Narrowing struct {
	Suspects []string `json:"suspects" nullable:"false" doc:"Those that it may still be; where it is over: those that were found, none where it is none of them alone"`
	Off      []string `json:"off" nullable:"false" doc:"What is disabled for it now"`
	Tried    int      `json:"tried" doc:"Questions that were answered"`
	Most     int      `json:"most" doc:"Questions that there are still at most"`
	Over     bool     `json:"over,omitempty" doc:"It has ended, and everything is as it was"`
	By       string   `json:"by"`
	ByStart  bool     `json:"byStart,omitempty" doc:"What is wrong is that the server does not come up, so it answers itself"`
	Down     string   `json:"down,omitempty" doc:"Why the server did not come up with what is off, or in the end; empty where it did, or was not started"`
	Note     string   `json:"note,omitempty"`
	Says     string   `json:"says" doc:"How it stands, for a person to read"`
	Blamed   string   `json:"blamed,omitempty" doc:"The one that does it; empty where it is not over, and where none or more than one was found"`
}

// BeginNarrowing begins a search.
type BeginNarrowing struct {
	Suspects []string `json:"suspects,omitempty" doc:"Names of add-ons; all that can be disabled where none is given"`
	ByStart  bool     `json:"byStart,omitempty" doc:"What is wrong is that the server does not come up: it is started with each half off, until the one is found. One that was interrupted is taken up again"`
}

// AnswerNarrowing answers its question.
type AnswerNarrowing struct {
	Tried int  `json:"tried" doc:"How many were answered when this was asked: refused where somebody else has answered meanwhile"`
	Still bool `json:"still" doc:"It still happens with what is disabled now"`
}
