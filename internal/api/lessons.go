package api

// Teach says something of a server whose rulebook grows.
type Teach struct {
	Archives []string          `json:"archives,omitempty" doc:"Digests of downloads to learn from"`
	Answers  map[string]string `json:"answers,omitempty" doc:"By question"`
	About    string            `json:"about,omitempty" doc:"The download that the answer to what it is goes with: refused where something else is asked first by now"`
}

// Lesson is what is known of a server whose rulebook grows, and what has to be answered.
type Lesson struct {
	Rulebook  string         `json:"rulebook"`
	Revision  int            `json:"revision"`
	Fresh     bool           `json:"fresh,omitempty" doc:"What was said made a new revision"`
	Text      string         `json:"text" doc:"The rulebook"`
	Beliefs   []Belief       `json:"beliefs" nullable:"false"`
	Questions []Question     `json:"questions" nullable:"false" doc:"One after the other"`
	About     string         `json:"about,omitempty" doc:"The digest of the download that the first question is about"`
	Kept      []string       `json:"kept,omitempty" doc:"Lines written by hand that stay, although the answers would have others"`
	Laid      []StagedByBook `json:"laid,omitempty" doc:"What was made of downloads by the new revision"`
}

// Belief is something that is taken for true of a server.
type Belief struct {
	What string `json:"what"`
	Why  string `json:"why"`
	Said bool   `json:"said,omitempty" doc:"A person said so"`
}
