// Package model is the nouns of the records: servers, rulebook revisions,
// archives, crates, deployments, ledger events and jobs, as the services and
// the API pass them around. It holds data and no behaviour worth the name;
// package records knows how each is written down.
package model

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"restlesscrate/internal/core/ability"
)

// ErrNotFound is returned where the thing asked for is not in the records.
var ErrNotFound = errors.New("not in the records")

// ErrConflict is returned where a name is taken or a state does not allow the change.
var ErrConflict = errors.New("the records do not allow it")

// ConflictError is [ErrConflict] with a word for people of what does not allow it.
type ConflictError struct{ Why string }

// Conflict makes one.
func Conflict(format string, args ...any) error {
	return &ConflictError{Why: fmt.Sprintf(format, args...)}
}

func (e *ConflictError) Error() string { return e.Why }

// Is makes it an [ErrConflict].
func (e *ConflictError) Is(target error) bool { return target == ErrConflict }

// ConflictText is why the records do not allow something, for people.
func ConflictText(err error) string {
	var conflict *ConflictError
	if errors.As(err, &conflict) {
		return conflict.Why
	}
	return err.Error()
}

// Server is one game server as it is recorded.
type Server struct {
	ID        int64
	Name      string
	Rulebook  string
	Learning  bool // its rulebook grows from answers
	Transport Transport
	Variables map[string]string
	Facts     map[string]string    // what people say of it
	FactsAt   map[string]time.Time // and since when, by name
	Told      []Fact               // what it tells of itself
	HostKey   string               // confirmed by a person, authorized-keys form
	SeenKey   string               // last offered and not confirmed
	Abilities *Abilities
	Control   json.RawMessage // how it is stopped and started; empty where that is not known
	Version   int64           // counts the edits of people
	StartedAt time.Time       // when it was last started by us; zero where it never was
	CreatedAt time.Time
}

// Transport is how a server's tree is reached. Secrets are apart from it.
type Transport struct {
	Kind string `json:"kind"` // "folder", "sftp", "ftp" or "ftps"
	Root string `json:"root"`
	Host string `json:"host,omitempty"`
	Port int    `json:"port,omitempty"`
	User string `json:"user,omitempty"`
	Auth string `json:"auth,omitempty"` // "key", "agent" or "password"
	// UploadLimit is how many bytes a file may have that this way in takes, as
	// far as a person knows; 0: any number.
	UploadLimit int64 `json:"uploadLimit,omitempty"`
}

// SameWay tells whether two transports lead to the same tree in the same way.
func (t Transport) SameWay(o Transport) bool {
	t.UploadLimit = o.UploadLimit
	return t == o
}

// Abilities are what a test found out about a host.
type Abilities struct {
	ability.Set
	TestedAt int64    `json:"testedAt"`          // UTC milliseconds
	Unclean  bool     `json:"unclean,omitempty"` // not Clean; neither is set where an earlier version tested
	Words    []string `json:"words"`             // the same for people
	Left     bool     `json:"left,omitempty"`    // whether a service that may be lost left a lock or uploads that can be cleared
	Lock     string   `json:"lock,omitempty"`    // what the lock of another service says, for people
}

// Revision is one immutable revision of a rulebook.
type Revision struct {
	ID        int64
	Name      string
	Number    int
	Title     string
	Text      []byte
	Digest    string
	Actor     string
	CreatedAt time.Time
}
