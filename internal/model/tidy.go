package model

import (
	"time"

	"restlesscrate/internal/core/tree"
)

// Staying is an archive that the stockroom holds, with what speaks for keeping it.
type Staying struct {
	Archive
	Servers []string // on which something of it stands
	Newer   int      // how many newer versions of its add-on are staged: the least of its crates
	Lesson  string   // the server that learns from it; empty for none
	Crates  []int64  // made of it
}

// DroppedArchive is an archive whose bytes were let go.
type DroppedArchive struct {
	Archive
	At time.Time
}

// PastDeployment is a finished deployment whose way back may be given up.
type PastDeployment struct {
	ID   int64
	Name string
	At   time.Time
}

// Except are the rows that are not asked whether they mention a content, because they are about
// to lose it.
type Except struct {
	Archives, Crates, Deployments []int64
}

// Letting is what is let go of at once.
type Letting struct {
	Except
	Containers []string // whose contents are forgotten; their files go next
	Moved      map[tree.Digest]Moved
	Note       string // for the deployments that give up their ways back
}

// Moved is where a content lies from now on: as it is, in another container.
type Moved struct {
	Container    string
	Start, Bytes int64
}
