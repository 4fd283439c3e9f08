package api

import (
	"time"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tweak"
)

// Tweak is one change of a text by meaning.
type Tweak = tweak.Tweak

// Verb is what a tweak does, and ValueType what a value is written as.
type (
	Verb      = tweak.Verb
	ValueType = text.Type
)

// Side is whose value stays where the server and a new version both changed it.
type Side = merge.Side

// The sides.
const (
	Mine   = merge.Mine
	Theirs = merge.Theirs
)

// TweakWish asks for a change of a text that shall hold: it is done again to what an update
// brings.
type TweakWish struct {
	Path  string `json:"path,omitempty" doc:"Of the text on the server"`
	Tweak Tweak  `json:"tweak,omitzero"`
	For   string `json:"for,omitempty" doc:"An add-on with which it goes"`
	If    string `json:"if,omitempty" doc:"An add-on without which it is not done"`
	From  string `json:"from,omitempty" doc:"What the value is made from: {NAME} is a variable or a fact of the server, {version-of-ADDON} a version, {PATH:/VALUE-PATH} a value of another text; it is written again when that changes"`
	Note  string `json:"note,omitempty" doc:"Why"`
	// With a template, path and tweak are left out.
	Template string            `json:"template,omitempty" doc:"Make a text from this template of the rulebook, which says where it goes"`
	With     map[string]string `json:"with,omitempty" doc:"Values of the template's placeholders"`
}

// EditedText is a text that was edited as a whole. What has become of the server's text
// meanwhile is merged with it.
type EditedText struct {
	Path string `json:"path"`
	Was  []byte `json:"was" doc:"What the editing began with, base64"`
	Now  []byte `json:"now" doc:"What came of it, base64"`
	Note string `json:"note,omitempty"`
}

// Renaming gives a file, or a folder with all in it, another name.
type Renaming struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// Asset is a file of a person's own, which was sent to take the place of another.
type Asset struct {
	Digest string `json:"digest"`
	Size   int64  `json:"size"`
	About  string `json:"about" doc:"What it is by its bytes, such as image/png, 64 × 64, 3 kB"`
}

// Swap is a file of a person's own that shall stand in the place of another; its type and
// measures are compared.
type Swap struct {
	Path   string `json:"path" doc:"Of what it takes the place of"`
	Digest string `json:"digest" doc:"Of a file that was sent before"`
	Size   int64  `json:"size"`
	Name   string `json:"name" doc:"Of your file, as it is told"`
	As     string `json:"as,omitempty" doc:"The name under which it stands beside the other one"`
	In     string `json:"in,omitempty" doc:"With as: a text in which the old name is written anew"`
	Note   string `json:"note,omitempty"`
}

// Decision is what a person decides on a draft that leaves something open.
type Decision struct {
	Keep      map[string]Side `json:"keep,omitempty" doc:"Whose values stay where the server and a new version both changed them: by PATH:KEY, or by PATH for all of a text; remembered once the deployment has run"`
	TakeNeeds bool            `json:"takeNeeds,omitempty" doc:"Have what its crates need come along, of what is staged and fits"`
	InsteadOf []string        `json:"insteadOf,omitempty" doc:"Names of add-ons that go, because what is deployed takes their place"`
	Replace   []string        `json:"replace,omitempty" doc:"Paths of copies that nobody deployed: they go, and their bytes are kept"`
	LeaveOut  []string        `json:"leaveOut,omitempty" doc:"Names of crates that are not deployed after all"`
	Rewrite   []NameChange    `json:"rewrite,omitempty" doc:"Names that are changed in the server's texts along with it"`
}

// NameChange is a name of something that is called otherwise from then on. What names the things
// that the server loads, its log, and the texts of the one that goes stay.
type NameChange struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// TweakOn is a tweak that holds on a server.
type TweakOn struct {
	ID    string `json:"id"`
	Path  string `json:"path"`
	Does  string `json:"does" doc:"In words; a secret value is masked"`
	For   string `json:"for,omitempty"`
	If    string `json:"if,omitempty"`
	Off   bool   `json:"off,omitempty" doc:"The add-on of if is not there, so it is not done"`
	From  string `json:"from,omitempty"`
	Note  string `json:"note,omitempty"`
	Value string `json:"value,omitempty"`
	At    string `json:"at,omitempty"`
}

// TextFinding is something that is wrong with a text.
type TextFinding struct {
	Finding
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
	At     string `json:"at,omitempty" doc:"The value path that it is about"`
	Tweak  *Tweak `json:"tweak,omitempty" doc:"The change that mends it"`
}

// Text is a text of a server.
type Text struct {
	Path     string        `json:"path"`
	Size     int64         `json:"size"`
	Modified *time.Time    `json:"modified,omitempty" doc:"By the host's clock"`
	Format   string        `json:"format"`
	Encoding string        `json:"encoding"`
	Owners   []string      `json:"owners" nullable:"false" doc:"name@version of the add-ons that bring it"`
	About    string        `json:"about,omitempty"`
	Made     string        `json:"made,omitempty" doc:"The deployment with whose start it came"`
	Settings bool          `json:"settings,omitempty"`
	Changed  bool          `json:"changed,omitempty" doc:"It is not what a deployment left there"`
	Tweaks   []TweakOn     `json:"tweaks" nullable:"false"`
	Findings []TextFinding `json:"findings" nullable:"false"`
}

// TextShown is a text with what stands in it.
type TextShown struct {
	Text
	Body    string      `json:"body" doc:"Secrets are masked unless asked for"`
	Raw     []byte      `json:"raw,omitempty" doc:"As it is on the server, base64; absent where secrets are masked"`
	Digest  string      `json:"digest"`
	Masked  int         `json:"masked,omitempty" doc:"How many values are masked"`
	Ends    string      `json:"ends" enum:"lf,crlf,mixed"`
	Values  []TextValue `json:"values" nullable:"false"`
	Partial bool        `json:"partial,omitempty" doc:"There are more values than these"`
	Shipped string      `json:"shipped,omitempty" doc:"What its author shipped, where that is known and another"`
}

// SecretMark has a value of a text be masked wherever the text is shown.
type SecretMark struct {
	Path string `json:"path"`
	At   string `json:"at" doc:"The value path; of a group, for all values in it"`
	Off  bool   `json:"off,omitempty" doc:"Take a mark back that was set by hand"`
}

// TextValue is a value of a text.
type TextValue struct {
	Path    string `json:"path"`
	Line    int    `json:"line"`
	Kind    string `json:"kind"`
	Type    string `json:"type,omitempty"`
	Value   string `json:"value,omitempty"`
	Comment string `json:"comment,omitempty" doc:"What stands beside it"`
	Secret  bool   `json:"secret,omitempty"`
	Doubled int    `json:"doubled,omitempty" doc:"How often its name stands there, where more than once"`
	Counts  bool   `json:"counts,omitempty" doc:"With doubled: this one counts"`
	// Choices are what the rulebook's agreements say that it may be.
	Choices []string `json:"choices,omitempty" nullable:"false" doc:"What it may be, as the rulebook says: words, or the names of what is there"`
}

// FoundLine is a line in which a word stands.
type FoundLine struct {
	Path string `json:"path"`
	Line int    `json:"line"`
	Text string `json:"text"`
	At   string `json:"at,omitempty" doc:"The value that it stands in; absent for a comment, or where the format is not known"`
}

// Found is every line in which a word stands.
type Found struct {
	Lines   []FoundLine `json:"lines" nullable:"false"`
	Files   int         `json:"files" doc:"Texts that were searched"`
	Partial bool        `json:"partial,omitempty" doc:"There are more than these"`
}

// NamedIn is everything of a server that holds a name.
type NamedIn struct {
	Places []NamePlace `json:"places" nullable:"false"`
	Binary []string    `json:"binary" nullable:"false" doc:"Files that are no texts and hold it; they are left alone"`
	Paths  []string    `json:"paths" nullable:"false" doc:"Files and folders that are called so"`
	// What a draft takes that changes the name; absent where no new one was said.
	Tweaks []TweakWish `json:"tweaks,omitempty" doc:"With a new name: what changes it in every place but the log's, one for each text; a place that is to stay is added to skip"`
	Moves  []Renaming  `json:"moves,omitempty" doc:"With a new name: what gives it to the files and folders that are called so, in this order"`
	Texts  int         `json:"texts" doc:"That were searched"`
}

// NamePlace is a place of a text in which a name stands.
type NamePlace struct {
	Path   string   `json:"path"`
	Nth    int      `json:"nth" doc:"Of the places in this text, from 1"`
	Line   int      `json:"line"`
	Text   string   `json:"text"`
	At     string   `json:"at,omitempty"`
	Owners []string `json:"owners" nullable:"false"`
	Listed bool     `json:"listed,omitempty" doc:"The text names what the server loads"`
	Log    bool     `json:"log,omitempty" doc:"It is in the server's log, which is never rewritten"`
}

// Elsewhere is where else a value stands.
type Elsewhere struct {
	Places []NamePlace `json:"places" nullable:"false" doc:"As a whole word, without the value itself"`
	Texts  int         `json:"texts" doc:"How many were searched: the server's settings, and the texts that name what is loaded"`
	Common bool        `json:"common,omitempty" doc:"Nothing was searched: it is a secret, or a word or number that stands everywhere and means something else each time"`
}

// Linted is what is wrong with some texts.
type Linted struct {
	Findings []TextFinding `json:"findings" nullable:"false"`
	Texts    int           `json:"texts" doc:"How many were looked at"`
}

// LintText is a text to look at, which is kept nowhere.
type LintText struct {
	Name   string `json:"name" doc:"Its end may tell the format"`
	Raw    []byte `json:"raw" doc:"base64"`
	Format string `json:"format,omitempty"`
}
