package api

import (
	"time"
)

// Archive is a download as it was staged.
type Archive struct {
	Digest   string    `json:"digest"`
	Filename string    `json:"filename"`
	Size     int64     `json:"size"`
	Format   string    `json:"format"`
	Source   string    `json:"source,omitempty"`
	Note     string    `json:"note,omitempty"`
	Actor    string    `json:"actor,omitempty" doc:"Who staged it; or that it came into a watched folder"`
	Findings []Finding `json:"findings,omitempty" doc:"What there is to know of it, whatever the rulebook"`
	StagedAt time.Time `json:"stagedAt"`
}

// Crate is one version of one add-on, laid out by one rulebook.
type Crate struct {
	Label       string        `json:"label" doc:"name@version"`
	Ref         string        `json:"ref" doc:"name@version~digits, never ambiguous"`
	Digest      string        `json:"digest"`
	Name        string        `json:"name"`
	Version     string        `json:"version"`
	Development bool          `json:"development,omitempty" doc:"Its version names an early build, such as a beta"`
	Rulebook    string        `json:"rulebook"`
	Revision    int           `json:"revision"`
	Kind        string        `json:"kind"`
	Root        string        `json:"root"`
	Why         string        `json:"why"`
	NameFrom    string        `json:"nameFrom,omitempty" doc:"Where the name was read"`
	VerFrom     string        `json:"versionFrom,omitempty" doc:"Where the version was read"`
	Facts       []Fact        `json:"facts,omitempty" doc:"What manifests tell for later checks"`
	Says        []Said        `json:"says,omitempty" doc:"What the author's notes tell people to do"`
	Overlay     bool          `json:"overlay,omitempty" doc:"It changes files of another add-on"`
	Base        string        `json:"base,omitempty" doc:"The add-on that it changes"`
	Chosen      bool          `json:"rootChosen,omitempty" doc:"Its root was chosen by a person; lay-out-archive with forget asks anew"`
	Corrected   []string      `json:"corrected,omitempty" doc:"What your corrections did, in words"`
	Corrects    []string      `json:"corrects,omitempty" enum:"name,version,files,root,base,apart" doc:"Of which kind each of them is; absent for a crate that was laid out long ago"`
	Archives    []Archive     `json:"archives" nullable:"false"`
	Readings    []Reading     `json:"readings,omitempty" doc:"What each reading found, where a rulebook is tried"`
	Findings    []Finding     `json:"findings" nullable:"false"`
	FileCount   int           `json:"fileCount"`
	LeftCount   int           `json:"leftCount"`
	Size        int64         `json:"size"`
	Files       []CrateFile   `json:"files,omitempty"`
	Left        []CrateLeft   `json:"left,omitempty"`
	Folders     []CrateFolder `json:"folders,omitempty" doc:"Empty folders that are made on the server"`
	StagedAt    time.Time     `json:"stagedAt"`
	On          []CrateTarget `json:"on,omitempty" doc:"Servers that hold a version of this add-on"`
	Fits        []CrateFit    `json:"fits,omitempty" doc:"How it fits each server of its rulebook"`
}

// CrateFit is how a crate fits one server.
type CrateFit struct {
	Server string `json:"server"`
	Fit
}

// CrateFile is one file of a crate with its target and its reason.
type CrateFile struct {
	Source string `json:"source"`
	Place  string `json:"place"`
	Into   string `json:"into,omitempty" doc:"The packed file in the place into which it is merged"`
	Path   string `json:"path" doc:"Below the place, or in the packed file"`
	Size   int64  `json:"size"`
	Digest string `json:"digest,omitempty" doc:"SHA-256 of its bytes; absent where it was asked to be brief"`
	Exec   bool   `json:"exec,omitempty"`
	Reason string `json:"reason"`
	Line   int    `json:"line" doc:"Of the rule in the rulebook; 0 where a correction says so"`

	Optional string `json:"optional,omitempty" doc:"The part by choice that it belongs to"`
	Settings bool   `json:"settings,omitempty" doc:"People change this file on the server"`
}

// Loose is an archive of which no crate is in the list.
type Loose struct {
	Archive   Archive      `json:"archive"`
	Rulebooks []SaidByBook `json:"rulebooks" nullable:"false" doc:"What those in use said of it, as far as they have looked"`
}

// SaidByBook is what one rulebook made of an archive the last time that it looked at it.
type SaidByBook struct {
	Rulebook string   `json:"rulebook"`
	Choices  []Choice `json:"choices,omitempty" doc:"Where a person has to choose the root"`
	Crates   int      `json:"crates,omitempty" doc:"Crates that have left the list since"`
}

// Choosing says how an archive is laid out again.
type Choosing struct {
	Rulebook string `json:"rulebook,omitempty" doc:"By this one only; else by every one in use"`
	Root     string `json:"root,omitempty" doc:"The folder in it that is the add-on"`
	Forget   bool   `json:"forget,omitempty" doc:"A root that was chosen before is forgotten, and asked anew"`
}

// Received is the number of bytes of an upload that have arrived.
type Received struct {
	Bytes int64 `json:"bytes"`
}

// CrateFolder is an empty folder of a crate with its target.
type CrateFolder struct {
	Source string `json:"source"`
	Place  string `json:"place"`
	Path   string `json:"path" doc:"Below the place"`

	Optional string `json:"optional,omitempty" doc:"The part by choice that it belongs to"`
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
	Apart   bool   `json:"apart,omitempty" doc:"It is another add-on than those of other kinds that have its name"`
}

// Unsetting says which corrections of a crate are taken back.
type Unsetting struct {
	Name    bool `json:"name,omitempty"`
	Version bool `json:"version,omitempty"`
	Base    bool `json:"base,omitempty"`
	Apart   bool `json:"apart,omitempty"`
	Files   bool `json:"files,omitempty" doc:"Where its files go"`
	Root    bool `json:"root,omitempty" doc:"Which folder of its archive it is"`
}

// Correction is what people have corrected of one add-on.
type Correction struct {
	Rulebook string   `json:"rulebook"`
	Addon    string   `json:"addon" doc:"Its key before any correction"`
	From     string   `json:"from" doc:"For which version it was said last"`
	Says     []string `json:"says" nullable:"false"`
}

// Rename gives something another name.
type Rename struct {
	Name string `json:"name" minLength:"1"`
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
	Crate   string `json:"crate" doc:"The digest of the very crate"`
}

// Readme is the author's notes.
type Readme struct {
	Path string `json:"path"`
	Text string `json:"text"`
}

// Staged is the result of staging one archive.
type Staged struct {
	Archive   Archive        `json:"archive"`
	Known     bool           `json:"known" doc:"The same bytes were staged before"`
	Before    string         `json:"before,omitempty" doc:"The file name under which they were staged before, if it was another"`
	Renamed   bool           `json:"renamed,omitempty" doc:"This file name tells a version that the one before did not, so it counts from now on"`
	Reread    bool           `json:"reread,omitempty" doc:"With this code page names in it are others, which count from now on"`
	Back      bool           `json:"back,omitempty" doc:"Its bytes had been let go, and are there again"`
	Mended    int            `json:"mended,omitempty" doc:"Contents of it that were damaged in the stockroom and are whole again"`
	Rulebooks []StagedByBook `json:"rulebooks" nullable:"false"`
	Lesson    *Lesson        `json:"lesson,omitempty" doc:"What the server learnt from it and asks, where its rulebook grows"`
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

// Reading is what one reading of a rulebook found in an archive.
type Reading struct {
	What  string `json:"what" doc:"What it is read for"`
	File  string `json:"file" doc:"In which files it looks"`
	Where string `json:"where" doc:"The pointer or the expression"`
	From  string `json:"from,omitempty" doc:"The file in which it found something"`
	Value string `json:"value,omitempty"`
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

// Fetch is a file to be downloaded and staged.
type Fetch struct {
	URL      string `json:"url" doc:"Its address: https:// or http://, without a name or a password in it"`
	Filename string `json:"filename,omitempty" doc:"What it is called; as its host calls it if absent"`
	For      string `json:"for,omitempty" doc:"Lay it out by this server's rulebook only"`
	Rulebook string `json:"rulebook,omitempty" doc:"Lay it out by this rulebook only"`
	Note     string `json:"note,omitempty" doc:"A note of your own"`
	SHA256   string `json:"sha256,omitempty" doc:"What its SHA-256 has to be"`
	CodePage string `json:"codePage,omitempty" doc:"Of names in it that are not UTF-8, as IANA calls it"`
	Root     string `json:"root,omitempty" doc:"The folder in it that is the add-on, where several could be"`
	Trusted  bool   `json:"trusted,omitempty" doc:"It may unpack to far more than it is"`
}
