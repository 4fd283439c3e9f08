package settings

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Forms of load lists.
const (
	LineForm   = "line"   // a line of its own for each entry
	JSONForm   = "json"   // the strings of a JSON list; comments and trailing commas are taken as they are
	YAMLForm   = "yaml"   // the strings of a YAML list, in lines or in brackets
	JoinedForm = "joined" // the items of one value, with a separator between them
	ValueForm  = "value"  // one value, which is set
)

// Orders in which a new entry finds its place.
const (
	AtEnd   = ""      // after the last one
	ByName  = "name"  // before the first name that sorts after it
	ByNeeds = "needs" // after what it needs and before what needs it
)

// List says where in a text the names stand that a server loads, and how an
// entry is written. It can be kept as JSON.
type List struct {
	Form string `json:"form"`
	// Entry is how an entry is written: {key} is the name, other words in braces
	// are what goes with it, all else is literal; spaces in it stand for any
	// spaces and tabs. Others are further ways that this text may use.
	Entry     string   `json:"entry"`
	Others    []string `json:"others,omitempty"`
	At        string   `json:"at,omitempty"`        // JSON and YAML: the list's JSON Pointer (RFC 6901); "" is the whole text
	Match     string   `json:"match,omitempty"`     // joined and value: an RE2 expression whose first group is the value
	Separator string   `json:"separator,omitempty"` // joined
	// Missing, with joined, is the line that is added where nothing is like Match:
	// a list of no items. It goes below the line Below, or at the end of the text.
	Missing  string `json:"missing,omitempty"`
	Below    string `json:"below,omitempty"`
	Begin    bool   `json:"begin,omitempty"`    // JSON and YAML: a list that is not there is begun, where its key may stand
	Disabled string `json:"disabled,omitempty"` // how a line looks that does not count; holds {entry}
	Quote    string `json:"quote,omitempty"`    // what goes around a name with spaces; empty: nothing
	Order    string `json:"order,omitempty"`
}

// Item is an entry as it stands in a text.
type Item struct {
	Key  string // the name; the whole item where it is written in no known way
	Text string // the entry in the way of its form, without indentation and comments
	Off  bool   // it is disabled
	Line int    // from 1

	start, end int // its bytes: of Text, and of what disables it
}

// form reads and changes one form of list.
type form interface {
	read(text []byte) ([]Item, error)
	apply(text []byte, items []Item, op Op) ([]byte, error)
}

func (l List) form() form {
	switch l.Form {
	case JSONForm, YAMLForm:
		return &treeForm{l}
	case JoinedForm:
		return &joinedForm{l}
	case ValueForm:
		return &valueForm{joinedForm{l}}
	}
	return newLineForm(l)
}

// Begins tells whether the list is not in the text and would be begun by what is added.
func (l List) Begins(text []byte) bool {
	switch f := l.form().(type) {
	case *joinedForm:
		if l.Missing == "" {
			return false
		}
		if _, _, err := f.value(text); !errors.Is(err, ErrNoList) {
			return false
		}
		_, err := f.begun(text)
		return err == nil
	case *treeForm:
		d, err := f.parse(text)
		if err != nil {
			return false
		}
		_, err = f.find(d)
		return f.notThere(d, err)
	}
	return false
}

// Read gives the entries of a text, in order, disabled ones too.
func (l List) Read(text []byte) ([]Item, error) {
	items, err := l.form().read(text)
	if err != nil {
		return nil, err
	}
	for i := range items {
		items[i].Line = 1 + strings.Count(string(text[:items[i].start]), "\n")
	}
	return items, nil
}

// Disables tells whether an entry can be disabled in the text; elsewhere
// disabling one is taking it out.
func (l List) Disables() bool { return l.Form == LineForm && l.Disabled != "" }

// Write gives an entry for a name as it is written where no other one shows the
// way, and an error where the name cannot be written in this form.
func (l List) Write(key string, values map[string]string) (string, error) {
	return l.write(l.Entry, key, values, false)
}

// write fills a template. quoted is set where the others in the text are.
func (l List) write(template, key string, values map[string]string, quoted bool) (string, error) {
	bad := "\r\n\x00"
	switch {
	case l.Form == JoinedForm:
		bad += `"'` + strings.TrimSpace(l.Separator)
	case l.Form == LineForm && l.Quote != "":
		bad += l.Quote
	}
	if i := strings.IndexAny(key, bad); i >= 0 || key == "" || strings.TrimSpace(key) != key || !utf8.ValidString(key) {
		return "", fmt.Errorf("the name %q cannot be written in this list", key)
	}
	if l.Form == LineForm && l.Quote != "" && (quoted || strings.ContainsAny(key, " \t")) {
		key = l.Quote + key + l.Quote
	}
	var wrong error
	entry := braced.ReplaceAllStringFunc(template, func(word string) string {
		if word == keyWord {
			return key
		}
		v := values[word[1:len(word)-1]]
		if v == "" || strings.ContainsAny(v, bad) {
			wrong = fmt.Errorf("the entry %s has no %s that can be written: %q", template, word, v)
		}
		return v
	})
	return entry, wrong
}

// entry writes what op names where no other entry shows how.
func (l List) entry(op Op) (string, error) {
	if op.Text != "" {
		return op.Text, nil
	}
	return l.Write(op.Key, op.Values)
}

const keyWord = "{key}"

// braced is a placeholder.
var braced = regexp.MustCompile(`\{[a-z0-9-]+\}`)

// plain tells whether a template holds nothing but the name.
func plain(template string) bool { return len(braced.FindAllString(template, -1)) == 1 }

// expression turns a template into an expression: name for the name, other for
// every other placeholder, and literals by literal.
func expression(template, name, other string, literal func(string) string) string {
	var out strings.Builder
	at := 0
	for _, m := range braced.FindAllStringIndex(template, -1) {
		out.WriteString(literal(template[at:m[0]]))
		if template[m[0]:m[1]] == keyWord {
			out.WriteString(name)
		} else {
			out.WriteString(other)
		}
		at = m[1]
	}
	return out.String() + literal(template[at:])
}

// key reads the name out of an entry, by the templates; all of it where it is
// written in none of these ways.
func (l List) key(entry string) string {
	for _, t := range append([]string{l.Entry}, l.Others...) {
		m := regexp.MustCompile(`^` + expression(t, `(.+?)`, `.+?`, regexp.QuoteMeta) + `$`).FindStringSubmatch(entry)
		if m != nil {
			return m[1]
		}
	}
	return entry
}

// place is the index in items at which a new entry goes.
func (l List) place(items []Item, op Op) int {
	if op.After != "" {
		if i := slices.IndexFunc(items, func(it Item) bool { return it.Key == op.After }); i >= 0 {
			return i + 1
		}
	}
	if i := slices.IndexFunc(items, func(it Item) bool { return slices.Contains(op.Before, it.Key) }); i >= 0 {
		return i
	}
	if l.Order == ByName {
		if i := slices.IndexFunc(items, func(it Item) bool { return it.Key > op.Key }); i >= 0 {
			return i
		}
	}
	return len(items)
}

// spaced makes an expression of literal text in which spaces stand for any.
func spaced(literal string, least string) string {
	var out strings.Builder
	for i, word := range regexp.MustCompile(`[ \t]+`).Split(literal, -1) {
		if i > 0 {
			out.WriteString(`[ \t]` + least)
		}
		out.WriteString(regexp.QuoteMeta(word))
	}
	return out.String()
}
