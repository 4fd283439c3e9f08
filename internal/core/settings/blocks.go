package settings

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// block is a YAML list with a line for each item, or one that is not begun.
type block struct {
	text   []byte
	items  []blockItem
	keyEnd int // behind the colon of the key that holds it; -1 at the top
	keyAt  int // where the key begins
}

// blockItem is an item of a block.
type blockItem struct {
	dash     int    // where its dash stands
	start    int    // of its value
	raw      string // the value as it is written, where that is a scalar in one line
	from, to int    // its lines
}

func (f *treeForm) findYAML(text []byte) (found, error) {
	body, _ := withoutMark(text)
	var doc yaml.Node
	if err := yaml.Unmarshal(body, &doc); err != nil {
		return found{}, syntax(err)
	}
	if len(doc.Content) == 0 {
		return found{}, fmt.Errorf("it is empty: %w", ErrNoList)
	}
	var key *yaml.Node
	n := doc.Content[0]
	for _, word := range strings.Split(f.At, "/")[min(1, len(f.At)):] {
		if f.At == "" {
			break
		}
		word = unescaped(word)
		var next *yaml.Node
		if n.Kind == yaml.MappingNode {
			for i := 0; i+1 < len(n.Content); i += 2 {
				if n.Content[i].Value == word {
					key, next = n.Content[i], n.Content[i+1]
				}
			}
		}
		if next == nil {
			return found{}, fmt.Errorf("there is nothing at %s: %w", f.At, ErrNoList)
		}
		n = next
	}
	switch {
	case n.Kind == yaml.SequenceNode && n.Style&yaml.FlowStyle != 0:
		at := offset(text, n.Line, n.Column)
		at += strings.IndexByte(string(text[at:]), '[') // behind an anchor or a tag
		fl := scanFlow(text, at)
		return found{flow: &fl}, nil
	case n.Kind == yaml.SequenceNode || n.Kind == yaml.ScalarNode && n.Tag == "!!null" && n.Value == "" && key != nil:
		b := &block{text: text, keyEnd: -1}
		if key != nil {
			b.keyAt = offset(text, key.Line, key.Column)
			end := b.keyAt + len(key.Value)
			b.keyEnd = end + strings.IndexByte(string(text[end:]), ':') + 1
		}
		for _, c := range n.Content {
			b.items = append(b.items, b.item(c))
		}
		return found{block: b}, nil
	}
	return found{}, fmt.Errorf("what is at %s is no list: %w", f.where(), ErrNoList)
}

// offset turns a position of the YAML reader, whose columns count runes, into
// one in the text.
func offset(text []byte, line, column int) int {
	at := 0
	for range line - 1 {
		at = lineEnd(text, at)
	}
	if at == 0 && strings.HasPrefix(string(text), mark) {
		at = len(mark)
	}
	for range column - 1 {
		_, size := utf8.DecodeRune(text[at:])
		at += size
	}
	return at
}

func (b *block) item(n *yaml.Node) blockItem {
	it := blockItem{start: offset(b.text, n.Line, n.Column)}
	it.dash = strings.LastIndexByte(string(b.text[:it.start]), '-')
	it.from, it.to = lineStart(b.text, it.dash), lineEnd(b.text, it.start)
	if n.Kind == yaml.ScalarNode && n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) == 0 && n.Anchor == "" {
		it.raw = rawScalar(string(b.text[it.start:it.to]))
		return it
	}
	// The lines that stand further in belong to it.
	dent := it.dash - it.from
	for it.to < len(b.text) {
		line := string(b.text[it.to:lineEnd(b.text, it.to)])
		if body := strings.TrimLeft(line, " "); strings.TrimSpace(body) == "" || len(line)-len(body) <= dent {
			break
		}
		it.to = lineEnd(b.text, it.to)
	}
	return it
}

// rawScalar cuts a scalar out of the rest of its line.
func rawScalar(rest string) string {
	rest = strings.TrimRight(rest, "\r\n")
	if rest != "" && (rest[0] == '"' || rest[0] == '\'') {
		f := flow{text: []byte(rest), yaml: true}
		return rest[:f.quoted(0)]
	}
	if i := strings.Index(rest, " #"); i >= 0 {
		rest = rest[:i]
	}
	return strings.TrimRight(rest, " \t")
}

// add puts an item in front of the one with index i, or behind all.
func (b *block) add(i int, item string) []byte {
	at, lead := 0, ""
	switch {
	case len(b.items) == 0: // under its key
		from := lineStart(b.text, b.keyAt)
		at, lead = lineEnd(b.text, b.keyEnd), string(b.text[from:b.keyAt])+"  - "
	case i > 0:
		it := b.items[i-1]
		at, lead = it.to, string(b.text[it.from:it.start])
	default:
		it := b.items[0]
		at, lead = it.from, string(b.text[it.from:it.start])
	}
	lead = strings.TrimPrefix(lead, mark)
	if at == 0 && strings.HasPrefix(string(b.text), mark) {
		at = len(mark)
	}
	end := eol(b.text)
	if at > 0 && b.text[at-1] != '\n' && at != len(mark) {
		return splice(b.text, at, at, end+lead+item)
	}
	return splice(b.text, at, at, lead+item+end)
}

// cut takes an item out. A list without items is written as one, since a key
// with nothing behind it means something else.
func (b *block) cut(i int) []byte {
	it := b.items[i]
	from, to := it.from, it.to
	if from == 0 && strings.HasPrefix(string(b.text), mark) {
		from = len(mark)
	}
	if len(b.items) == 1 && b.keyEnd < 0 {
		return splice(b.text, it.dash, it.start+len(it.raw), "[]")
	}
	if b.text[to-1] != '\n' && from > 0 && from != len(mark) { // the last line, without an end
		from--
		if from > 0 && b.text[from-1] == '\r' {
			from--
		}
	}
	text := splice(b.text, from, to, "")
	if len(b.items) == 1 {
		text = splice(text, b.keyEnd, b.keyEnd, " []")
	}
	return text
}
