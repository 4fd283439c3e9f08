package api

import (
	"time"
)

// Rulebook is one revision of a rulebook.
type Rulebook struct {
	Name      string     `json:"name"`
	Revision  int        `json:"revision"`
	Title     string     `json:"title"`
	Text      string     `json:"text,omitempty"`
	Fresh     bool       `json:"fresh,omitempty" doc:"Whether adding it made a new revision"`
	Actor     string     `json:"actor"`
	CreatedAt time.Time  `json:"createdAt"`
	Kinds     []Kind     `json:"kinds,omitempty"`
	Places    []Place    `json:"places,omitempty"`
	Variables []Asked    `json:"variables,omitempty"`
	Templates []Template `json:"templates,omitempty" doc:"Of texts that can be made"`
	Outdated  int        `json:"outdated,omitempty" doc:"Archives that only earlier revisions laid out"`
}

// Kind is one kind of add-on in a rulebook.
type Kind struct {
	Name       string   `json:"name"`
	About      string   `json:"about,omitempty"`
	Recognised string   `json:"recognised" doc:"How, in words"`
	Files      []string `json:"files,omitempty" doc:"Globs of the names of single files that are add-ons of it"`
}

// Place is a named spot in a server's tree.
type Place struct {
	Name  string `json:"name"`
	Path  string `json:"path"`
	About string `json:"about,omitempty"`
}

// Template is a text that a rulebook can make.
type Template struct {
	Name  string   `json:"name"`
	About string   `json:"about,omitempty"`
	File  string   `json:"file" doc:"Where it goes, with its placeholders"`
	Words []string `json:"words" nullable:"false" doc:"The placeholders of it"`
}

// Asked is a variable that a server must say.
type Asked struct {
	Name    string `json:"name"`
	Ask     string `json:"ask"`
	Default string `json:"default,omitempty"`
}

// RulebookText is a rulebook to check or add.
type RulebookText struct {
	Text string `json:"text"`
	Over bool   `json:"over,omitempty" doc:"It may be the next revision of a rulebook that somebody else wrote"`
}

// RulebookTurn is what changed in a rulebook between two of its revisions.
type RulebookTurn struct {
	From Rulebook `json:"from"`
	To   Rulebook `json:"to"`
	Diff string   `json:"diff,omitempty" doc:"Unified; absent where they are the same"`
}

// TryRulebook asks what a rulebook would make of an archive that is kept.
type TryRulebook struct {
	Text    string `json:"text"`
	Archive string `json:"archive" doc:"Its digest"`
}

// ReadTree asks what a rulebook makes of a server's tree.
type ReadTree struct {
	Text   string `json:"text"`
	Server string `json:"server"`
}

// OnTree is what a rulebook makes of a server's tree, as far as names tell.
type OnTree struct {
	Places    []PlaceThere `json:"places" nullable:"false"`
	Addons    []AddonThere `json:"addons" nullable:"false"`
	Protected []string     `json:"protected" nullable:"false" doc:"Protected paths that are there"`
}

// PlaceThere is a place at its real path.
type PlaceThere struct {
	Name  string `json:"name"`
	Path  string `json:"path"`
	Holds int    `json:"holds" doc:"Things right in it; -1 where there is no such folder"`
}

// AddonThere is something that looks like an add-on.
type AddonThere struct {
	Kind    string `json:"kind"`
	Place   string `json:"place"`
	Path    string `json:"path"`
	Name    string `json:"name"`
	Version string `json:"version,omitempty"`
}

// Starter is a rulebook named for a shape instead of a game.
type Starter struct {
	Name  string `json:"name"`
	About string `json:"about"`
	Text  string `json:"text"`
}

// Propose asks for a rulebook that is made from answers.
type Propose struct {
	Name     string            `json:"name"`
	Title    string            `json:"title"`
	Server   string            `json:"server,omitempty" doc:"Whose tree is looked at"`
	Archives []string          `json:"archives,omitempty" doc:"Digests of downloads to learn from"`
	Answers  map[string]string `json:"answers,omitempty" doc:"By question; what is missing is believed"`
	Starter  string            `json:"starter,omitempty" doc:"The rulebook of a shape, under the name and the title; nothing is looked at or asked then"`
}

// Proposed is a rulebook that was made from answers, with the questions.
type Proposed struct {
	Questions []Question `json:"questions" nullable:"false"`
	Text      string     `json:"text,omitempty" doc:"Absent where something has to be answered first"`
	Missing   string     `json:"missing,omitempty" doc:"What has to be answered first"`
}

// Question is one thing to decide; its options are ranked, the best first.
type Question struct {
	Key     string   `json:"key"`
	Ask     string   `json:"ask"`
	Options []Option `json:"options" nullable:"false"`
	Free    bool     `json:"free" doc:"Whether another answer may be given"`
	Like    string   `json:"like,omitempty" doc:"How such an answer looks"`
}

// Option is a possible answer with why the program believes it.
type Option struct {
	Value string `json:"value"`
	Says  string `json:"says" doc:"The value in words"`
	Why   string `json:"why"`
}
