package api

import "time"

// NewGroup is servers that are to be deployed to together.
type NewGroup struct {
	Name    string   `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,30}$"`
	Servers []string `json:"servers" nullable:"false" doc:"In the order in which they are deployed to"`
}

// Group is servers that are deployed to together.
type Group struct {
	Name    string    `json:"name"`
	Servers []string  `json:"servers" nullable:"false"`
	By      string    `json:"by"`
	Last    *GroupRun `json:"last,omitempty" doc:"What was drafted for it, or done on it, last"`
}

// GroupRun is a deployment on each server of a group.
type GroupRun struct {
	ID     int64        `json:"id"`
	State  string       `json:"state" enum:"drafted,running,done,stopped,back"`
	Parts  []GroupPart  `json:"parts" nullable:"false"`
	Drafts []Deployment `json:"drafts,omitempty" doc:"With their findings, where it was just drafted"`
	By     string       `json:"by"`
	At     time.Time    `json:"at"`
}

// GroupPart is what is done on one server of a group.
type GroupPart struct {
	Server     string `json:"server"`
	Deployment string `json:"deployment,omitempty"`
	State      string `json:"state" enum:"drafted,nothing,done,failed,left,back"`
	Words      string `json:"words,omitempty"`
	Back       string `json:"back,omitempty" doc:"The deployment that took it back"`
}

// RunGroup runs the drafts of a group that were read.
type RunGroup struct {
	ID         int64    `json:"id" doc:"Of the run that was drafted"`
	Accept     []string `json:"accept,omitempty" doc:"CODE or CODE=PATH"`
	SideBySide int      `json:"sideBySide,omitempty" minimum:"0" maximum:"50" doc:"On how many servers at a time; one after the other if absent"`
}

// Promotion is what would go from one server to another.
type Promotion struct {
	From    string          `json:"from"`
	To      string          `json:"to"`
	Addons  []PromotedAddon `json:"addons" nullable:"false" doc:"That the other one lacks, or has in another version"`
	Enable  []string        `json:"enable,omitempty"`
	Disable []string        `json:"disable,omitempty"`
	Others  []PromotedAddon `json:"others,omitempty" doc:"That only the other one has: they stay unless they are removed"`
	Values  []PromotedValue `json:"values" nullable:"false" doc:"That read otherwise on both"`
	Secrets int             `json:"secrets,omitempty" doc:"Values that differ and are secret: they never go along"`
}

// PromotedAddon is an add-on in which two servers differ.
type PromotedAddon struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Was     string `json:"was,omitempty" doc:"The version that the other one has"`
	Crate   string `json:"crate" doc:"Its digest"`
}

// PromotedValue is a value in which two servers differ.
type PromotedValue struct {
	Path  string `json:"path"`
	Value string `json:"value" doc:"Its value path"`
	From  string `json:"from"`
	To    string `json:"to"`
	Apart bool   `json:"apart,omitempty" doc:"It differs on purpose, as somebody said"`
}

// KeepApart says that a value differs between two servers on purpose, or no more.
type KeepApart struct {
	From  string `json:"from"`
	Path  string `json:"path"`
	Value string `json:"value" doc:"Its value path"`
	Keep  bool   `json:"keep"`
}
