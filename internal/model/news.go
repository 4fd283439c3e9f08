package model

// News is what of the records has changed since some count of their changes.
type News struct {
	Counter int64    // the count now
	Servers []string // whose settings, deployments or roll calls have
	// About is what else has: "ledger" (of any server), "crates", "oddities" or "rulebooks".
	About []string
}
