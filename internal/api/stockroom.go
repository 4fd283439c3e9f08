package api

import (
	"time"

	"restlesscrate/internal/core/retention"
)

// TidyPlan is what tidying the stockroom frees.
type TidyPlan struct {
	Archives []Going      `json:"archives" nullable:"false" doc:"Downloads that go, with their crates; staging one again brings it back"`
	Copies   []Going      `json:"copies" nullable:"false" doc:"Kept copies of servers' files that go, by deployment"`
	GivenUp  []string     `json:"givenUp" nullable:"false" doc:"Deployments that cannot be rolled back any more"`
	Kept     []KeptReason `json:"kept" nullable:"false" doc:"Why downloads stay"`
	Total    int64        `json:"total" doc:"Bytes that the stockroom holds before"`
	Freed    int64        `json:"freed" doc:"Bytes"`
	Digest   string       `json:"digest" doc:"Names the plan, so that what is done is what was read"`
}

// Going is something that goes from the stockroom.
type Going struct {
	Name   string `json:"name"`
	Digest string `json:"digest,omitempty" doc:"Of a download"`
	Size   int64  `json:"size" doc:"Bytes on disk, with what was unpacked or made of it"`
	Copied int64  `json:"copied,omitempty" doc:"Bytes of it that are needed still, and are kept elsewhere"`
}

// KeptReason is why downloads stay.
type KeptReason struct {
	Why   string   `json:"why"`
	Names []string `json:"names" nullable:"false"`
	Bytes int64    `json:"bytes"`
}

// Tidy asks for what a plan says that was read.
type Tidy struct {
	Policy retention.Policy `json:"policy"`
	Digest string           `json:"digest,omitempty" doc:"The plan's; needed to do it"`
}

// KeptArchive is a download as the stockroom has it.
type KeptArchive struct {
	Archive Archive   `json:"archive"`
	Servers []string  `json:"servers" nullable:"false" doc:"On which something of it stands"`
	Newer   int       `json:"newer" doc:"How many newer versions of its add-on are staged; -1 where no crate came of it"`
	Dropped time.Time `json:"dropped,omitzero" doc:"Its bytes were let go then; staging it again brings it back"`
}
