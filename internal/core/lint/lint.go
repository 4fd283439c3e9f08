// Package lint finds in settings texts what silently breaks servers. It says only what the
// bytes show: each finding names the line, what is there and what that does; where one more
// change would put it right, the change comes with it.
package lint

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/words"
)

// Finding is something in a text.
type Finding struct {
	finding.Finding
	Line, Column int          // from 1; 0 where they are not known
	At           string       // the value path that it is about; empty where it is about none
	Tweak        *tweak.Tweak // that mends it; nil where only a person can tell how
}

// Input is a text to look at.
type Input struct {
	Path   tree.Path
	Raw    []byte
	Format text.Format // empty: by the name and the look
	Told   bool        // whether a rulebook or a person has named the format
	// Shipped is what an add-on's author shipped of it; nil where nobody did.
	Shipped []byte
}

// Text looks at one text. What is no text has no findings.
func Text(in Input) []Finding {
	enc, is := text.EncodingOf(in.Raw)
	if !is {
		return nil
	}
	source, err := enc.Decode(in.Raw)
	if err != nil {
		return nil
	}
	c := &checking{in: in}
	if c.in.Format == "" {
		c.in.Format = text.Guess(in.Path.Base(), source)
	}
	d, err := text.Parse(source, c.in.Format)
	if err != nil {
		c.broken(source, err)
		return c.found
	}
	c.doc = d
	c.commas()
	d.Root.Walk(func(n *text.Node) bool {
		c.node(n)
		return true
	})
	if in.Shipped != nil {
		c.against()
	}
	return c.found
}

type checking struct {
	in    Input
	doc   *text.Doc
	found []Finding
}

func (c *checking) say(level finding.Level, code string, line int, at, mend, format string, args ...any) *Finding {
	what := fmt.Sprintf(format, args...)
	c.found = append(c.found, Finding{Finding: finding.Finding{Level: level, Code: code, Path: c.in.Path, What: fmt.Sprintf("%s, line %d: %s", c.in.Path, line, what), Mend: mend}, Line: line, At: at})
	return &c.found[len(c.found)-1]
}

const typographic = "“”„‟‘’‚‛«»"

// broken says where a text cannot be read, and why as far as that shows.
func (c *checking) broken(source []byte, err error) {
	syntax, ok := err.(*text.SyntaxError) //nolint:errorlint // Parse gives it as it is
	if !ok {
		return
	}
	line := lineOf(source, syntax.Line)
	mend := "Mend the line; until then the server may not read the text, or go back to its own defaults."
	why := syntax.What
	switch {
	case strings.ContainsAny(line, typographic):
		why += "; the line holds typographic quotes, which count as letters"
		mend = `Write straight quotes, ", in their place.`
	case c.in.Format == text.YAML && strings.Contains(leading(line), "\t"):
		why += "; the line is indented with a tab, which YAML does not allow"
		mend = "Indent it with spaces."
	case c.in.Format == text.YAML && strings.HasPrefix(strings.TrimSpace(line), "\t"):
		mend = "Indent it with spaces."
	}
	f := c.say(finding.Warn, "text-unreadable", max(1, syntax.Line), "", mend, "it cannot be read as %s: %s.", c.in.Format, why)
	f.Column = syntax.Column
}

func lineOf(source []byte, n int) string {
	lines := strings.Split(string(source), "\n")
	if n < 1 || n > len(lines) {
		return ""
	}
	return lines[n-1]
}

func leading(line string) string { return line[:len(line)-len(strings.TrimLeft(line, " \t"))] }

// commas finds what readers of strict JSON refuse.
func (c *checking) commas() {
	body := strings.TrimPrefix(string(c.doc.Source), text.Mark)
	if c.in.Format != text.JSON || json.Valid([]byte(body)) {
		return
	}
	c.doc.Root.Walk(func(n *text.Node) bool {
		if n.Kind == text.Scalar || len(n.Items) == 0 {
			return true
		}
		last := n.Items[len(n.Items)-1]
		tail := string(c.doc.Source[c.doc.Entry(last).To : n.At.To-1])
		if strings.HasPrefix(strings.TrimSpace(tail), ",") {
			line := c.doc.Line(last)
			c.say(finding.Note, "trailing-comma", line, c.doc.Path(last), "Take the comma away, unless this server is known to read it.", "a comma stands behind the last item; readers of strict JSON refuse the whole text for it.")
		}
		return true
	})
}

var (
	placeholder = regexp.MustCompile(`(?i)^(change[-_ ]?me|replace[-_ ]?me|fill[-_ ]?me[-_ ]?in|<[^<>]*\b(your|insert|enter)\b[^<>]*>|\[?(your|insert)[-_ ][a-z-_ ]*(here|key|password|token)\]?)$`)
	mention     = regexp.MustCompile(`^@[A-Z][a-z]+\d+$`)
)

// node looks at one value.
func (c *checking) node(n *text.Node) {
	c.doubled(n)
	if n.Kind != text.Scalar || n.Up == nil {
		return
	}
	raw, at := c.doc.Raw(n), c.doc.Path(n)
	line := c.doc.Line(n)
	if placeholder.MatchString(n.Value) || mention.MatchString(n.Value) {
		c.say(finding.Warn, "placeholder", line, at, "Write what belongs there.", "%s is still %q, which stands for something that was to be filled in.", at, n.Value)
	}
	switch c.in.Format {
	case text.YAML, text.INI, text.Commands:
		if first, last := firstRune(raw), lastRune(raw); strings.ContainsRune("“„”", first) && strings.ContainsRune("“”", last) && first != 0 {
			f := c.say(finding.Warn, "typographic-quotes", line, at, `Write straight quotes, ", in their place.`, "%s stands in typographic quotes, which are letters of the value to the server.", at)
			f.Tweak = &tweak.Tweak{Do: tweak.Set, Format: c.in.Format, At: at, Value: `"` + strings.Trim(raw, "“„”") + `"`, Raw: true}
		}
	}
	switch c.in.Format {
	case text.INI, text.Commands, text.Lines, text.Properties:
		if q := firstByte(raw); (q == '"') && c.in.Format != text.Properties && c.in.Format != text.Lines && strings.Count(raw, `"`)%2 == 1 {
			c.say(finding.Warn, "open-quote", line, at, "Close the quote, or take it away.", "%s begins with a quote that nothing closes: %s", at, raw)
		}
	}
	if c.in.Format == text.Commands && n.Type == text.Text && strings.Contains(raw, " ") && !inQuotes(raw) && c.quotesElsewhere(n) {
		f := c.say(finding.Warn, "unquoted-spaces", line, at, "Put the value in quotes.", "%s holds spaces and has no quotes, as others of this text have; the server may take its first word alone.", at)
		f.Tweak = &tweak.Tweak{Do: tweak.Set, Format: c.in.Format, At: at, Value: `"` + raw + `"`, Raw: true}
	}
}

// inQuotes tells whether a value begins with a double quote, or stands in single ones: whether
// those are quotes to the server too, its program alone knows.
func inQuotes(raw string) bool {
	return firstByte(raw) == '"' || firstByte(raw) == '\'' && len(raw) > 1 && raw[len(raw)-1] == '\''
}

// quotesElsewhere tells whether other values with spaces have quotes, and their lines the same
// keyword.
func (c *checking) quotesElsewhere(n *text.Node) bool {
	head := func(o *text.Node) string { return string(c.doc.Source[c.doc.Entry(o).From:o.KeyAt.From]) }
	if strings.TrimSpace(head(n)) == "" {
		return false
	}
	for _, o := range n.Up.Items {
		if o != n && head(o) == head(n) && strings.Contains(o.Value, " ") && firstByte(c.doc.Raw(o)) == '"' {
			return true
		}
	}
	return false
}

// doubled tells of a name that stands twice.
func (c *checking) doubled(n *text.Node) {
	if n.Up == nil || n.KeyAt.Empty() || c.in.Format == text.XML || c.in.Format == text.Commands || n.Kind != text.Scalar {
		return
	}
	if c.in.Format == text.INI && (strings.HasSuffix(n.Key, "[]") || strings.IndexByte("+-.!", n.Key[0]) >= 0) {
		return // such a name adds to a list, or takes out of one: it stands as often as there are items
	}
	times, counts := c.doc.Doubled(n)
	if times < 2 || !counts {
		return
	}
	var lines []string
	same, together, last := true, true, -1
	for i, o := range n.Up.Items {
		if o.Key == n.Key {
			lines = append(lines, fmt.Sprint(c.doc.Line(o)))
			same, together = same && o.Value == n.Value, together && (last < 0 || i == last+1)
			last = i
		}
	}
	if same || together && c.in.Format == text.INI { // one below the other, a name is how many games write a list
		return
	}
	c.say(finding.Note, "doubled-key", c.doc.Line(n), c.doc.Path(n), "Keep one of them.", "%s stands %s, in lines %s, with different values; most readers take the last.", n.Key, words.Count(times, "time"), strings.Join(lines, ", "))
}

func firstRune(s string) rune {
	for _, r := range s {
		return r
	}
	return 0
}

func lastRune(s string) (last rune) {
	for _, r := range s {
		last = r
	}
	return last
}

func firstByte(s string) byte {
	if s == "" {
		return 0
	}
	return s[0]
}
