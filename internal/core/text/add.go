package text

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Spot says where among its neighbours a new entry goes: behind the one that the step
// After names, else before that of Before, else behind all.
type Spot struct {
	After  string `json:"after,omitempty"`
	Before string `json:"before,omitempty"`
}

// Add gives the text with a new entry or item. The last step of the path names it: in a map
// its name, in a list - or the number that it shall have. Groups and sections on the way that
// are not there are begun. The new one is written like its neighbours.
func (d *Doc) Add(path string, v Value, at Spot) ([]byte, error) {
	if d.lined != nil {
		return nil, d.lined
	}
	steps := Steps(path)
	if len(steps) == 0 {
		return nil, errors.New("say under which name the new value shall stand")
	}
	in := d.Root
	for len(steps) > 1 {
		next, err := d.child(in, steps[0])
		if err != nil {
			break
		}
		in, steps = next, steps[1:]
	}
	if in.fixed != "" && d.Format != TOML {
		return nil, &UnsafeError{Line: d.Line(in), What: in.fixed + "; it is left as it is"}
	}
	a := &adding{Doc: d, in: in, steps: steps, v: v}
	if err := a.index(at); err != nil {
		return nil, err
	}
	if !v.Raw {
		as, err := d.typeFor(nil, v)
		if err != nil {
			return nil, err
		}
		a.v.As = as
	}
	out, err := a.write()
	if err != nil {
		return nil, err
	}
	return out, a.check(out)
}

// adding is a new entry on its way into a text.
type adding struct {
	*Doc
	in    *Node    // into which
	steps []string // that are not there yet; the last one names the value
	v     Value
	at    int // before which item; len(Items) for behind all
}

func (a *adding) index(p Spot) error {
	a.at = len(a.in.Items)
	for _, o := range []struct {
		step   string
		behind int
	}{{p.Before, 0}, {p.After, 1}} {
		if o.step == "" {
			continue
		}
		n, err := a.child(a.in, o.step)
		if err != nil {
			continue // the neighbour is not there
		}
		a.at = slices.Index(a.in.Items, n) + o.behind
	}
	if a.in.Kind == List || a.in.Kind == Call {
		if step := a.steps[0]; step != "-" {
			i, err := strconv.Atoi(step)
			if err != nil || i < 0 || i > len(a.in.Items) {
				return fmt.Errorf("%q is no place in a list of %d items; - is behind all: %w", step, len(a.in.Items), ErrNotThere)
			}
			a.at = i
		}
		if len(a.steps) > 1 {
			return fmt.Errorf("the list has no item %s: %w", a.steps[0], ErrNotThere)
		}
	}
	return nil
}

func (a *adding) write() ([]byte, error) {
	switch {
	case a.Format == XML:
		return a.element()
	case a.in.style == flow:
		entry, err := a.entry(a.in, a.steps, true)
		if err != nil {
			return nil, err
		}
		f, err := a.flowOf(a.in)
		if err != nil {
			return nil, err
		}
		return f.add(a.at, entry), nil
	case a.Format == YAML:
		return a.yaml()
	case a.in.Kind == Scalar:
		return nil, &UnsafeError{Line: a.Line(a.in), What: "what stands there is one value; nothing can be put into it"}
	case a.Format == Lines:
		line, err := a.Doc.write(a.v, nil, false)
		return a.line(line), err
	case (a.Format == INI || a.Format == TOML) && len(a.steps) > 1 || a.Format == TOML && a.in.At.Empty():
		return a.heading()
	case len(a.steps) > 1 && a.Format != Script:
		return nil, fmt.Errorf("this format has no groups, so %s cannot be one: %w", a.steps[0], ErrNotThere)
	}
	entry, err := a.entry(a.in, a.steps, false)
	if err != nil {
		return nil, err
	}
	return a.line(entry), nil
}

// entry writes NAME = VALUE as the neighbours do, or the value of an item alone.
func (a *adding) entry(in *Node, steps []string, inFlow bool) (string, error) {
	var value string
	var err error
	if len(steps) > 1 {
		value, err = a.entry(nil, steps[1:], true)
		open, shut := "{", "}"
		if a.Format == Script || a.Format == TOML {
			open, shut = "{ ", " }"
		}
		value = open + value + shut
	} else {
		value, err = a.Doc.write(a.v, a.like(in), inFlow)
	}
	if err != nil || in != nil && in.Kind != Map && in.Kind != Scalar {
		return value, err
	}
	var model *Node
	if in != nil {
		model = a.model(in, nil)
	}
	key, err := a.writeKey(steps[0], model)
	if err != nil {
		return "", err
	}
	if model == nil {
		return strings.TrimRight(a.keyed(key)+value, " "), nil
	}
	head := string(a.Source[model.whole.From:model.KeyAt.From])
	entry := head + key + aligned(a.between(model), head+a.word(model.KeyAt), head+key) + value
	if value == "" {
		entry = strings.TrimRight(entry, " ")
	}
	return entry, nil
}

// like is the neighbour whose quotes a new value has.
func (a *adding) like(in *Node) *Node {
	if in == nil {
		return nil
	}
	for _, n := range slices.Backward(in.Items) {
		if n.Kind == Scalar && n.Type == Text && !n.At.Empty() {
			if a.v.As == Text && strings.IndexByte(`"'`, a.Source[n.At.From]) >= 0 {
				return n
			}
			return nil
		}
	}
	return nil
}

// keyed is a name with what goes between it and its value where no neighbour shows that.
func (a *adding) keyed(key string) string {
	switch a.Format {
	case JSON, Tolerant, YAML:
		return key + ": "
	case Properties:
		return key + "="
	case Commands:
		return key + " "
	}
	return key + " = "
}

// model is the entry that shows how its neighbours are written: the last one that has a
// value in its own line.
func (d *Doc) model(in, not *Node) *Node {
	for _, n := range slices.Backward(in.Items) {
		if n != not && !n.KeyAt.Empty() && n.Kind == Scalar && !n.At.Empty() && n.fixed == "" {
			return n
		}
	}
	if in.Up == nil && d.Format == INI || in.style == section && in.Up != nil { // the first one of another section
		top := in
		for top.Up != nil {
			top = top.Up
		}
		for _, s := range top.Items {
			if s != in && s.style == section {
				for _, n := range s.Items {
					if n.Kind == Scalar && !n.At.Empty() && !n.KeyAt.Empty() && n.fixed == "" {
						return n
					}
				}
			}
		}
	}
	return nil
}

// between is what stands between a name and its value.
func (d *Doc) between(n *Node) string {
	s := string(d.Source[n.KeyAt.To:n.At.From])
	if strings.ContainsAny(s, "\r\n") {
		return strings.TrimRight(strings.SplitN(s, "\n", 2)[0], " \t\r") + " "
	}
	return s
}

// aligned gives what goes between a new name and its value, so that signs which stand below
// each other do so still.
func aligned(between, old, name string) string {
	sign := strings.TrimLeft(between, " ")
	blanks := len(between) - len(sign)
	if sign == "" { // NAME   VALUE
		if blanks <= 1 {
			return between
		}
		return strings.Repeat(" ", max(1, blanks+utf8.RuneCountInString(old)-utf8.RuneCountInString(name)))
	}
	if blanks > 1 {
		return strings.Repeat(" ", max(1, blanks+utf8.RuneCountInString(old)-utf8.RuneCountInString(name))) + sign
	}
	if tail := strings.TrimRight(sign, " "); blanks == 0 && len(sign)-len(tail) > 1 { // name:    value
		return tail + strings.Repeat(" ", max(1, len(sign)-len(tail)+utf8.RuneCountInString(old)-utf8.RuneCountInString(name)))
	}
	return between
}

// line puts a line of its own among others that stand below each other.
func (a *adding) line(entry string) []byte {
	in, own := a.in, a.in.Items
	if a.Format != Lines { // tables of their own come behind the values
		own = slices.DeleteFunc(slices.Clone(in.Items), func(n *Node) bool { return n.style == section })
	}
	if a.at < len(in.Items) && in.Items[a.at].style != section {
		n := in.Items[a.at]
		at := a.aboveComments(LineStart(a.Source, n.whole.From))
		return insertLines(a.Source, at, a.dent(n)+entry, eolAt(a.Source, n.whole.From))
	}
	if len(own) > 0 {
		last := own[len(own)-1]
		if a.at > 0 && a.at <= len(in.Items) && in.Items[a.at-1].style != section {
			last = in.Items[a.at-1]
		}
		return insertLines(a.Source, LineEnd(a.Source, max(last.whole.From, last.whole.To-1)), a.dent(last)+entry, eolAt(a.Source, last.whole.From))
	}
	if in != a.Root { // below its heading
		return insertLines(a.Source, LineEnd(a.Source, in.At.From), entry, eolAt(a.Source, in.At.From))
	}
	if len(in.Items) > 0 { // above the first section
		at := a.aboveComments(LineStart(a.Source, in.Items[0].whole.From))
		return insertLines(a.Source, at, entry+EOL(a.Source), EOL(a.Source))
	}
	return insertLines(a.Source, len(a.Source), entry, EOL(a.Source))
}

func (d *Doc) dent(n *Node) string {
	start := LineStart(d.Source, n.whole.From)
	lead := strings.TrimPrefix(string(d.Source[start:n.whole.From]), Mark)
	return lead[:len(lead)-len(strings.TrimLeft(lead, " \t"))]
}

// aboveComments goes up over lines that are nothing but comment: they are said of what
// follows.
func (d *Doc) aboveComments(at int) int {
	for at > 0 {
		above := LineStart(d.Source, at-1)
		if _, is := d.bare(string(d.Source[above:lineBody(d.Source, above)])); !is {
			break
		}
		at = above
	}
	return at
}

// heading begins a section at the end, with the value in it.
func (a *adding) heading() ([]byte, error) {
	var names []string
	for n := a.in; n.Up != nil; n = n.Up {
		if n.Up.Kind == Map {
			names = append([]string{n.Key}, names...)
		}
	}
	names = append(names, a.steps[:len(a.steps)-1]...)
	if a.Format == INI && len(names) != 1 {
		return nil, fmt.Errorf("sections of this format hold no sections: %w", ErrNotThere)
	}
	for i, n := range names {
		if a.Format == TOML {
			names[i], _ = a.writeKey(n, nil)
		} else if strings.ContainsAny(n, "[]\r\n") {
			return nil, fmt.Errorf("%q cannot be the name of a section", n)
		}
	}
	entry, err := a.entry(&Node{Kind: Map, style: section, Up: a.Root}, a.steps[len(a.steps)-1:], false)
	if err != nil {
		return nil, err
	}
	eol := EOL(a.Source)
	lines := "[" + strings.Join(names, ".") + "]" + eol + entry
	if body := strings.TrimPrefix(string(a.Source), Mark); strings.TrimSpace(body) != "" && !strings.HasSuffix(body, "\n\n") && !strings.HasSuffix(body, "\r\n\r\n") {
		lines = eol + lines
	}
	return insertLines(a.Source, len(a.Source), lines, eol), nil
}

// check reads what is about to be given: everything is there as before, and the new value
// is what it shall be.
func (a *adding) check(out []byte) error {
	now, err := Parse(out, a.Format)
	if err != nil {
		return fmt.Errorf("the changed text would not be readable: %w; nothing was changed", err)
	}
	in, err := now.follow(a.in.trail())
	if err != nil {
		return fmt.Errorf("the change would not come out as meant: %w; nothing was changed", err)
	}
	var fresh *Node
	for i, n := range in.Items {
		if i >= len(a.in.Items) || differs(a.in.Items[i], n, nil, nil) != nil {
			fresh = n
			break
		}
	}
	if fresh == nil {
		return errors.New("the new value would not be seen where it was put; nothing was changed")
	}
	if other := differs(a.Root, now.Root, nil, fresh); other != nil && (other != a.in || len(a.in.Items) > 0) {
		return fmt.Errorf("the change would touch %s as well; nothing was changed", a.Path(other))
	}
	leaf := fresh
	for i := range a.steps {
		if i == 0 && in.Kind == Map && leaf.Key != a.steps[0] {
			return fmt.Errorf("the new name would be read as %q; nothing was changed", leaf.Key)
		}
		if i > 0 {
			if leaf, err = now.child(leaf, a.steps[i]); err != nil {
				return fmt.Errorf("the new value would not be seen where it was put: %w; nothing was changed", err)
			}
		}
	}
	if !a.v.Raw && a.v.As == Text && (leaf.Kind != Scalar || leaf.Value != a.v.Text) {
		return fmt.Errorf("the new value would be read as %q; nothing was changed", leaf.Value)
	}
	return nil
}
