package api

import "time"

// Settling is what is done about one path that differs from the ledger.
type Settling struct {
	Path string `json:"path" doc:"A folder stands for all that is recorded in it, or for all that nobody deployed"`
	Do   string `json:"do" enum:"accept,restore,remove,tweak" doc:"accept: the ledger takes it as it is; restore: it is put back as it is recorded; remove: what nobody deployed goes, its bytes are kept; tweak: a text is accepted, and what was changed in it is kept over updates"`
}

// DoSurvey asks for a survey.
type DoSurvey struct {
	Thorough bool `json:"thorough,omitempty" doc:"Read every file that is recorded, whatever its time says"`
}

// Survey is what a comparison of a server's tree with its ledger found.
type Survey struct {
	At       time.Time    `json:"at"`
	TookMS   int64        `json:"tookMs"`
	By       string       `json:"by"`
	Thorough bool         `json:"thorough,omitempty"`
	Counts   SurveyCounts `json:"counts"`
	New      int          `json:"new" doc:"Differences that the survey before did not find"`
	Items    []SurveyItem `json:"items,omitempty" doc:"What differs, by path"`
}

// SurveyCounts sum a survey up.
type SurveyCounts struct {
	Files   int   `json:"files" doc:"That were seen"`
	Bytes   int64 `json:"bytes"`
	Folders int   `json:"folders"`
	Same    int   `json:"same" doc:"Files that are as they are recorded"`
	Read    int   `json:"read" doc:"Of these, those whose bytes were read to know; of the others the host's times prove it"`
	Changed int   `json:"changed"`
	Missing int   `json:"missing" doc:"Files that are recorded and not there"`
	Unknown int   `json:"unknown" doc:"Files that nobody deployed, without those below"`
	Own     int   `json:"own" doc:"Files that the server makes itself, by its rulebook"`
	OwnSize int64 `json:"ownSize"`
	Ignored int   `json:"ignored" doc:"Files that a person has said to ignore"`
	Edited  int   `json:"edited" doc:"Texts of which the rest changed, and what was deployed into them holds"`
}

// SurveyItem is one thing that differs.
type SurveyItem struct {
	Kind     string     `json:"kind" enum:"changed,missing,unknown"`
	Path     string     `json:"path"`
	Was      State      `json:"was" doc:"As it is recorded"`
	Is       State      `json:"is"`
	Owner    string     `json:"owner,omitempty" doc:"The add-on that it belongs to"`
	In       string     `json:"in,omitempty" doc:"The add-on in whose folder it lies, though nobody deployed it"`
	Files    int        `json:"files,omitempty" doc:"Of a folder, what is in it"`
	Bytes    int64      `json:"bytes,omitempty"`
	Modified *time.Time `json:"modified,omitempty" doc:"By the host's clock"`
	Why      string     `json:"why,omitempty"`
	Diff     string     `json:"diff,omitempty" doc:"Of a text; secrets are masked"`
	Since    time.Time  `json:"since" doc:"The first survey that found it so"`
	New      bool       `json:"new,omitempty" doc:"The survey before did not find it so"`
}

// Ignored is what a person has said to ignore in surveys of a server.
type Ignored struct {
	Pattern string    `json:"pattern" doc:"A glob over paths; what is in a folder that it names is ignored too"`
	Note    string    `json:"note,omitempty"`
	By      string    `json:"by,omitempty"`
	At      time.Time `json:"at,omitzero"`
}

// Rhythm is how often a server is looked at.
type Rhythm struct {
	SurveyEvery  int64      `json:"surveyEvery,omitempty" doc:"Seconds: it is surveyed by itself so often, and after deployments that start it; absent: never"`
	UpdatesEvery int64      `json:"updatesEvery,omitempty" doc:"Seconds: a person means to look for updates so often; absent: not said"`
	UpdatesAt    *time.Time `json:"updatesAt,omitempty" doc:"When somebody last did"`
	UpdatesBy    string     `json:"updatesBy,omitempty"`
	Overdue      bool       `json:"overdue,omitempty" doc:"Nobody has, for longer than that"`
}

// SetRhythm says how often a server is looked at; what is absent stays.
type SetRhythm struct {
	SurveyEvery  *int64 `json:"surveyEvery,omitempty" doc:"Seconds; 0: never"`
	UpdatesEvery *int64 `json:"updatesEvery,omitempty" doc:"Seconds; 0: never"`
}
