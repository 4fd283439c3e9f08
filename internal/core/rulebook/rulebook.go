// Package rulebook is our own language for describing one game's server
// tree: its places, the kinds of add-on that exist, how each is recognised,
// named and put. The program knows no game; rulebooks do.
//
// A rulebook is a YAML document. [Parse] reads one and reports everything
// that is wrong with it at once, each with its line and column.
package rulebook

import (
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/version"
)

// Format is the version of the language that this package reads.
const Format = 1

// Book is one rulebook as it was read. It is immutable after [Parse].
type Book struct {
	Name      string     // what people and records call it; matches [a-z0-9][a-z0-9-]{0,30}
	Title     string     // the game's name as people write it
	About     string     // one sentence, may be empty
	CaseBlind bool       // whether the game takes two spellings that differ in case for one
	Variables []Variable // what a server of this game must say, in the book's order
	Protected []string   // globs of paths that are never touched
	Known     version.Known
	Places    []Place
	Kinds     []Kind
	Facts     []ServerFact
	Lists     []LoadList
	Log       Log
	Console   Console
	Players   Players
	FirstRun  []string // globs of what is there only once the server has run
	Agree     []Agreement
	Templates []Template
	Texts     []TextRule
	ByHand    []ByHand
	Helpers   []Helper
}

// Variable is something that differs from server to server, such as the
// world's name, and that the paths of places may hold as {name}.
type Variable struct {
	Name    string
	Ask     string // the question to a person
	Default string // empty where a server must say it, unless Maybe
	Maybe   bool   // it may be empty: what is named after it alone is not there then
	// PerAddon is set where each add-on has its own, such as the group folder
	// it belongs to. What a server says is then the default for all.
	PerAddon bool
	// SetIn is the text of the server that holds it, ByHand what a person does
	// where only a host's panel does. With neither, and where no command of the
	// server's control holds it, nothing can set it.
	SetIn  *Setting
	ByHand string
	// HandCheck is how it is told whether that was done.
	HandCheck Check
}

// Program is the variable that holds the name of the program file by which a
// server is started.
const Program = "program"

// Launch is one of the starts by which a loader is installed.
type Launch struct {
	Program string // with {name}, {version} and {variable} placeholders
	Ends    bool   // it does its work and ends by itself
}

// Place is a named spot in a server's tree.
type Place struct {
	Name  string
	Path  string // below the root, with {variable} placeholders
	About string
	Data  bool // the server writes here; a way back should be able to cover it
	// Players is where players have what is here, below their own folder; as on the server where
	// empty.
	Players string
	Line    int
}

// Kind is one kind of add-on. Exactly one of Single, Marker, Loose, Folders and
// Listed is set.
type Kind struct {
	Name      string
	About     string
	Single    []string // globs: one file that is the add-on
	Holds     []string // with Single: what the file, itself an archive, must hold at its root
	Beside    []string // with Single: what a side-car's name ends with, behind the file's name or its stem
	Marker    []string // globs of file names: the folder that holds one is the root
	Loose     []string // globs: files that lie in no folder; one is made around them
	Folders   []string // globs of folder names: the folder that holds one is the root
	Rest      []string // globs: what lies beside the add-ons of a pack, which is one crate
	Listed    string   // a regular expression: add-ons without a download, known by an id that a list holds
	Repack    bool     // with Holds: a marker one folder too deep is mended by packing it anew
	Several   bool     // an archive may hold several, each an add-on of its own
	Installer string   // what a person has to do, where it must be run elsewhere first
	Overlays  *Overlay // set where it is laid over another add-on
	// TakesEffect is when a change of its files counts: one of Effects. Reload
	// is the line for the console that reloads one, with {name}; Risky says why a
	// person may rather not.
	TakesEffect string
	Reload      string
	Risky       string
	ChangesData []string  // data places that its first start may change
	Oddities    []string  // what looks wrong in one and is harmless
	Starts      []Launch  // by which one is installed; the last is how the server is started from then on
	Trim        []string  // suffixes that branches and builds leave on a name
	ID          []Reading // where the add-on's own identity is written, if anywhere
	NameIn      []Reading // where its name is written, if anywhere
	Called      []Reading // where it is written what the server calls it, if that is another name
	VerIn       []Reading // where its version is written, if anywhere
	Facts       map[FactKind][]Reading
	Tells       []Tell      // further values that its files tell, for entries and for what is done by hand
	Tweaks      []KindTweak // of texts, that each needs besides its entries
	Rules       []Rule      // in the book's order; the first that matches a file decides
	Line        int

	DisabledBy *Renaming // how one is disabled that no list names; nil where that cannot be done

	Mute bool // the server says nothing of such add-ons, so that silence tells nothing

	listed *regexp.Regexp
}

// Tell is a value that an add-on's files tell under a word of the rulebook's own. Where it
// is a list, there are several.
type Tell struct {
	Name string
	Read []Reading
}

// Told tells whether add-ons of a kind may have a value under this word.
func (k *Kind) Told(word string) bool {
	return slices.ContainsFunc(k.Tells, func(t Tell) bool { return t.Name == word })
}

// Mute tells whether a server never says anything of a kind's add-ons.
func (b *Book) Mute(kind string) bool {
	return slices.ContainsFunc(b.Kinds, func(k Kind) bool { return k.Name == kind && k.Mute })
}

// Takes tells whether an id that a list holds can be an add-on of this kind without a
// download.
func (k *Kind) Takes(id string) bool { return k.listed != nil && k.listed.MatchString(id) }

// Effects are when a change takes effect: at the next start, by a line for the
// console, or by being placed.
var Effects = []string{"start", "reload", "placed"}

// OdditiesOf gives what looks wrong in an add-on of a kind and is harmless.
func (b *Book) OdditiesOf(kind string) []string {
	for _, k := range b.Kinds {
		if k.Name == kind {
			return k.Oddities
		}
	}
	return nil
}

// Overlay says that an add-on changes files of another, its base.
type Overlay struct {
	Base []Reading // where the base's name is written, if anywhere
}

// Helper is a program that unpacks a packed format of the game's own to a
// folder, and packs a folder into it.
type Helper struct {
	Name    string
	Files   []string // globs over file names that are in the format
	Program string   // a file name in the service's folder of helper programs
}

// HelperFor finds the helper of a file by its name.
func (b *Book) HelperFor(file string) (Helper, bool) {
	i := slices.IndexFunc(b.Helpers, func(h Helper) bool {
		return slices.ContainsFunc(h.Files, func(g string) bool { return doublestar.MatchUnvalidated(g, file) })
	})
	if i < 0 {
		return Helper{}, false
	}
	return b.Helpers[i], true
}

// FactKind is a sort of thing that a manifest tells about an add-on.
type FactKind string

// The facts, and the order in which they are shown.
const (
	Needs      FactKind = "needs"      // other add-ons, with a range of versions
	Recommends FactKind = "recommends" // likewise
	Conflicts  FactKind = "conflicts"  // likewise
	Replaces   FactKind = "replaces"   // likewise
	Game       FactKind = "game"       // a range of the game's versions
	Loader     FactKind = "loader"     // what loads it
	Side       FactKind = "side"       // server, client or both
)

// FactKinds lists all.
var FactKinds = []FactKind{Needs, Recommends, Conflicts, Replaces, Game, Loader, Side}

// Reading names text files below the root and where in one a value is: at a
// JSON Pointer into a manifest, or in the first group of a regular
// expression. For facts, Item and Range are pointers into each item of a list.
type Reading struct {
	File        string // a glob
	Match       string
	At          string
	Format      manifest.Format
	Item, Range string
	Line        int

	match *regexp.Regexp // Match, read with ^ and $ for lines
}

// Found gives what the expression finds in a text, each match of it.
func (rd Reading) Found(text []byte) (values []string) {
	for _, m := range rd.match.FindAllSubmatch(text, -1) {
		values = append(values, string(m[1]))
	}
	return values
}

// For tells for which servers one of several parts is meant: a range of game versions, a
// loader, or both. Empty means any.
type For struct {
	Game   string `json:"game,omitempty"`
	Loader string `json:"loader,omitempty"`
}

// Fits tells whether a server with these facts is one of them; told is false where its facts
// do not tell.
func (f For) Fits(facts map[string]string) (fits, told bool) {
	fits = true
	if f.Game != "" {
		r, err := version.ParseRange(f.Game)
		if facts["game"] == "" || err != nil {
			return false, false
		}
		fits = r.Contains(facts["game"])
	}
	if f.Loader != "" {
		if facts["loader"] == "" {
			return false, false
		}
		fits = fits && strings.EqualFold(f.Loader, facts["loader"])
	}
	return fits, f != For{}
}

// Rule says where the files go that its globs take, or that they are left out.
type Rule struct {
	Take     []string // globs over paths relative to the add-on's root
	Leave    bool     // left out, for the reason Because
	Place    string   // where it goes, unless Leave
	Into     string   // the packed file in the place into which it is merged, empty for none
	As       string   // the path inside the place, or inside Into: {name}, {version}, {path}, {file}, {base}
	Because  string   // the rule's own words, may be empty
	OneOf    string   // the name of parts of which one is taken
	For      For      // with OneOf: for which servers this part is the one
	Optional string   // the part that these files are, which a person may leave out
	Also     bool     // later rules may put the same files in another place too
	Settings bool     // people change these files on the server
	Line     int      // the line of the rulebook that says so
}

// Place finds a place by name.
func (b *Book) Place(name string) (Place, bool) {
	i := slices.IndexFunc(b.Places, func(p Place) bool { return p.Name == name })
	if i < 0 {
		return Place{}, false
	}
	return b.Places[i], true
}

// Variable finds a variable by name.
func (b *Book) Variable(name string) (Variable, bool) {
	i := slices.IndexFunc(b.Variables, func(v Variable) bool { return v.Name == name })
	if i < 0 {
		return Variable{}, false
	}
	return b.Variables[i], true
}
