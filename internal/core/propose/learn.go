package propose

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// The keys of the questions by which a server teaches its rulebook, beside [Lists] and
// [Protected].
const (
	// Kind is what a download is. Its answers come one after the other and make [Kinds].
	Kind = "kind"
	// Kinds are all kinds, as [More] has them.
	Kinds = "kinds"
	// Copies are files of add-ons that go elsewhere as well, as "GLOB to FOLDER", comma-separated.
	Copies = "copies"
	// Log is the line that says that an add-on was loaded: FILE: EXPRESSION.
	Log = "log"
)

// Tree is the shape of downloads that hold the same folders as the server. Only a server
// teaches it: the interview does not ask for it.
const Tree = "tree"

// Belief is something that is taken for true without a question.
type Belief struct {
	What, Why string
	Said      bool // a person said so
}

// Learnt is what is known of a server so far.
type Learnt struct {
	Beliefs []Belief
	// Open is what has to be answered, one thing after the other. A question of the key Kind is
	// about the download of the filename About, or about the server where that is empty.
	Open  []Question
	About string
	// Answers are those that it was made from, with what has to be remembered of them.
	Answers Answers
	// Text is the rulebook that the answers make. It has no kinds where none was answered.
	Text []byte
}

// Learn grows a rulebook from what a server's tree and the downloads for it show, and from
// what people answered so far. It asks of each download that no kind fits what it is, and
// then of the texts that name add-ons; the rest is believed and told.
func Learn(name, title string, e Evidence, a Answers) (Learnt, error) {
	if err := checkLearnt(a); err != nil {
		return Learnt{}, err
	}
	whole := e
	e = e.outside()
	kinds, err := parseForms(a[Kinds])
	if err != nil {
		return Learnt{}, err
	}
	copies, err := parseCopies(a[Copies])
	if err != nil {
		return Learnt{}, err
	}
	w := &writer{evidence: whole, forms: kinds, copies: copies, grown: true}
	w.nameAll()
	l := Learnt{Answers: a}
	if l.Answers, err = a.takeLists(e, w); err != nil {
		return Learnt{}, err
	}
	a = l.Answers
	if q, about, ok := kindQuestion(e, kinds); ok {
		l.Open, l.About = append(l.Open, q), about
	}
	if q, ok := copiesQuestion(e, kinds); ok && a[Copies] == "" {
		l.Open = append(l.Open, q)
	}
	if q, ok := openLists(e, kinds, a); ok {
		l.Open = append(l.Open, q)
	}
	if q, ok := logQuestion(e, kinds); ok && a[Log] == "" {
		l.Open = append(l.Open, q)
	}
	l.Beliefs = beliefs(e, kinds, a)
	said := map[string]string{Lists: a[listsMade], Protected: a.orBelieved(protectedQuestion(e)), Log: cmp.Or(a[Log], none)}
	l.Text, err = w.book(name, title, said)
	return l, err
}

// Fits tells whether one of the kinds that were answered takes a download.
func Fits(a Answers, d Download) bool {
	kinds, err := parseForms(a[Kinds])
	e := Evidence{Downloads: []Download{d}}.outside()
	return err == nil && slices.ContainsFunc(kinds, func(f form) bool { return f.fits(e.Downloads[0]) })
}

// With gives the answers with one more. An answer to the question [Kind] is added to the
// kinds; any other takes the place of the one before.
func (a Answers) With(key, value string) (Answers, error) {
	out := Answers{}
	for k, v := range a {
		out[k] = v
	}
	if key == listsMade || key == listsAsked {
		return a, fmt.Errorf("there is no question %q", key)
	}
	if key != Kind {
		out[key] = value
		return out, checkLearnt(out)
	}
	more, err := parseForms(value)
	if err != nil {
		return a, err
	}
	all, err := parseForms(a[Kinds])
	if err != nil {
		return a, err
	}
	var texts []string
	for _, f := range append(all, more...) {
		if !slices.Contains(texts, f.String()) {
			texts = append(texts, f.String())
		}
	}
	if out[Kinds] = strings.Join(texts, "; "); out[Kinds] == "" {
		delete(out, Kinds)
	}
	return out, nil
}

func checkLearnt(a Answers) error {
	for key := range a {
		if known := []string{Kinds, Copies, Lists, Log, Protected}; !slices.Contains(append(known, listsMade, listsAsked), key) {
			return fmt.Errorf("there is no question %q; there are %s", key, list(append([]string{Kind}, known...)))
		}
	}
	if _, _, err := parseLog(a[Log]); err != nil {
		return err
	}
	if _, err := parseCopies(a[Copies]); err != nil {
		return err
	}
	_, err := parseForms(a[Kinds])
	return err
}

// kindQuestion asks what the first download is that no kind fits; or, where there is none and
// nothing was answered yet, what lies on the server already.
func kindQuestion(e Evidence, kinds []form) (q Question, about string, ok bool) {
	for _, d := range e.Downloads {
		if slices.ContainsFunc(kinds, func(f form) bool { return f.fits(d) }) {
			continue
		}
		q = Question{Key: Kind, Ask: fmt.Sprintf("What is %s?", d.Filename), Free: true, Like: "folder part.toml in parts"}
		alone := Evidence{Tree: e.Tree, Texts: e.Texts, Downloads: []Download{d}}
		q.Options = append1(Question{Options: candidates(alone)}, Option{Value: none, Says: "no add-on of this server", Why: "nothing is made of it then"}).Options
		return q, d.Filename, true
	}
	if len(kinds) > 0 || len(e.Downloads) > 0 {
		return q, "", false
	}
	q = Question{Key: Kind, Ask: "What is an add-on of this server?", Free: true, Like: "folder part.toml in parts", Options: candidates(e)}
	return q, "", len(q.Options) > 0
}

// beliefs are what is taken for true: the kinds that were answered, other things of which
// several lie on the server, and what its root tells.
func beliefs(e Evidence, kinds []form, a Answers) (out []Belief) {
	rest := e
	for _, f := range kinds {
		n := len(f.addons(e.Tree))
		why := "none lies there yet"
		if n > 0 {
			why = fmt.Sprintf("%d lie there", n)
		}
		if f.shape == Tree {
			why = "you said so"
		}
		out = append(out, Belief{What: "add-ons are " + f.words(), Why: why, Said: true})
		rest = rest.without(f)
	}
	if made, err := parseCopies(a[Copies]); err == nil {
		for _, c := range made {
			out = append(out, Belief{What: fmt.Sprintf("%s of each add-on goes into %s too", c.glob, c.to), Why: "you said so", Said: true})
		}
	}
	for range 4 {
		if len(kinds) == 0 {
			break // that is the first question
		}
		seen := Evidence{Tree: rest.Tree, Texts: rest.Texts}
		m := bestMarker(seen)
		if m.weight < onServer {
			break
		}
		f, ok := placed(seen, Folder, signsOf(m.value))
		if !ok {
			break
		}
		out = append(out, Belief{What: "others may be " + f.words(), Why: m.why + "; a download of that sort will ask"})
		rest = rest.without(f)
	}
	said := a[Protected] != ""
	switch q := protectedQuestion(e); {
	case said && a[Protected] != none:
		out = append(out, Belief{What: a[Protected] + " is never touched", Why: "you said so", Said: true})
	case !said && q.Options[0].Value != none:
		out = append(out, Belief{What: q.Options[0].Value + " is never touched", Why: q.Options[0].Why})
	}
	var scripts, settings []string
	for _, x := range e.Tree {
		switch {
		case x.Dir || x.Path.Depth() > 1:
		case slices.Contains([]string{".sh", ".bat", ".cmd", ".ps1"}, path.Ext(x.Path.Base())):
			scripts = append(scripts, string(x.Path))
		case isSettings(x.Path):
			settings = append(settings, string(x.Path))
		}
	}
	if len(scripts) > 0 {
		out = append(out, Belief{What: list(scripts) + " may start the server", Why: "a script at its root; how the server is stopped and started is for you to say"})
	}
	if len(settings) > 0 {
		out = append(out, Belief{What: list(settings) + " may be its settings", Why: "texts at its root; they are left alone unless you change a value"})
	}
	return out
}

// settingsFormats are suffixes of texts that hold settings more often than anything else.
var settingsFormats = []string{".json", ".toml", ".ini", ".yaml", ".yml", ".cfg", ".conf", ".properties"}

func isSettings(p tree.Path) bool {
	return slices.Contains(settingsFormats, strings.ToLower(path.Ext(p.Base()))) && !Secret(p)
}

// named tells whether a file is called settings or the like.
func named(base string) bool {
	stem := strings.ToLower(strings.TrimSuffix(base, path.Ext(base)))
	return slices.Contains([]string{"config", "settings", "options"}, stem)
}

// settingsOf are globs for the files of downloads of a form that people edit on servers: what
// is called config or settings, or lies in a folder of that name.
func (f form) settingsOf(downloads []Download) (globs []string) {
	for _, d := range downloads {
		if d.plain() || !f.fits(d) {
			continue
		}
		for _, x := range d.Entries {
			if x.Dir || f.signed(x.Path.Base()) || !isSettings(x.Path) {
				continue
			}
			glob := ""
			for _, up := range x.Path.Ancestors() {
				if slices.Contains([]string{"config", "configs", "settings"}, strings.ToLower(up.Base())) {
					glob = "**/" + up.Base() + "/**"
				}
			}
			if glob == "" && named(x.Path.Base()) {
				glob = "**/" + x.Path.Base()
			}
			if glob != "" && !slices.Contains(globs, glob) {
				globs = append(globs, glob)
			}
		}
	}
	return globs
}
