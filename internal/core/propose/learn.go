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

// candidate is a kind that could be meant, with how much speaks for it.
type candidate struct {
	form
	why    string
	weight int
}

// mostCandidates is how many kinds a person has to choose between.
const mostCandidates = 5

// candidates are the kinds that a download, or else what lies on the server, may be of.
func candidates(e Evidence) (out []Option) {
	var found []candidate
	for _, shape := range []string{Folder, Single, Loose} {
		clues := map[string]func(Evidence) []clue{Folder: markers, Single: singleSuffixes, Loose: looseSuffixes}[shape](e)
		for _, c := range clues[:min(len(clues), 3)] {
			f := form{shape: shape, signs: signsOf(c.value)}
			if shape == Folder && slices.ContainsFunc(f.signs, named) {
				continue // settings come with many add-ons and mark none
			}
			if len(e.Downloads) > 0 && !f.fits(e.Downloads[0]) {
				continue
			}
			at := places(e, f)
			if len(e.Downloads) == 0 && first(at).weight < onServer {
				continue // nothing of the sort lies there
			}
			if len(at) == 0 {
				at = []clue{{value: ".", why: "the server's own folder; nothing of the sort lies there yet"}}
			}
			for _, p := range at[:min(len(at), 3)] {
				if p.weight < onServer && at[0].weight >= onServer {
					continue // where such lie already, nowhere else is worth a question
				}
				f.place = p.value
				why := strings.TrimSuffix(p.why, "; "+atRoot)
				found = append(found, candidate{f, c.why + "; " + p.value + ": " + why, c.weight + 2*p.weight})
			}
		}
	}
	for _, c := range found { // several loose files may as well be several add-ons
		if c.shape == Loose {
			c.shape, c.weight = Single, c.weight-1
			found = append(found, c)
		}
	}
	for _, d := range e.Downloads {
		if c, ok := sameTree(e, d); ok {
			found = append(found, c)
		}
	}
	found = withoutParts(e, found)
	slices.SortStableFunc(found, func(a, b candidate) int { return cmp.Compare(b.weight, a.weight) })
	if len(found) > 0 && found[0].weight >= 3*onServer { // it lies on the server already: no guesses beside it
		found = slices.DeleteFunc(found, func(c candidate) bool { return c.weight < 2*onServer })
	}
	for _, c := range found[:min(len(found), mostCandidates)] {
		out = append(out, Option{Value: c.String(), Says: c.asks(), Why: c.why})
	}
	return out
}

// withoutParts leaves out what lies inside add-ons of another candidate, of which several lie on
// the server: it is a part of them. What the same files stand in twice counts less than they do.
func withoutParts(e Evidence, found []candidate) []candidate {
	for _, f := range slices.Clone(found) {
		own := f.addons(e.Tree)
		if f.shape != Folder || len(own) < 2 {
			continue
		}
		inside := func(p tree.Path) bool { return slices.ContainsFunc(own, p.Within) }
		names := map[string]bool{}
		for _, x := range e.Tree {
			if !x.Dir && inside(x.Path) {
				names[x.Path.Base()] = true
			}
		}
		found = slices.DeleteFunc(found, func(c candidate) bool {
			mark := c.shape == Folder && c.String() != f.String() && slices.ContainsFunc(c.signs, func(s string) bool { return names[s] && !f.signed(s) })
			return mark && len(c.addons(e.Tree)) < 2 || inside(tree.Path(c.place))
		})
		for i, c := range found {
			if c.shape != Single {
				continue
			}
			lie := c.addons(e.Tree)
			twice := len(slices.DeleteFunc(slices.Clone(lie), func(p tree.Path) bool { return !names[p.Base()] }))
			if twice*2 > len(lie) && c.weight >= f.weight {
				found[i].weight = f.weight - 1
				found[i].why += "; but most of them lie in folders of " + f.place + " too"
			}
		}
	}
	return found
}

// sameTree tells whether a download holds folders that the server has at its root, under any
// wrappers.
func sameTree(e Evidence, d Download) (candidate, bool) {
	there := map[string]bool{}
	for _, x := range e.Tree {
		if x.Dir && x.Path.Depth() == 1 {
			there[x.Path.Base()] = true
		}
	}
	// The shallowest folders of the download that are called like some of the server's.
	var signs []string
	depth := 0
	for _, x := range d.Entries {
		for _, up := range append(x.Path.Ancestors(), x.Path) {
			if up == x.Path && !x.Dir || !there[up.Base()] || depth > 0 && up.Depth() > depth || slices.Contains(signs, up.Base()) && up.Depth() == depth {
				continue
			}
			if up.Depth() < depth {
				signs = nil
			}
			signs, depth = append(signs, up.Base()), up.Depth()
		}
	}
	if len(signs) == 0 {
		return candidate{}, false
	}
	slices.Sort(signs)
	why := fmt.Sprintf("the server has %s at its root, and so has %s", list(signs), d.Filename)
	return candidate{form{Tree, signs, "."}, why, inDownload + onServer + min(len(signs), 4)}, true
}

// asks is a form as a person is asked whether it is meant.
func (f form) asks() string {
	signs, into := strings.Join(f.signs, " or "), f.place
	if into == "." {
		into = "the server's own folder"
	}
	switch f.shape {
	case Folder:
		return fmt.Sprintf("each folder with %s is one add-on, and goes into %s", signs, into)
	case Loose:
		return fmt.Sprintf("its %s together are one add-on; a folder is made around them in %s", signs, into)
	case Tree:
		return fmt.Sprintf("its folders are the server's own (%s), and each file goes where it stands", strings.Join(f.signs, ", "))
	}
	return fmt.Sprintf("each %s is one add-on, and goes into %s", signs, into)
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
