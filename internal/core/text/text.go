// Package text reads a settings text of any common format as a tree in which every
// value knows its bytes, and changes one value at a time while every other byte stays.
//
// [Parse] gives a [Doc]. Its nodes are addressed by value paths: JSON Pointers (RFC 6901)
// with two more kinds of step, see [Doc.Find]. [Doc.Set], [Doc.Add] and [Doc.Remove] give
// a new text; each reads what it is about to give and compares the two trees, so that a
// text that would not mean what was asked is never given. What cannot be located safely
// is refused with an [*UnsafeError].
//
// A text that is not UTF-8 is turned into it first, by [Decode].
package text

import (
	"errors"
	"fmt"
	"strings"
)

// Format is a way of writing settings.
type Format string

// The formats.
const (
	YAML       Format = "yaml"
	JSON       Format = "json"       // comments and trailing commas are read; none are written
	Tolerant   Format = "json-lax"   // JSON in which they are welcome
	TOML       Format = "toml"       // 1.0
	INI        Format = "ini"        // sections of NAME = VALUE
	Properties Format = "properties" // NAME=VALUE with backslash escapes
	XML        Format = "xml"
	Commands   Format = "commands" // lines of [KEYWORD] NAME VALUE
	Script     Format = "script"   // NAME = VALUE in nested tables, as script languages write data
	Lines      Format = "lines"    // anything else
)

// Formats lists them all.
func Formats() []Format {
	return []Format{YAML, JSON, Tolerant, TOML, INI, Properties, XML, Commands, Script, Lines}
}

// Known tells whether a format is one of them.
func (f Format) Known() bool {
	for _, o := range Formats() {
		if f == o {
			return true
		}
	}
	return false
}

// ErrNotThere is wrapped where a value path leads to nothing.
var ErrNotThere = errors.New("it is not in the text")

// SyntaxError is a text that cannot be read in its format.
type SyntaxError struct {
	Line, Column int // from 1; 0 where they are not known
	What         string
}

func (e *SyntaxError) Error() string {
	if e.Line == 0 {
		return e.What
	}
	if e.Column == 0 {
		return fmt.Sprintf("line %d: %s", e.Line, e.What)
	}
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.What)
}

// UnsafeError is a change that cannot be made without a risk for other bytes.
type UnsafeError struct {
	Line int // from 1; 0 where no single line is meant
	What string
}

func (e *UnsafeError) Error() string {
	if e.Line == 0 {
		return e.What
	}
	return fmt.Sprintf("line %d: %s", e.Line, e.What)
}

// Kind is the shape of a node.
type Kind uint8

// The kinds.
const (
	Scalar Kind = iota
	Map         // entries with keys, in the order of the text; a key may stand twice
	List
	Call // a name and arguments in brackets, as in vec(0.0, 0.71)
)

// Type is what a scalar is written as.
type Type string

// The types. Where a format knows no types, such as INI, a value is Text.
const (
	Text   Type = "text"
	Number Type = "number"
	Bool   Type = "bool"
	Null   Type = "null"
	Code   Type = "code" // an alias, an expression, a date: it can be replaced, and is not understood
)

// Span is a range of bytes.
type Span struct{ From, To int }

// Empty tells whether there is nothing in it.
func (s Span) Empty() bool { return s.To <= s.From }

// Node is a value of a text.
type Node struct {
	Kind  Kind
	Key   string // its name in a [Map]; the name of a [Call] is in Value
	Type  Type   // of a scalar
	Value string // of a scalar: what it says, without quotes and escapes
	At    Span   // the value as it is written
	KeyAt Span   // the name as it is written
	Items []*Node
	Up    *Node // what holds it; nil for the top

	whole  Span   // the entry: name and value, without a comma and a comment
	style  style  // how it holds its items
	fixed  string // why it cannot be changed; empty where it can
	indent int    // of a block's items, in columns
}

// style is how a node holds its items.
type style uint8

const (
	plain   style = iota // none, or one on each line
	flow                 // in brackets, with separators
	block                // in lines that stand further in, as YAML has it
	section              // in lines below a heading, as INI and TOML have it
	element              // in tags
)

// Doc is a text that was read.
type Doc struct {
	Format Format
	Source []byte // not to be written to
	Root   *Node
	starts []int // of lines, once they are needed
	marks  marks
	// lined says why no lines of the text can be moved; nil where they can.
	lined *UnsafeError
}

// Parse reads a text. It keeps the text, and does not write to it. The error is a
// *[SyntaxError].
func Parse(source []byte, f Format) (*Doc, error) {
	d := &Doc{Format: f, Source: source, marks: marksOf(f, source)}
	if err := d.shallow(); err != nil {
		return nil, err
	}
	var err error
	switch f {
	case YAML:
		err = d.parseYAML()
	case JSON, Tolerant:
		err = d.parseJSON()
	case TOML:
		err = d.parseTOML()
	case INI:
		d.parseINI()
	case Properties:
		d.parseProperties()
	case XML:
		err = d.parseXML()
	case Commands:
		d.parseCommands()
	case Script:
		err = d.parseScript()
	default:
		d.parseLines()
	}
	if err != nil {
		return nil, err
	}
	return d, nil
}

// deepest is how many brackets or elements may be open at a time: no settings come near it,
// and what goes deeper may only be meant to exhaust its reader.
const deepest = 1000

// shallow looks that a text is not nested deeper than that.
func (d *Doc) shallow() error {
	switch d.Format {
	case YAML, JSON, Tolerant, TOML, Script:
	default:
		return nil
	}
	depth := 0
	for i, c := range d.Source {
		switch c {
		case '[', '{', '(':
			if depth++; depth > deepest {
				return d.syntaxAt(i, "brackets are nested too deep")
			}
		case ']', '}', ')':
			depth = max(0, depth-1)
		}
	}
	return nil
}

// add hangs a node below another.
func (n *Node) add(item *Node) *Node {
	item.Up = n
	n.Items = append(n.Items, item)
	return item
}

// Line is the line of a node, from 1: of its name where it has one.
func (d *Doc) Line(n *Node) int {
	at := n.At.From
	if !n.KeyAt.Empty() {
		at = n.KeyAt.From
	}
	return d.lineOf(at)
}

// lineOf is the line that holds an offset, from 1.
func (d *Doc) lineOf(at int) int {
	if d.starts == nil {
		d.starts = lineStarts(d.Source)
	}
	lo, hi := 0, len(d.starts)
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; d.starts[mid] <= at {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo + 1
}

func lineStarts(text []byte) []int {
	out := []int{0}
	for i, c := range text {
		if c == '\n' && i+1 < len(text) {
			out = append(out, i+1)
		}
	}
	return out
}

// Raw is a node's value as it is written.
func (d *Doc) Raw(n *Node) string { return string(d.Source[n.At.From:n.At.To]) }

// Entry is a node as it is written, with its name.
func (d *Doc) Entry(n *Node) Span { return n.whole }

// Walk calls do for a node and everything below it, until it gives false.
func (n *Node) Walk(do func(*Node) bool) bool {
	if !do(n) {
		return false
	}
	for _, i := range n.Items {
		if !i.Walk(do) {
			return false
		}
	}
	return true
}

// syntaxAt is an error at an offset.
func (d *Doc) syntaxAt(at int, what string) *SyntaxError {
	line := d.lineOf(at)
	start := LineStart(d.Source, at)
	return &SyntaxError{Line: line, Column: 1 + len([]rune(strings.TrimPrefix(string(d.Source[start:at]), Mark))), What: what}
}
