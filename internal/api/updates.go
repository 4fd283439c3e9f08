package api

import "time"

// Hold is what people say of how an add-on on a server is updated.
type Hold struct {
	Held    bool   `json:"held,omitempty" doc:"It is not to be updated"`
	Channel string `json:"channel,omitempty" enum:"stable,development" doc:"By which builds it is updated; stable if not said"`
	Note    string `json:"note,omitempty"`
	By      string `json:"by,omitempty"`
}

// Update is what there is to know of the next version of an add-on on a server.
type Update struct {
	Addon     string     `json:"addon"`
	Installed string     `json:"installed"`
	Fit       Fit        `json:"fit" doc:"How the installed one fits the server"`
	Available string     `json:"available,omitempty" doc:"The newest that is staged and not known to be wrong for the server"`
	Crate     string     `json:"crate,omitempty" doc:"Its digest"`
	Channel   string     `json:"channel,omitempty"`
	StagedAt  *time.Time `json:"stagedAt,omitempty"`
	In        int        `json:"in,omitempty" doc:"Files"`
	Changed   int        `json:"changed,omitempty"`
	Out       int        `json:"out,omitempty"`
	Settings  []string   `json:"settings,omitempty" doc:"Texts that people change, which the new version changes too"`
	Needs     []string   `json:"needs,omitempty" doc:"What it needs that the installed one does not"`
	Unfit     *Unfit     `json:"unfit,omitempty" doc:"A version that is newer still, and does not fit"`
	Hold      *Hold      `json:"hold,omitempty"`
	Announced *Announced `json:"announced,omitempty" doc:"A version that is newer still, fits as far as is known, and is not staged"`
}
