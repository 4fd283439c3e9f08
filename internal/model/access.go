package model

import "time"

// Token is one that signs a client in, as it is listed: what it is itself is known to
// its holder alone. UsedAt is zero where it was never used; it is noted to the hour.
type Token struct {
	ID        int64
	Name      string
	CreatedAt time.Time
	UsedAt    time.Time
}

// Session is a browser that is signed in.
type Session struct {
	ID        int64
	Actor     string
	CreatedAt time.Time
	ExpiresAt time.Time
}
