package settings

import (
	"regexp"
	"slices"
	"strings"

	txt "restlesscrate/internal/core/text"
)

// lineForm is a list with a line for each entry.
type lineForm struct {
	List
	ways []way
}

// way is one way of writing an entry as a line.
type way struct {
	template string
	off      bool
	// Its groups: what comes before the entry, the entry, and in it the name
	// with quotes, or without.
	expr *regexp.Regexp
}

func newLineForm(l List) *lineForm {
	f := &lineForm{List: l}
	name := `(?:(.+?))`
	if l.Quote != "" {
		q := regexp.QuoteMeta(l.Quote)
		name = `(?:` + q + `([^\r\n]+?)` + q + `|([^\s` + q + `]+))`
	}
	mark, after, _ := strings.Cut(l.Disabled, entryWord)
	tail := `[ \t]*`
	if mark := strings.TrimSpace(mark); mark != "" {
		tail = `(?:[ \t]+` + regexp.QuoteMeta(mark) + `.*?)?[ \t]*`
	}
	for _, t := range append([]string{l.Entry}, l.Others...) {
		entry := `(` + expression(t, name, `\S+?`, func(s string) string { return spaced(s, "+") }) + `)`
		f.ways = append(f.ways, way{template: t, expr: regexp.MustCompile(`^([ \t]*)` + entry + tail + `$`)})
		if l.Disabled != "" {
			// Prose in a comment is no entry: a name without quotes is one word.
			word := strings.Replace(entry, `(?:(.+?))`, `(\S+)`, 1)
			f.ways = append(f.ways, way{template: t, off: true, expr: regexp.MustCompile(`^([ \t]*` + spaced(mark, "*") + `)` + word + spaced(after, "*") + tail + `$`)})
		}
	}
	return f
}

const entryWord = "{entry}"

// lineItem is an item with the line it stands in.
type lineItem struct {
	Item
	way        way
	from, to   int    // the whole line with its line end
	lead       string // what comes before the entry
	head       string // the entry up to the name
	quoted     bool
	nameFrom   int // where the name begins, its quote included
	nameTo     int
	end        string // the line end
	entryStart int
}

const mark = "\ufeff"

func (f *lineForm) lines(text []byte) (out []lineItem) {
	for at := 0; at < len(text); {
		to := txt.LineEnd(text, at)
		line := string(text[at:to])
		body := strings.TrimRight(line, "\r\n")
		from := at
		if at == 0 && strings.HasPrefix(body, mark) {
			body, from = body[len(mark):], len(mark)
		}
		for _, w := range f.ways {
			m := w.expr.FindStringSubmatchIndex(body)
			if m == nil {
				continue
			}
			it := lineItem{way: w, from: at, to: to, lead: body[m[2]:m[3]], end: line[len(strings.TrimRight(line, "\r\n")):], entryStart: from + m[4]}
			it.Off, it.start, it.Text = w.off, from+m[4], body[m[4]:m[5]]
			it.Item.end = from + m[5]
			a, b := m[6], m[7]
			if f.Quote != "" && a >= 0 {
				it.quoted = true
				it.nameFrom, it.nameTo = from+a-len(f.Quote), from+b+len(f.Quote)
			} else {
				if f.Quote != "" {
					a, b = m[8], m[9]
				}
				it.nameFrom, it.nameTo = from+a, from+b
			}
			it.Key = body[a:b]
			it.head = body[m[4] : it.nameFrom-from]
			out = append(out, it)
			break
		}
		at = to
	}
	return out
}

func (f *lineForm) read(text []byte) ([]Item, error) {
	var out []Item
	for _, l := range f.lines(text) {
		out = append(out, l.Item)
	}
	return out, nil
}

func (f *lineForm) apply(text []byte, items []Item, op Op) ([]byte, error) {
	lines := f.lines(text)
	switch op.Do {
	case Add:
		return f.add(text, lines, items, op)
	case Drop:
		for _, l := range slices.Backward(lines) {
			if l.Key == op.Key {
				text = f.cut(text, l)
			}
		}
		return text, nil
	}
	if !f.Disables() {
		if op.Do == Off {
			return f.apply(text, items, Op{List: op.List, Do: Drop, Key: op.Key})
		}
		return f.add(text, lines, items, op)
	}
	before, after, _ := strings.Cut(f.Disabled, entryWord)
	for _, l := range slices.Backward(lines) {
		switch {
		case l.Key != op.Key || l.Off == (op.Do == Off):
		case op.Do == Off:
			text = txt.Splice(text, l.start, l.Item.end, before+l.Text+after)
		default:
			behind := regexp.MustCompile("^" + spaced(after, "*")).FindIndex(text[l.Item.end:])
			text = txt.Splice(text, l.Item.end, l.Item.end+behind[1], "")
			indent := len(l.lead) - len(strings.TrimLeft(l.lead, " \t"))
			text = txt.Splice(text, l.start-len(l.lead)+indent, l.start, "")
		}
	}
	return text, nil
}

// cut takes a line out. Where it is the last one and has no line end, the one
// before it has none then.
func (f *lineForm) cut(text []byte, l lineItem) []byte {
	from := l.from
	if from == 0 && strings.HasPrefix(string(text), mark) {
		from = len(mark)
	}
	if l.to > len(text) { // the line below was the last one, and is gone with this one's end
		l.to, l.end = len(text), ""
	}
	if l.end == "" && l.from > 0 {
		from--
		if from > 0 && text[from-1] == '\r' {
			from--
		}
	}
	return txt.Splice(text, from, l.to, "")
}

func (f *lineForm) add(text []byte, lines []lineItem, items []Item, op Op) ([]byte, error) {
	if i := slices.IndexFunc(lines, func(l lineItem) bool { return l.Key == op.Key }); i >= 0 {
		return f.rewrite(text, lines[i], op)
	}
	model, shown := f.model(lines)
	entry, err := f.entry(op)
	if err != nil {
		return nil, err
	}
	if shown && plain(model.way.template) && op.Text == "" {
		name, err := f.write(keyWord, op.Key, nil, model.quoted)
		if err != nil {
			return nil, err
		}
		entry = model.head + name + string(text[model.nameTo:model.Item.end])
	}
	indent := model.lead[:len(model.lead)-len(strings.TrimLeft(model.lead, " \t"))]
	if op.Off && f.Disabled != "" {
		before, after, _ := strings.Cut(f.Disabled, entryWord)
		entry = before + entry + after
	}
	line := indent + entry
	end := model.end
	if end == "" {
		end = txt.EOL(text)
	}
	at := len(text)
	if i := f.place(items, op); i < len(lines) {
		at = lines[i].from
		if at == 0 && strings.HasPrefix(string(text), mark) {
			at = len(mark)
		}
	} else if len(lines) > 0 {
		at = lines[len(lines)-1].to
	}
	if at > 0 && text[at-1] != '\n' && string(text[:at]) != mark { // behind a last line that has no end
		return txt.Splice(text, at, at, end+line), nil
	}
	return txt.Splice(text, at, at, line+end), nil
}

// rewrite makes an entry that is there be on or off, and say what goes with the
// name now.
func (f *lineForm) rewrite(text []byte, l lineItem, op Op) ([]byte, error) {
	if l.Off != op.Off && f.Disables() {
		do := On
		if op.Off {
			do = Off
		}
		return f.apply(text, nil, Op{List: op.List, Do: do, Key: op.Key})
	}
	if plain(l.way.template) && op.Text == "" {
		return text, nil
	}
	entry, err := f.entry(op)
	if err != nil {
		return nil, err
	}
	return txt.Splice(text, l.start, l.Item.end, entry), nil
}

// model is the entry that shows how the text writes one: the last that counts,
// else the last of all.
func (f *lineForm) model(lines []lineItem) (lineItem, bool) {
	for _, l := range slices.Backward(lines) {
		if !l.Off {
			return l, true
		}
	}
	if len(lines) == 0 {
		return lineItem{}, false
	}
	return lines[len(lines)-1], true
}
