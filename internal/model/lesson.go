package model

// Lesson is what a server has taught whose rulebook grows from answers.
type Lesson struct {
	ServerID int64
	Rulebook string            // the one that grows
	Answers  map[string]string // by question
	Archives []string          // digests of the downloads that it learns from
	Apart    []string          // digests of those that are no add-ons of it
	Made     []byte            // the rulebook as the answers made it last, before edits by hand
	Version  int64             // counts what was written
}
