package api

// Narrowing is how a search stands for the add-on of a server that does something wrong.
type Narrowing struct {
	Suspects []string `json:"suspects" nullable:"false" doc:"Those that it may still be; where it is over: those that were found, none where it is none of them alone"`
	Off      []string `json:"off" nullable:"false" doc:"What is disabled for it now"`
	Tried    int      `json:"tried" doc:"Questions that were answered"`
	Most     int      `json:"most" doc:"Questions that there are still at most"`
	Over     bool     `json:"over,omitempty" doc:"It has ended, and everything is as it was"`
	By       string   `json:"by"`
	Note     string   `json:"note,omitempty"`
}

// BeginNarrowing begins a search.
type BeginNarrowing struct {
	Suspects []string `json:"suspects,omitempty" doc:"Names of add-ons; all that can be disabled where none is given"`
}

// AnswerNarrowing answers its question.
type AnswerNarrowing struct {
	Tried int  `json:"tried" doc:"How many were answered when this was asked: refused where somebody else has answered meanwhile"`
	Still bool `json:"still" doc:"It still happens with what is disabled now"`
}
