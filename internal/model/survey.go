package model

import (
	"time"

	"restlesscrate/internal/core/survey"
)

// Survey is what a comparison of a server's tree with its ledger found.
type Survey struct {
	ID       int64
	ServerID int64
	At       time.Time
	Took     time.Duration
	Seq      int64 // the last event of the ledger that it was compared with
	Thorough bool
	Actor    string
	Counts   survey.Counts
	Items    []SurveyItem
}

// SurveyItem is something that differs.
type SurveyItem struct {
	survey.Item
	Since time.Time `json:"since"` // of the first survey that found it so
}

// Ignored is what a person has said to ignore on a server.
type Ignored struct {
	Pattern string
	Note    string
	Actor   string
	At      time.Time
}
