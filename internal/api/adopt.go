package api

// Adoptable is what lies on a server and was not deployed, as far as the rulebook knows it.
type Adoptable struct {
	Found   []AddonFound `json:"found" nullable:"false"`
	Strays  []string     `json:"strays" nullable:"false" doc:"What lies in places and belongs to no add-on that was found"`
	Nowhere []Finding    `json:"nowhere" nullable:"false" doc:"Names in load lists, and add-ons that the server said it loaded, of which nothing lies there"`
}

// AddonFound is an add-on that lies on a server and that the ledger does not know.
type AddonFound struct {
	Path    string   `json:"path" doc:"Its folder, or its file"`
	Kind    string   `json:"kind"`
	Name    string   `json:"name"`
	Version string   `json:"version"`
	From    string   `json:"from" doc:"Where name and version were read"`
	Files   int      `json:"files"`
	Bytes   int64    `json:"bytes"`
	Crate   string   `json:"crate,omitempty" doc:"The staged crate that it looks like; absent where a crate is made of what lies there"`
	Missing []string `json:"missing,omitempty" doc:"What that crate brings and is not there"`
	Differs []string `json:"differs,omitempty" doc:"What is of another length than that crate brings"`
	Beside  []string `json:"beside,omitempty" doc:"Other versions or copies of the same add-on that lie there too, the first of many"`
	Copies  int      `json:"copies,omitempty" doc:"How often the add-on lies there in all, where that is more than once"`
	Deep    string   `json:"deep,omitempty" doc:"Where its marker lies, if that is a folder too deep for the server to find"`
	Listed  string   `json:"listed,omitempty" doc:"The text that names it"`
	Loaded  bool     `json:"loaded,omitempty" doc:"The server said at the last roll call that it was loaded"`
}
