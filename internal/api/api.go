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
	Mend       string    `json:"mend,omitempty" doc:"What would help"`
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
}

// Transport is how a server's tree is reached.
type Transport struct {
	Kind string `json:"kind" enum:"folder,sftp,ftp,ftps" doc:"ftps is FTP with explicit TLS"`
	Root string `json:"root,omitempty"`
	Host string `json:"host,omitempty"`
	Port int    `json:"port,omitempty"`
	User string `json:"user,omitempty"`
	Auth string `json:"auth,omitempty" enum:"key,agent,password" doc:"How to sign in; over FTP only by password"`
	// UploadLimit is in bytes.
	UploadLimit int64 `json:"uploadLimit,omitempty" minimum:"0" doc:"The longest file that this way in takes, in bytes; 0 or absent: any"`
}

// Secrets go in and never come out.
type Secrets struct {
	Key        string `json:"key,omitempty" doc:"A private key, PEM"`
	Passphrase string `json:"passphrase,omitempty"`
	Password   string `json:"password,omitempty"`
}

// Server is one game server.
type Server struct {
	Name       string            `json:"name"`
	Rulebook   string            `json:"rulebook"`
	Transport  Transport         `json:"transport"`
	Variables  map[string]string `json:"variables"`
	Facts      map[string]string `json:"facts"`
	HostKey    string            `json:"hostKey,omitempty" doc:"Fingerprint that a person has confirmed"`
	OfferedKey string            `json:"offeredKey,omitempty" doc:"Fingerprint that was offered and waits for a person"`
	Abilities  *Abilities        `json:"abilities,omitempty" doc:"What server test found out"`
	Version    int64             `json:"version" doc:"Counts the edits of people"`
	CreatedAt  time.Time         `json:"createdAt"`
}

// Abilities are what a host can do.
type Abilities struct {
	TestedAt       time.Time `json:"testedAt"`
	Modes          bool      `json:"modes"`
	CaseBlind      bool      `json:"caseBlind"`
	RenameFromWork bool      `json:"renameFromWork"`
	RenameOver     bool      `json:"renameOver"`
	NoWork         bool      `json:"noWork,omitempty" doc:"No folder of ours can be made at the root, so there is no lock on the host"`
	RenameFolders  bool      `json:"renameFolders" doc:"A folder can be renamed out of the work folder with everything in it"`
	ResolutionMS   int64     `json:"resolutionMs"`
	Free           int64     `json:"free" doc:"Bytes; -1 where the host does not tell"`
	Words          []string  `json:"words" nullable:"false" doc:"The same, for people"`
}

// NewServer asks for a server to be added.
type NewServer struct {
	Name      string            `json:"name"`
	Rulebook  string            `json:"rulebook"`
	Transport Transport         `json:"transport"`
	Variables map[string]string `json:"variables,omitempty"`
	Facts     map[string]string `json:"facts,omitempty"`
	Secrets   Secrets           `json:"secrets,omitempty"`
}

// ServerEdit changes a server; what is absent stays.
type ServerEdit struct {
	Name      *string           `json:"name,omitempty"`
	Rulebook  *string           `json:"rulebook,omitempty" doc:"Only while nothing was deployed"`
	Transport *Transport        `json:"transport,omitempty"`
	Variables map[string]string `json:"variables,omitempty"`
	Facts     map[string]string `json:"facts,omitempty"`
	Secrets   Secrets           `json:"secrets,omitempty"`
	ForgetKey bool              `json:"forgetKey,omitempty"`
	Version   int64             `json:"version,omitempty" doc:"Of the server on which the edit rests: where it was edited since, it is refused. 0: whichever it is"`
}

// TrustKey confirms a host's key.
type TrustKey struct {
	Fingerprint string `json:"fingerprint"`
}

// Rulebook is one revision of a rulebook.
type Rulebook struct {
	Name      string    `json:"name"`
	Revision  int       `json:"revision"`
	Title     string    `json:"title"`
	Text      string    `json:"text,omitempty"`
	Fresh     bool      `json:"fresh,omitempty" doc:"Whether adding it made a new revision"`
	Actor     string    `json:"actor"`
	CreatedAt time.Time `json:"createdAt"`
	Kinds     []Kind    `json:"kinds,omitempty"`
	Places    []Place   `json:"places,omitempty"`
	Variables []Asked   `json:"variables,omitempty"`
	Outdated  int       `json:"outdated,omitempty" doc:"Archives that only earlier revisions laid out"`
}

// Kind is one kind of add-on in a rulebook.
type Kind struct {
	Name       string `json:"name"`
	About      string `json:"about,omitempty"`
	Recognised string `json:"recognised" doc:"How, in words"`
}

// Place is a named spot in a server's tree.
type Place struct {
	Name  string `json:"name"`
	Path  string `json:"path"`
	About string `json:"about,omitempty"`
}

// Asked is a variable that a server must say.
type Asked struct {
	Name    string `json:"name"`
	Ask     string `json:"ask"`
	Default string `json:"default,omitempty"`
}

// RulebookText is a rulebook to check or add.
type RulebookText struct {
	Text string `json:"text"`
}

// TryRulebook asks what a rulebook would make of an archive that is kept.
type TryRulebook struct {
	Text    string `json:"text"`
	Archive string `json:"archive" doc:"Its digest"`
}

// ReadTree asks what a rulebook makes of a server's tree.
type ReadTree struct {
	Text   string `json:"text"`
	Server string `json:"server"`
}

// OnTree is what a rulebook makes of a server's tree, as far as names tell.
type OnTree struct {
	Places    []PlaceThere `json:"places" nullable:"false"`
	Addons    []AddonThere `json:"addons" nullable:"false"`
	Protected []string     `json:"protected" nullable:"false" doc:"Protected paths that are there"`
}

// PlaceThere is a place at its real path.
type PlaceThere struct {
	Name  string `json:"name"`
	Path  string `json:"path"`
	Holds int    `json:"holds" doc:"Things right in it; -1 where there is no such folder"`
}

// AddonThere is something that looks like an add-on.
type AddonThere struct {
	Kind    string `json:"kind"`
	Place   string `json:"place"`
	Path    string `json:"path"`
	Name    string `json:"name"`
	Version string `json:"version,omitempty"`
}

// Starter is a rulebook named for a shape instead of a game.
type Starter struct {
	Name  string `json:"name"`
	About string `json:"about"`
	Text  string `json:"text"`
}

// Propose asks for a rulebook that is made from answers.
type Propose struct {
	Name     string            `json:"name"`
	Title    string            `json:"title"`
	Server   string            `json:"server,omitempty" doc:"Whose tree is looked at"`
	Archives []string          `json:"archives,omitempty" doc:"Digests of downloads to learn from"`
	Answers  map[string]string `json:"answers,omitempty" doc:"By question; what is missing is believed"`
}

// Proposed is a rulebook that was made from answers, with the questions.
type Proposed struct {
	Questions []Question `json:"questions" nullable:"false"`
	Text      string     `json:"text,omitempty" doc:"Absent where something has to be answered first"`
	Missing   string     `json:"missing,omitempty" doc:"What has to be answered first"`
}

// Question is one thing to decide; its options are ranked, the best first.
type Question struct {
	Key     string   `json:"key"`
	Ask     string   `json:"ask"`
	Options []Option `json:"options" nullable:"false"`
	Free    bool     `json:"free" doc:"Whether another answer may be given"`
}

// Option is a possible answer with why the program believes it.
type Option struct {
	Value string `json:"value"`
	Says  string `json:"says" doc:"The value in words"`
	Why   string `json:"why"`
}

// Archive is a download as it was staged.
type Archive struct {
	Digest   string    `json:"digest"`
	Filename string    `json:"filename"`
	Size     int64     `json:"size"`
	Format   string    `json:"format"`
	Source   string    `json:"source,omitempty"`
	Note     string    `json:"note,omitempty"`
	Findings []Finding `json:"findings,omitempty" doc:"What there is to know of it, whatever the rulebook"`
	StagedAt time.Time `json:"stagedAt"`
}

// Crate is one version of one add-on, laid out by one rulebook.
type Crate struct {
	Label     string        `json:"label" doc:"name@version"`
	Ref       string        `json:"ref" doc:"name@version~digits, never ambiguous"`
	Digest    string        `json:"digest"`
	Name      string        `json:"name"`
	Version   string        `json:"version"`
	Rulebook  string        `json:"rulebook"`
	Revision  int           `json:"revision"`
	Kind      string        `json:"kind"`
	Root      string        `json:"root"`
	Why       string        `json:"why"`
	NameFrom  string        `json:"nameFrom,omitempty" doc:"Where the name was read"`
	VerFrom   string        `json:"versionFrom,omitempty" doc:"Where the version was read"`
	Facts     []Fact        `json:"facts,omitempty" doc:"What manifests tell for later checks"`
	Says      []Said        `json:"says,omitempty" doc:"What the author's notes tell people to do"`
	Overlay   bool          `json:"overlay,omitempty" doc:"It changes files of another add-on"`
	Base      string        `json:"base,omitempty" doc:"The add-on that it changes"`
	Corrected []string      `json:"corrected,omitempty" doc:"What your corrections did, in words"`
	Archives  []Archive     `json:"archives" nullable:"false"`
	Findings  []Finding     `json:"findings" nullable:"false"`
	FileCount int           `json:"fileCount"`
	LeftCount int           `json:"leftCount"`
	Size      int64         `json:"size"`
	Files     []CrateFile   `json:"files,omitempty"`
	Left      []CrateLeft   `json:"left,omitempty"`
	StagedAt  time.Time     `json:"stagedAt"`
	On        []CrateTarget `json:"on,omitempty" doc:"Servers that hold a version of this add-on"`
}

// CrateFile is one file of a crate with its target and its reason.
type CrateFile struct {
	Source string `json:"source"`
	Place  string `json:"place"`
	Into   string `json:"into,omitempty" doc:"The packed file in the place into which it is merged"`
	Path   string `json:"path" doc:"Below the place, or in the packed file"`
	Size   int64  `json:"size"`
	Digest string `json:"digest"`
	Exec   bool   `json:"exec,omitempty"`
	Reason string `json:"reason"`
	Line   int    `json:"line" doc:"Of the rule in the rulebook; 0 where a correction says so"`

	Optional string `json:"optional,omitempty" doc:"The part by choice that it belongs to"`
	Settings bool   `json:"settings,omitempty" doc:"People change this file on the server"`
}

// Said is a line of the author's notes that looks like something to do.
type Said struct {
	Source string `json:"source"`
	Line   int    `json:"line"`
	Text   string `json:"text"`
}

// Difference is how one file of a crate differs from an older version's.
type Difference struct {
	Kind      string `json:"kind" enum:"added,removed,moved,changed"`
	Place     string `json:"place"`
	Path      string `json:"path"`
	FromPlace string `json:"fromPlace,omitempty" doc:"With moved: where the same bytes were"`
	From      string `json:"from,omitempty"`
	Size      int64  `json:"size"`
}

// Comparison is what becomes of an older version's files.
type Comparison struct {
	Old   string       `json:"old"`
	New   string       `json:"new"`
	Files []Difference `json:"files" nullable:"false"`
	Same  int          `json:"same" doc:"Files that are the same in both"`
}

// Fact is one thing that a manifest tells.
type Fact struct {
	Kind  string `json:"kind" enum:"needs,recommends,conflicts,replaces,game,loader,side"`
	Name  string `json:"name,omitempty" doc:"An add-on, a loader or a side"`
	Range string `json:"range,omitempty" doc:"Of versions, as it is written"`
	From  string `json:"from" doc:"Where it was read"`
}

// Placing corrects where files of a crate go, for this and later versions.
type Placing struct {
	Glob  string `json:"glob" doc:"Over paths below the add-on's root"`
	Place string `json:"place,omitempty" doc:"Absent: they are left out"`
	As    string `json:"as,omitempty" doc:"The path in the place; absent: as below the root"`
}

// Joining makes one crate of two downloads of one add-on.
type Joining struct {
	With string `json:"with" doc:"The other crate, of the same rulebook"`
}

// Naming corrects what a crate is called: the name for this and later
// versions, the version for its archive alone.
type Naming struct {
	Name    string `json:"name,omitempty"`
	Version string `json:"version,omitempty"`
	Base    string `json:"base,omitempty" doc:"The add-on that it changes"`
}

// Listing keeps an add-on that has no download.
type Listing struct {
	ID       string `json:"id" minLength:"1" doc:"As the server's list holds it"`
	For      string `json:"for,omitempty" doc:"A server, whose rulebook counts"`
	Rulebook string `json:"rulebook,omitempty"`
}

// CrateLeft is one file that is left out.
type CrateLeft struct {
	Source  string `json:"source"`
	Size    int64  `json:"size"`
	Reason  string `json:"reason"`
	Settled bool   `json:"settled" doc:"False where no rule spoke of it"`
}

// CrateTarget is a server on which an add-on is.
type CrateTarget struct {
	Server  string `json:"server"`
	Version string `json:"version"`
}

// Readme is the author's notes.
type Readme struct {
	Path string `json:"path"`
	Text string `json:"text"`
}

// Staged is what came of staging one archive.
type Staged struct {
	Archive   Archive        `json:"archive"`
	Known     bool           `json:"known" doc:"The same bytes were staged before"`
	Mended    int            `json:"mended,omitempty" doc:"Contents of it that were damaged in the stockroom and are whole again"`
	Rulebooks []StagedByBook `json:"rulebooks" nullable:"false"`
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

// Checkup is what came of looking over everything that the service keeps.
type Checkup struct {
	Database string    `json:"database" doc:"ok; a damaged one is answered with a problem instead"`
	Read     int       `json:"read" doc:"Contents of the stockroom that were read and hashed"`
	Damaged  []Damaged `json:"damaged" nullable:"false"`
}

// Damaged is a content of the stockroom whose bytes are not what they were.
type Damaged struct {
	Digest   string   `json:"digest"`
	Archives []string `json:"archives" nullable:"false" doc:"Staging one of these again mends it; none: it is a kept copy of a server's file, or was made"`
}

// StagedByBook is what one rulebook made of an archive.
type StagedByBook struct {
	Rulebook string    `json:"rulebook"`
	Revision int       `json:"revision"`
	Fresh    bool      `json:"fresh" doc:"False where this revision had laid it out before"`
	Crates   []Crate   `json:"crates" nullable:"false" doc:"One for each add-on in it"`
	Pallet   string    `json:"pallet,omitempty" doc:"name@version of the pack, where its crates are different add-ons"`
	Choices  []Choice  `json:"choices,omitempty" doc:"What a person has to choose from; stage it again with root"`
	Findings []Finding `json:"findings" nullable:"false"`
}

// Choice is a folder in an archive that could be the add-on.
type Choice struct {
	Kind  string `json:"kind"`
	Root  string `json:"root"`
	Files int    `json:"files"`
	Why   string `json:"why"`
}

// Pallet is the crates that came together in one pack. It can be deployed by
// its label; what an older version of it held and it does not is retired.
type Pallet struct {
	Label    string    `json:"label"`
	Name     string    `json:"name"`
	Version  string    `json:"version"`
	Rulebook string    `json:"rulebook"`
	Crates   []string  `json:"crates" nullable:"false" doc:"Their labels"`
	StagedAt time.Time `json:"stagedAt"`
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
	Number int64           `json:"number"`
	Kind   string          `json:"kind"`
	Data   json.RawMessage `json:"data"`
	At     time.Time       `json:"at"`
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
