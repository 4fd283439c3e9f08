// Package api is the wire: the JSON that the service and its clients exchange
// under /api/v1. It is plain data; within v1 fields are only added.
//
// Sizes are bytes. Times are RFC 3339 in UTC. Digests are SHA-256 in
// hexadecimal. Paths are slash-separated and below a server's root.
package api

import (
	"encoding/json"
	"time"
)

// Prefix is where every call of this version lives.
const Prefix = "/api/v1"

// Page is one page of a list. Next is the cursor of the following page, empty
// on the last.
type Page[T any] struct {
	Items []T    `json:"items" nullable:"false"`
	Next  string `json:"next,omitempty" doc:"Cursor of the next page; absent on the last"`
}

// Problem is an error (RFC 9457).
type Problem struct {
	Type       string    `json:"type"`
	Title      string    `json:"title"`
	Status     int       `json:"status"`
	Detail     string    `json:"detail" doc:"What happened, for a person"`
	Code       string    `json:"code" doc:"Stable; what a program decides on"`
	Exit       int       `json:"exit" doc:"The exit code of the command line: 1 failed, 2 wrong usage, 3 blocked, 4 halted"`
	Mend       string    `json:"mend,omitempty" doc:"What would help, in words"`
	Remedies   []Remedy  `json:"remedies,omitempty" nullable:"false" doc:"The deeds that would help"`
	Deployment string    `json:"deployment,omitempty" doc:"The deployment to look at"`
	Findings   []Finding `json:"findings,omitempty"`
}

// Error makes a problem an error.
func (p *Problem) Error() string { return p.Detail }

// Finding is one thing a check has to say.
type Finding struct {
	Level string `json:"level" enum:"block,warn,note"`
	Code  string `json:"code"`
	Path  string `json:"path,omitempty"`
	What  string `json:"what"`
	Mend  string `json:"mend,omitempty"`
	Final bool   `json:"final,omitempty" doc:"A block that cannot be accepted"`

	Remedies []Remedy `json:"remedies,omitempty" nullable:"false" doc:"The deeds that would help"`
	Sides    *Sides   `json:"sides,omitempty" doc:"Of a conflict: what each side has there"`
}

// Sides are the three texts of a conflict. A secret is masked, and what one does not have is
// empty.
type Sides struct {
	Base   string `json:"base" doc:"As it was shipped, or when an editing began"`
	Mine   string `json:"mine" doc:"What the server has"`
	Theirs string `json:"theirs" doc:"What the new version, or the edited text, has"`
}

// Remedy is one deed that would help, as data: a face writes its own command or button.
type Remedy struct {
	Do   string `json:"do" doc:"Which deed: a stable code"`
	On   string `json:"on,omitempty" doc:"What it is done to: a server, a deployment, a crate; absent where that is what the finding is about"`
	With string `json:"with,omitempty" doc:"Its parameter, where it takes one"`
}

// Token is one that signs a client in. What it is itself is shown once, when it is
// made.
type Token struct {
	ID     int64      `json:"id"`
	Name   string     `json:"name"`
	MadeAt time.Time  `json:"madeAt"`
	UsedAt *time.Time `json:"usedAt,omitempty" doc:"Noted to the hour"`
}

// NewToken asks for a token.
type NewToken struct {
	Name string `json:"name" doc:"Whose it is, or what for: it is the actor of what is done with it"`
}

// MadeToken is a new token.
type MadeToken struct {
	Token
	Secret string `json:"secret" doc:"The token itself; it is never shown again"`
}

// BrowserSession is a browser that is signed in.
type BrowserSession struct {
	ID         int64     `json:"id"`
	Actor      string    `json:"actor"`
	SignedInAt time.Time `json:"signedInAt"`
	ExpiresAt  time.Time `json:"expiresAt" doc:"If it is not used before"`
}

// Checkup is the result of checking everything that the service keeps.
type Checkup struct {
	Database string    `json:"database" doc:"ok; a damaged one is answered with a problem instead"`
	Read     int       `json:"read" doc:"Contents of the stockroom that were read and hashed"`
	Damaged  []Damaged `json:"damaged" nullable:"false" doc:"What was found damaged, also what was mended then"`
	Notes    []string  `json:"notes" nullable:"false" doc:"Why it could not be mended where the ledger has it"`
}

// Damaged is a content of the stockroom whose bytes are not what they were.
type Damaged struct {
	Digest   string   `json:"digest"`
	Archives []string `json:"archives" nullable:"false" doc:"Staging one of these again mends it; none: it is a kept copy of a server's file, or was made"`
	Mended   string   `json:"mended,omitempty" doc:"Where its bytes were read again, server:path; it is whole now"`
}

// Job is long work.
type Job struct {
	ID          string          `json:"id"`
	Kind        string          `json:"kind"`
	Subject     string          `json:"subject,omitempty"`
	State       string          `json:"state" enum:"running,done,failed,cancelled"`
	Cancellable bool            `json:"cancellable" doc:"It runs, and can be cancelled"`
	Result      json.RawMessage `json:"result,omitempty"`
	Problem     *Problem        `json:"problem,omitempty"`
	Actor       string          `json:"actor"`
	CreatedAt   time.Time       `json:"createdAt"`
	EndedAt     *time.Time      `json:"endedAt,omitempty"`
}

// JobEvent is one numbered event of a job, as it comes in the event stream.
type JobEvent struct {
	Number int64     `json:"number"`
	Kind   string    `json:"kind" enum:"look,phase,motion,note"`
	Data   Progress  `json:"data"`
	At     time.Time `json:"at"`
}

// Progress is what a job tells of itself while it goes on.
type Progress struct {
	Kind  string `json:"kind" enum:"look,phase,motion,note"`
	Phase string `json:"phase,omitempty" enum:"prepare,swap,proof"`
	Step  int    `json:"step,omitempty" doc:"The step of the draft that it is at"`
	Done  int    `json:"done" doc:"Motions that are done"`
	Total int    `json:"total" doc:"Motions in all; 0 for work that is no run"`
	Sent  int64  `json:"sent,omitempty" doc:"Bytes"`
	Path  string `json:"path,omitempty"`
	Text  string `json:"text,omitempty"`
}

// Session is who is signed in.
type Session struct {
	Actor string `json:"actor"`
}

// SignIn signs a browser in with a one-time link's code or with a token.
type SignIn struct {
	Code  string `json:"code,omitempty"`
	Token string `json:"token,omitempty"`
}

// SignInLink is a one-time link for the console.
type SignInLink struct {
	URL       string    `json:"url"`
	ExpiresAt time.Time `json:"expiresAt"`
}

// Change says what of the records has changed.
type Change struct {
	Servers []string `json:"servers,omitempty" doc:"Whose settings, deployments or roll calls have, by name"`
	About   []string `json:"about,omitempty" enum:"ledger,crates,oddities,rulebooks" doc:"What else has, of all servers"`
}
