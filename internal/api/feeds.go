package api

import "time"

// NewFeed is a feed that is to be followed.
type NewFeed struct {
	Name     string   `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,30}$"`
	URL      string   `json:"url" doc:"Its address: https:// or http://, without a name or a password in it"`
	For      string   `json:"for,omitempty" doc:"A server by whose rulebook its files are laid out"`
	Rulebook string   `json:"rulebook,omitempty" doc:"Or the rulebook itself"`
	Key      string   `json:"key,omitempty" doc:"The public key of minisign that has to have signed it; nobody looks at signatures if absent"`
	Every    *int64   `json:"every,omitempty" doc:"How often it is looked at by itself, in seconds; 0 for never, six hours if absent"`
	Taken    []string `json:"taken,omitempty" doc:"Add-ons whose next versions are staged by themselves"`
}

// Feed is a feed that is followed.
type Feed struct {
	Name      string     `json:"name"`
	URL       string     `json:"url"`
	Rulebook  string     `json:"rulebook"`
	Signed    bool       `json:"signed,omitempty" doc:"A key was given for it, and its signature is checked"`
	Every     int64      `json:"every" doc:"Seconds; 0 for never by itself"`
	Taken     []string   `json:"taken,omitempty" doc:"Add-ons whose next versions are staged by themselves"`
	By        string     `json:"by"`
	Title     string     `json:"title,omitempty"`
	Made      string     `json:"made,omitempty" doc:"When it was written, as it says"`
	Count     int        `json:"count" doc:"Of releases"`
	LookedAt  *time.Time `json:"lookedAt,omitempty" doc:"When it could be read last"`
	ChangedAt *time.Time `json:"changedAt,omitempty" doc:"When it was last found to say something else"`
	TriedAt   *time.Time `json:"triedAt,omitempty"`
	Trouble   string     `json:"trouble,omitempty" doc:"Why it could not be read at the last try"`
	Releases  []Release  `json:"releases,omitempty"`
}

// Release is one version of one add-on that a feed announces.
type Release struct {
	Addon   string            `json:"addon"`
	Version string            `json:"version"`
	Game    string            `json:"game,omitempty"`
	Loaders map[string]string `json:"loaders,omitempty"`
	Side    string            `json:"side,omitempty"`
	URL     string            `json:"url"`
	Size    int64             `json:"size" doc:"Bytes"`
	SHA256  string            `json:"sha256"`
	Date    string            `json:"date,omitempty"`
	Notes   string            `json:"notes,omitempty"`
	Staged  bool              `json:"staged,omitempty" doc:"Its file is in the stockroom"`
	On      []ReleaseOn       `json:"on,omitempty" doc:"Servers that hold the add-on"`
}

// ReleaseOn is a server that holds the add-on of a release.
type ReleaseOn struct {
	Server    string `json:"server"`
	Installed string `json:"installed"`
	Newer     bool   `json:"newer,omitempty" doc:"The release is newer than what is installed"`
	Fit       Fit    `json:"fit"`
}

// TakeRelease asks for the file of a release.
type TakeRelease struct {
	Addon string `json:"addon" doc:"name, for the newest, or name@version"`
}

// TakeAlways says whether the next versions of an add-on are staged by themselves.
type TakeAlways struct {
	Addon  string `json:"addon"`
	Always bool   `json:"always"`
}

// Announced is a version that a feed announces and that is newer than what is there.
type Announced struct {
	Feed    string `json:"feed"`
	Version string `json:"version"`
	Date    string `json:"date,omitempty"`
	Notes   string `json:"notes,omitempty"`
	Size    int64  `json:"size" doc:"Bytes"`
	Fit     Fit    `json:"fit"`
}
