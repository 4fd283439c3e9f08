package api

// Between is what differs between two moments of a server, by its ledger.
type Between struct {
	From    string      `json:"from" doc:"The earlier moment, in words"`
	To      string      `json:"to" doc:"The later one, in words"`
	Addons  []AddonTurn `json:"addons" nullable:"false"`
	Files   []FileTurn  `json:"files" nullable:"false" doc:"The first thousand"`
	In      int         `json:"in" doc:"Files that came"`
	Changed int         `json:"changed" doc:"Files that have other bytes"`
	Out     int         `json:"out" doc:"Files that went"`
}

// AddonTurn is an add-on that stood otherwise.
type AddonTurn struct {
	Addon string `json:"addon" doc:"Its key"`
	Was   string `json:"was,omitempty" doc:"name@version, with ', disabled' behind it; left out where it was not there"`
	Is    string `json:"is,omitempty"`
}

// FileTurn is a file that stood otherwise.
type FileTurn struct {
	Path string `json:"path"`
	What string `json:"what" enum:"in,changed,out"`
	Was  State  `json:"was"`
	Is   State  `json:"is"`
	Of   string `json:"of,omitempty" doc:"Whose it is, or was: name@version"`
	// What is different in it is told of the first 60 that changed.
	Diff   string      `json:"diff,omitempty" doc:"Of a text, with secrets masked"`
	Values []ValueTurn `json:"values,omitempty" doc:"Values that read otherwise"`
	Why    string      `json:"why,omitempty" doc:"Of a packed file: what is different in it"`
}

// ValueTurn is a value that reads otherwise.
type ValueTurn struct {
	At   string `json:"at" doc:"Its value path"`
	Was  string `json:"was"`
	Is   string `json:"is"`
	Gone bool   `json:"gone,omitempty" doc:"It was there and is not any more"`
	New  bool   `json:"new,omitempty" doc:"It was not there"`
}
