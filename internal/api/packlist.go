package api

import "time"

// Packlist is what the players of a server need.
type Packlist struct {
	Server   string      `json:"server,omitempty" doc:"Left out where players see it"`
	Title    string      `json:"title"`
	Words    string      `json:"words,omitempty"`
	Game     string      `json:"game"`
	Join     string      `json:"join,omitempty" doc:"Where players join: host:port"`
	Entries  []PackEntry `json:"entries" nullable:"false" doc:"What must be there first"`
	Oddities []string    `json:"oddities,omitempty" doc:"What looks wrong and is harmless"`
	Since    *time.Time  `json:"since,omitempty" doc:"Since when the list says so"`
	Before   *time.Time  `json:"before,omitempty" doc:"When the list before it was made"`
	Changes  []PackTurn  `json:"changes,omitempty" doc:"What is different from the list before it"`
	URL      string      `json:"url,omitempty" doc:"The unlisted address of its page; absent where it has none"`
	Bundle   bool        `json:"bundle,omitempty" doc:"Some of its files may be handed out, as a zip"`
	Text     string      `json:"text" doc:"The list as it is pasted into a chat"`
}

// PackEntry is an add-on of a packing list.
type PackEntry struct {
	Name    string     `json:"name"`
	Version string     `json:"version,omitempty"`
	Need    string     `json:"need" enum:"must,may,must-not,unknown,none"`
	Because string     `json:"because,omitempty" doc:"What says so, where nobody did"`
	Note    string     `json:"note,omitempty"`
	Source  string     `json:"source,omitempty" doc:"Where it was downloaded"`
	SHA256  string     `json:"sha256,omitempty" doc:"Of the download"`
	Size    int64      `json:"size,omitempty" doc:"Bytes of its files"`
	Share   bool       `json:"share,omitempty" doc:"Its licence allows that it is handed out"`
	Files   []PackFile `json:"files,omitempty"`
	Old     []PackFile `json:"old,omitempty" doc:"Of earlier versions, by which they are known"`
}

// PackFile is a file that players have.
type PackFile struct {
	Path   string `json:"path" doc:"In a player's own folder"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// PackTurn is something that is different from the list before.
type PackTurn struct {
	Name string `json:"name"`
	What string `json:"what" enum:"add,replace,drop,need"`
	Was  string `json:"was,omitempty"`
	Is   string `json:"is,omitempty"`
}

// SayPacklist is what a person says of a packing list; what is absent stays.
type SayPacklist struct {
	Title  *string       `json:"title,omitempty"`
	Words  *string       `json:"words,omitempty"`
	Addons []PackingSaid `json:"addons,omitempty"`
}

// PackingSaid is what a person says of an add-on.
type PackingSaid struct {
	Addon string `json:"addon"`
	Need  string `json:"need,omitempty" enum:",must,may,must-not,none" doc:"As its manifest says, if absent"`
	Note  string `json:"note,omitempty"`
	Share bool   `json:"share,omitempty" doc:"Its licence allows that it is handed out"`
}
