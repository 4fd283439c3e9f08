package api

import "time"

// NewDraft asks for a draft. Exactly one of Crates, Remove, Enable, Disable and
// Rollback is set.
type NewDraft struct {
	Crates     []string        `json:"crates,omitempty" doc:"name@version, or name for the version staged last"`
	With       []string        `json:"with,omitempty" doc:"Parts by choice to take: PART or ADDON:PART; or variables that each add-on has for itself, as NAME=VALUE; kept for later versions"`
	Without    []string        `json:"without,omitempty" doc:"Parts by choice to leave out"`
	Remove     []string        `json:"remove,omitempty" doc:"Add-on names"`
	InsteadOf  []string        `json:"insteadOf,omitempty" doc:"With crates: names of add-ons that go, because the crates take their place"`
	Rewrite    []NameChange    `json:"rewrite,omitempty" doc:"Names that are changed in the server's texts along with it, such as that of what goes"`
	TakeNeeds  bool            `json:"takeNeeds,omitempty" doc:"With crates: have what they need come along, of what is staged and fits, with its own needs"`
	Enable     []string        `json:"enable,omitempty" doc:"Names of add-ons that a load list names again"`
	Disable    []string        `json:"disable,omitempty" doc:"Names of add-ons that no load list names any more; their files stay"`
	Rollback   *Rollback       `json:"rollback,omitempty"`
	Tweaks     []TweakWish     `json:"tweaks,omitempty" doc:"Changes of texts, alone or along with the rest"`
	Untweak    []string        `json:"untweak,omitempty" doc:"IDs of tweaks that are taken back"`
	Texts      []EditedText    `json:"texts,omitempty" doc:"Texts that were edited as a whole"`
	Moves      []Renaming      `json:"moves,omitempty" doc:"Files and folders that get other names, in their order; what else is asked for names them as they are called before"`
	Swaps      []Swap          `json:"swaps,omitempty" doc:"Files of your own that take the places of others"`
	Adopt      []string        `json:"adopt,omitempty" doc:"Paths of add-ons that lie on the server already: the ledger takes them in as they are, and nothing is done to them"`
	Settle     []Settling      `json:"settle,omitempty" doc:"What is done about what a survey found to differ"`
	Keep       map[string]Side `json:"keep,omitempty" doc:"Whose value stays where the server and a new version both changed it, by PATH:KEY, or by PATH for all of a text"`
	Accept     []string        `json:"accept,omitempty" doc:"CODE or CODE=PATH"`
	Data       bool            `json:"data,omitempty" doc:"Copy every data folder while the server is stopped, so that the way back covers it"`
	NoData     bool            `json:"noData,omitempty" doc:"Copy none, though an add-on may change what is in one"`
	Renew      []string        `json:"renew,omitempty" doc:"Data places of the rulebook to set aside for good, so that the server makes new ones"`
	Leave      bool            `json:"leave,omitempty" doc:"Do not stop the server"`
	Restart    bool            `json:"restart,omitempty" doc:"Stop and start the server where a reload would do"`
	OrUndoEach bool            `json:"orUndoEach,omitempty" doc:"Take back alone what does not load, in a deployment of its own; take all back if the server does not come up, or nothing of it loads"`
	OrUndo     bool            `json:"orUndo,omitempty" doc:"Take all back if the server does not come up or what is deployed does not load"`
	Thorough   bool            `json:"thorough,omitempty" doc:"Read every file back once it is sent, and compare its bytes"`
}

// Rollback says what goes back, and how far.
type Rollback struct {
	Deployment int        `json:"deployment,omitempty" doc:"The inverse of that deployment"`
	Path       string     `json:"path,omitempty" doc:"One path, back one change unless to is given"`
	Addon      string     `json:"addon,omitempty" doc:"One add-on, back one change unless to is given"`
	To         *int       `json:"to,omitempty" doc:"As things stood after that deployment; 0: before the first"`
	AsOf       *time.Time `json:"asOf,omitempty" doc:"As things stood at that moment: after the last deployment that was done by then"`
	KnownGood  bool       `json:"knownGood,omitempty" doc:"As things stood after the last deployment that is called good"`
	Data       bool       `json:"data,omitempty" doc:"With deployment: put the data folders that it copied back too"`
	Leave      []string   `json:"leave,omitempty" doc:"Paths that stay as they are"`
}

// RunDraft runs a draft that was read.
type RunDraft struct {
	Digest string   `json:"digest" doc:"Of the draft that was read"`
	Accept []string `json:"accept,omitempty" doc:"CODE or CODE=PATH"`
}

// Deployment is a reversible change set on one server.
type Deployment struct {
	Name        string     `json:"name" doc:"server#number"`
	Server      string     `json:"server"`
	Number      int        `json:"number"`
	Kind        string     `json:"kind" enum:"deploy,remove,enable,disable,rollback,tweak,settle,adopt"`
	Title       string     `json:"title"`
	State       string     `json:"state" enum:"draft,queued,running,waiting,done,halted,undoing,undone,discarded"`
	Digest      string     `json:"digest"`
	Counts      Counts     `json:"counts"`
	WayBack     string     `json:"wayBack"`
	Asked       *NewDraft  `json:"asked,omitempty" doc:"Where it is shown alone and deploys add-ons: what was asked for, so that it can be asked for again otherwise"`
	Steps       []Step     `json:"steps,omitempty"`
	StepsDone   []int      `json:"stepsDone,omitempty" doc:"Instead of steps where known was given and is so: how many motions of each are done, in their order"`
	Findings    []Finding  `json:"findings" nullable:"false"`
	Blocks      int        `json:"blocks" doc:"Blocks that nobody has accepted"`
	Accepted    []Accepted `json:"accepted" nullable:"false"`
	Motions     int        `json:"motions"`
	Trouble     string     `json:"trouble,omitempty" doc:"What halted it, or what it waits for"`
	GoesBack    bool       `json:"goesBack,omitempty" doc:"It is being taken back, and what it waits for is part of that"`
	Notes       []string   `json:"notes" nullable:"false"`
	Figures     Figures    `json:"figures"`
	Aftermath   []Finding  `json:"aftermath" nullable:"false" doc:"What was found once it was done"`
	RollCall    *RollCall  `json:"rollCall,omitempty"`
	TakenBackBy int        `json:"takenBackBy,omitempty" doc:"In a server's list and where it is shown alone: the number of the deployment that took it back, and is in force"`
	Untidy      bool       `json:"untidy,omitempty" doc:"Set-aside files are still on the server"`
	Remark      *Remark    `json:"remark,omitempty" doc:"What a person said of it last"`
	Job         string     `json:"job,omitempty" doc:"The job that ran it last"`
	Actor       string     `json:"actor"`
	Runner      string     `json:"runner,omitempty"`
	CreatedAt   time.Time  `json:"createdAt"`
	StartedAt   *time.Time `json:"startedAt,omitempty"`
	EndedAt     *time.Time `json:"endedAt,omitempty"`
}

// Remark is what a person says of a deployment.
type Remark struct {
	Text string     `json:"text,omitempty" maxLength:"2000"`
	Good bool       `json:"good,omitempty" doc:"The server was found good as it stood after it"`
	By   string     `json:"by,omitempty" readOnly:"true"`
	At   *time.Time `json:"at,omitempty" readOnly:"true"`
}

// Counts sum a draft up.
type Counts struct {
	In      int `json:"in"`
	Changed int `json:"changed"`
	Out     int `json:"out"`
	Same    int `json:"same"`
	Edited  int `json:"edited,omitempty" doc:"Texts that are edited"`

	Accepted int `json:"accepted,omitempty" doc:"Paths that the ledger takes as they are"`

	Send   int64 `json:"send"`
	Keep   int64 `json:"keep"`
	Copied int64 `json:"copied,omitempty" doc:"Bytes that the host copies itself"`
}

// Step is one operation as a person reads it.
type Step struct {
	ID      int    `json:"id"`
	Leg     int    `json:"leg" doc:"From 1; a leg ends with the server started"`
	Phase   string `json:"phase" enum:"prepare,swap,proof"`
	Verb    string `json:"verb"`
	Path    string `json:"path,omitempty"`
	What    string `json:"what,omitempty"`
	Reason  string `json:"reason"`
	Bytes   int64  `json:"bytes,omitempty"`
	Diff    string `json:"diff,omitempty" doc:"Of a text that is edited, in the unified form"`
	Motions int    `json:"motions"`
	Done    int    `json:"done" doc:"Motions that the journal shows as done"`
}

// Accepted is a block that a person accepted.
type Accepted struct {
	Code string `json:"code"`
	Path string `json:"path,omitempty"`
	By   string `json:"by"`
}

// Figures are what a run measured.
type Figures struct {
	Sent         int64 `json:"sent"`
	Kept         int64 `json:"kept"`
	Proved       int   `json:"proved" doc:"Files whose bytes were checked once they were sent"`
	LookMS       int64 `json:"lookMs"`
	PrepareMS    int64 `json:"prepareMs"`
	SwapMS       int64 `json:"swapMs"`
	ProofMS      int64 `json:"proofMs"`
	TidyMS       int64 `json:"tidyMs"`
	AwayMS       int64 `json:"awayMs" doc:"From the stop to ready, of which swapMs is ours"`
	HandMS       int64 `json:"handMs,omitempty" doc:"Of awayMs, waiting for a person"`
	WaitingSince int64 `json:"waitingSince,omitempty" doc:"Since when it waits for a person, UTC milliseconds"`
	LostLines    int   `json:"lostLines"`
}

// Status is what is on a server.
type Status struct {
	Server  Server       `json:"server"`
	Addons  []Addon      `json:"addons" nullable:"false"`
	Files   int          `json:"files"`
	Open    *Deployment  `json:"open,omitempty" doc:"The deployment that keeps the server's slot"`
	Queue   []Deployment `json:"queue" nullable:"false" doc:"Deployments that wait for it, in their order"`
	Drafts  []Deployment `json:"drafts" nullable:"false"`
	Last    *Deployment  `json:"last,omitempty"`
	Settled int          `json:"settled,omitempty" doc:"The number of the last deployment that is over and was about files; what a later draft found changed outside is so still"`
	Agree   *AgreeLook   `json:"agree,omitempty" doc:"What was last seen of the values that must go together; absent where nobody has looked"`
	Company []Finding    `json:"company" nullable:"false" doc:"What is wrong between the add-ons: what one needs and does not have, or does not go together with"`
	Rhythm  *Rhythm      `json:"rhythm,omitempty" doc:"How often it is looked at; absent where nobody said so"`
	Survey  *Survey      `json:"survey,omitempty" doc:"The last survey, without what differs; absent where nobody has surveyed yet"`
	Looked  *Look        `json:"looked,omitempty" doc:"When something last looked at the server's tree"`
	// Pallets are the packs of which add-ons are there.
	Pallets []PalletOn `json:"pallets" nullable:"false"`
}

// AgreeLook is what was seen of the values of a server that must go together.
type AgreeLook struct {
	At    time.Time `json:"at"`
	By    string    `json:"by" doc:"The deployment, or who looked"`
	Found []Finding `json:"found" nullable:"false" doc:"Those that do not"`
}

// Look is when a deployment, drafted or run, last looked at what it is about on a server.
type Look struct {
	At         time.Time `json:"at"`
	Deployment string    `json:"deployment"`
}

// PalletOn is a pallet of which add-ons are on a server.
type PalletOn struct {
	Label   string   `json:"label"`
	Of      int      `json:"of" doc:"How many add-ons it holds"`
	Missing []string `json:"missing" nullable:"false" doc:"Its add-ons that are not there"`
}

// Fit is how a crate fits a server.
type Fit struct {
	State string `json:"state" enum:"fits,unknown,outside,other-loader,players-only"`
	Why   string `json:"why,omitempty" doc:"Why it does not, or why that is not known"`
}

// Unfit is a version that does not fit a server.
type Unfit struct {
	Version string `json:"version"`
	Why     string `json:"why"`
}

// Addon is one add-on on a server.
type Addon struct {
	Name         string     `json:"name"`
	Version      string     `json:"version"`
	Kind         string     `json:"kind,omitempty"`
	Pallet       string     `json:"pallet,omitempty" doc:"The pack with which this very crate came"`
	Crate        string     `json:"crate"`
	Files        int        `json:"files"`
	Size         int64      `json:"size"`
	Rung         string     `json:"rung" enum:"placed,listed,loaded,confirmed"`
	Evidence     string     `json:"evidence,omitempty" doc:"Of the rung, where it is loaded or confirmed"`
	EvidenceAt   *time.Time `json:"evidenceAt,omitempty"`
	Note         string     `json:"note,omitempty" doc:"Of whoever confirmed it"`
	Oddities     []string   `json:"oddities" nullable:"false" doc:"What looks wrong in it and is known to be harmless"`
	Trouble      string     `json:"trouble,omitempty" doc:"Why it did not load at the last start"`
	ChangedSince bool       `json:"changedSince,omitempty" doc:"Since the last roll call"`
	Listed       bool       `json:"listed,omitempty" doc:"A load list names it, disabled or not"`
	Disabled     bool       `json:"disabled,omitempty" doc:"Its files are there, and no load list names it"`
	Others       []string   `json:"others" nullable:"false" doc:"Other versions that some of its files are from"`
	Newer        string     `json:"newer,omitempty" doc:"A newer version that is staged, and is not known to be wrong for the server"`
	NewerUnfit   *Unfit     `json:"newerUnfit,omitempty" doc:"One that is newer still, and does not fit"`
	Hold         *Hold      `json:"hold,omitempty" doc:"What people say of its updates"`
	Fit          Fit        `json:"fit" doc:"How it fits the server, by what is known of it"`
	Deployment   string     `json:"deployment"`
	Since        time.Time  `json:"since"`
}

// File is one file of a server with its provenance.
type File struct {
	Path       string    `json:"path"`
	Size       int64     `json:"size"`
	Mode       string    `json:"mode,omitempty" doc:"Octal"`
	Digest     string    `json:"digest"`
	Crates     []string  `json:"crates" nullable:"false" doc:"name@version of each claim"`
	Archives   []string  `json:"archives" nullable:"false"`
	Deployment string    `json:"deployment"`
	Before     State     `json:"before"`
	Since      time.Time `json:"since"`
}

// State is what stands at a path.
type State struct {
	Being  string `json:"being" enum:"absent,unknown,folder,content,foreign"`
	Size   int64  `json:"size,omitempty"`
	Digest string `json:"digest,omitempty"`
	Mode   string `json:"mode,omitempty"`
}

// Event is one line of the ledger.
type Event struct {
	Seq          int64     `json:"seq"`
	Path         string    `json:"path"`
	Before       State     `json:"before"`
	After        State     `json:"after"`
	CratesBefore []string  `json:"cratesBefore" nullable:"false"`
	CratesAfter  []string  `json:"cratesAfter" nullable:"false"`
	Did          []string  `json:"did,omitempty" doc:"What was edited in it, in words, where it is a text"`
	Cause        string    `json:"cause"`
	Deployment   string    `json:"deployment,omitempty"`
	Actor        string    `json:"actor"`
	At           time.Time `json:"at"`
}
