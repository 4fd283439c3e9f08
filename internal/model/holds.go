package model

import "time"

// Hold is what people say of how an add-on on a server is updated.
type Hold struct {
	Addon   string // its key
	Held    bool   // it is not to be updated
	Channel string // by which builds: [Stable] or [Development]
	Note    string
	Actor   string
	At      time.Time
}

// The channels of builds. Who has a development build gets the next one too.
const (
	Stable      = "stable"
	Development = "development"
)
