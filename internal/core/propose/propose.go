// Package propose makes a rulebook without anybody writing one: from what a
// server's tree holds, one or two downloads, and the answers to a handful of
// questions. Every question comes with what the program believes and why.
package propose

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Download is an archive to learn from.
type Download struct {
	Filename string
	Entries  []tree.Entry // empty where it is a plain file; what is in packed files stands behind "!"
	// Texts are what small texts in it say, as far as they may be manifests.
	Texts map[tree.Path]string
}

// Evidence is what there is to learn from. Either part may be empty.
type Evidence struct {
	Tree      []tree.Entry // of a server, folders among them
	Downloads []Download
	// Texts are what small texts of the server say, as far as they may name add-ons.
	Texts map[tree.Path]string
}

// Question is one thing to decide. Options are ranked, the best first; Free is
// set where another answer may be given, and Like is then how one looks, where that does not
// go without saying.
type Question struct {
	Key     string
	Ask     string
	Options []Option
	Free    bool
	Like    string
}

// Option is a possible answer with why the program believes it.
type Option struct {
	Value string
	Says  string // the value in words
	Why   string
}

// The keys of the questions, in the order in which they are asked.
const (
	Shape     = "shape"     // single, folder or loose
	Sign      = "sign"      // suffixes of single or loose files, or markers of a folder, comma-separated
	Place     = "place"     // the folder on the server
	More      = "more"      // further kinds, each SHAPE SIGN in PLACE, with ; between
	Lists     = "lists"     // texts that name what is loaded, comma-separated
	Protected = "protected" // globs, comma-separated
)

// The shapes.
const (
	Single = "single"
	Folder = "folder"
	Loose  = "loose"
)

// none is the answer that there is nothing of the sort.
const none = "none"

// keys are all of them.
var keys = []string{Shape, Sign, Place, More, Lists, Protected}

// Answers are what a person has decided, by question. What is missing is
// believed.
type Answers map[string]string

// Questions gives what is to be decided, with the answers so far taken into
// account: what the marker can be depends on the shape.
func Questions(e Evidence, a Answers) []Question {
	e = e.outside()
	shape := shapeQuestion(e)
	f := form{shape: a.orBelieved(shape)}
	sign := signQuestion(e, f.shape)
	f.signs = signsOf(a.orBelieved(sign))
	place := placeQuestion(e, f)
	f.place = a.orBelieved(place)
	more := moreQuestion(e, f)
	others, _ := parseForms(a.orBelieved(more)) // what is wrong with it is said by Check
	return []Question{shape, sign, place, more, listsQuestion(e, append([]form{f}, others...)), protectedQuestion(e)}
}

// forms are the kinds that the answers make, the first one first.
func forms(e Evidence, a Answers) ([]form, error) {
	e = e.outside()
	f := form{shape: a.orBelieved(shapeQuestion(e))}
	f.signs = signsOf(a.orBelieved(signQuestion(e, f.shape)))
	f.place = a.orBelieved(placeQuestion(e, f))
	others, err := parseForms(a.orBelieved(moreQuestion(e, f)))
	return append([]form{f}, others...), err
}

// moreQuestion asks what else add-ons look like.
func moreQuestion(e Evidence, first form) Question {
	q := Question{Key: More, Ask: "What else do add-ons look like?", Free: true, Like: "folder part.toml in parts; single *.pak in packs"}
	if len(first.signs) == 0 || first.place == "" {
		return append1(q, Option{Value: none, Says: "nothing else", Why: "the first kind is not known yet"})
	}
	found := further(e, first)
	var values, says []string
	for _, f := range found {
		values, says = append(values, f.String()), append(says, f.words())
	}
	if len(found) > 0 {
		q.Options = append(q.Options, Option{Value: strings.Join(values, "; "), Says: strings.Join(says, "; "), Why: "such lie on the server beside the others"})
	}
	return append1(q, Option{Value: none, Says: "nothing else", Why: "nothing more stands out"})
}

// orBelieved gives the answer to a question, or what the program believes.
func (a Answers) orBelieved(q Question) string {
	if v, ok := a[q.Key]; ok && v != "" {
		return v
	}
	if len(q.Options) > 0 {
		return q.Options[0].Value
	}
	return ""
}

func shapeQuestion(e Evidence) Question {
	marker, single, loose := bestMarker(e), bestSuffix(e), looseSuffix(e)
	options := []Option{
		{Single, "one file is one add-on", single.why},
		{Folder, "one folder is one add-on", marker.why},
		{Loose, "loose files, around which a folder is made", loose.why},
	}
	weights := map[string]int{Single: single.weight, Folder: marker.weight, Loose: loose.weight}
	slices.SortStableFunc(options, func(x, y Option) int { return cmp.Compare(weights[y.Value], weights[x.Value]) })
	for i := range options {
		if options[i].Why == "" {
			options[i].Why = "nothing here looks like it"
		}
	}
	return Question{Key: Shape, Ask: "What is one add-on of this game?", Options: options}
}

func signQuestion(e Evidence, shape string) Question {
	q := Question{Key: Sign, Free: true}
	var clues []clue
	switch shape {
	case Folder:
		q.Ask = "Which file marks an add-on's own folder?"
		clues = markers(e)
	case Loose:
		q.Ask = "Which files are the add-on?"
		clues = looseSuffixes(e)
	default:
		q.Ask = "Which files are add-ons?"
		clues = singleSuffixes(e)
	}
	for _, c := range clues {
		q.Options = append(q.Options, Option{Value: c.value, Says: c.value, Why: c.why})
	}
	return q
}

func placeQuestion(e Evidence, f form) Question {
	q := Question{Key: Place, Ask: "Where on the server do add-ons lie?", Free: true}
	for _, c := range places(e, f) {
		q.Options = append(q.Options, Option{Value: c.value, Says: c.value, Why: c.why})
	}
	return q
}

func protectedQuestion(e Evidence) Question {
	q := Question{Key: Protected, Ask: "What must never be touched?", Free: true}
	var found []string
	for _, t := range e.Tree {
		if !t.Dir && t.Path.Depth() <= 2 && Secret(t.Path) {
			found = append(found, string(t.Path))
		}
	}
	if len(found) > 0 {
		q.Options = append(q.Options, Option{Value: list(found), Says: list(found), Why: "by name a key or a secret of the server"})
	}
	return append1(q, Option{Value: "none", Says: "nothing in particular", Why: "nothing else stands out"})
}

func append1(q Question, o Option) Question {
	q.Options = append(q.Options, o)
	return q
}

// Check tells what is wrong with answers.
func Check(a Answers) error {
	if s := a[Shape]; s != "" && s != Single && s != Folder && s != Loose {
		return fmt.Errorf("shape is %q; it is single, folder or loose", s)
	}
	for key := range a {
		if !slices.Contains(keys, key) {
			return fmt.Errorf("there is no question %q; there are %s", key, list(keys))
		}
	}
	_, err := parseForms(a[More])
	return err
}
