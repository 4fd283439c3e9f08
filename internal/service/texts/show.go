package texts

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/words"
)

// Value is a value of a text.
type Value struct {
	Path    string // its value path
	Line    int
	Kind    string // value, group of values, list, call
	Type    text.Type
	Value   string
	Comment string // what stands beside it
	Secret  bool   // it is masked
	Doubled int    // how often its name stands, where that is more than once
	Counts  bool   // with Doubled: this one does
	// Choices are what it may be, as the rulebook's agreements say; none where any value may stand.
	Choices []string
}

// Shown is a text with what stands in it.
type Shown struct {
	Text
	Body    string // UTF-8; secrets are masked unless asked for
	Raw     []byte // as it is on the server; nil where secrets are masked
	Digest  tree.Digest
	Masked  int     // how many values are
	Ends    string  // lf, crlf or mixed
	Values  []Value // in the order of the text; none where it cannot be read
	Partial bool    // there are more values than are given
	Shipped string  // what the author shipped of it, where that is known and another
}

// mostValues is how many values of a text are given.
const mostValues = 5000

// Show reads one text of a server. With reveal, secrets are shown as they are.
func (s *Service) Show(ctx context.Context, server string, p tree.Path, reveal bool) (Shown, error) {
	se, err := s.open(ctx, server)
	if err != nil {
		return Shown{}, err
	}
	defer se.host.Close()
	raw, info, err := se.read(ctx, p)
	if err != nil {
		return Shown{}, err
	}
	outer, inside, _ := strings.Cut(string(p), "!/")
	rows, err := s.Records.LedgerOf(ctx, se.srv.ID, nil, []tree.Path{tree.Path(outer)})
	if err != nil {
		return Shown{}, err
	}
	row := rows[tree.Path(outer)]
	row.Tweaks = slices.DeleteFunc(slices.Clone(row.Tweaks), func(k draft.Tweaked) bool { return k.Inside != inside })
	if inside != "" { // what was put is the packed file
		row.State, row.Claims = tree.State{}, nil
	}
	made, err := s.Records.KnownTexts(ctx, se.srv.ID)
	if err != nil {
		return Shown{}, err
	}
	rule, ruled := se.book.TextRule(p)
	out := Shown{Text: Text{Path: p, Size: int64(len(raw)), Modified: info.Modified, Format: rule.Format, About: rule.About, Made: made[p], Settings: ruled, Rewritten: rule.Rewritten}, Digest: tree.Sum(raw)}
	ok, err := se.about(ctx, &out.Text, raw, row)
	if err != nil {
		return Shown{}, err
	}
	if !ok {
		return Shown{}, fault.New(fault.Usage, "no-text", "%s on %s is no text", p, server).By(finding.ShowTexts.On(server))
	}
	source, err := out.Encoding.Decode(raw)
	if err != nil {
		return Shown{}, err
	}
	whole := propose.Secret(p) && !reveal // a key file is nothing but its secret
	hidden := se.hidden(p)
	body := source
	if !reveal {
		body, out.Masked = text.Mask(source, out.Format, hidden)
	}
	if whole {
		body, out.Masked = []byte(text.Masked), 1
	}
	if out.Masked == 0 {
		out.Raw = raw
	}
	out.Body, out.Ends = strings.TrimPrefix(string(body), text.Mark), ends(source)
	if d, err := text.Parse(source, out.Format); err == nil && !whole {
		out.Values, out.Partial = values(d, hidden, reveal)
		if err := se.choices(ctx, p, out.Values); err != nil {
			return Shown{}, err
		}
	}
	for _, c := range row.Claims {
		if shipped, held, err := s.Bytes(ctx, c.Brings.Digest, int64(mostValues)<<8); err == nil && held && tree.Sum(raw) != c.Brings.Digest {
			if enc, is := text.EncodingOf(shipped); is {
				if plain, err := enc.Decode(shipped); err == nil {
					if !reveal {
						plain, _ = text.Mask(plain, out.Format, hidden)
					}
					out.Shipped = string(plain)
				}
			}
		}
	}
	return out, nil
}

func ends(source []byte) string {
	crlf, lf := strings.Count(string(source), "\r\n"), strings.Count(string(source), "\n")
	switch crlf {
	case 0:
		return "lf"
	case lf:
		return "crlf"
	}
	return "mixed"
}

func values(d *text.Doc, hidden func(string) bool, reveal bool) (out []Value, partial bool) {
	d.Root.Walk(func(n *text.Node) bool {
		if n.Up == nil {
			return true
		}
		if len(out) == mostValues {
			partial = true
			return false
		}
		v := Value{Path: d.Path(n), Line: d.Line(n), Kind: n.Kind.String(), Type: n.Type, Value: n.Value, Comment: d.Comment(n)}
		if v.Secret = n.Kind == text.Scalar && hidden(v.Path); v.Secret && !reveal {
			v.Value = text.Masked
		}
		if times, counts := d.Doubled(n); times > 1 {
			v.Doubled, v.Counts = times, counts
		}
		out = append(out, v)
		return true
	})
	slices.SortStableFunc(out, func(a, b Value) int { return a.Line - b.Line })
	return out, partial
}

// read reads a text, also one in a packed file: bundle.zip!/inner/file.
func (s *session) read(ctx context.Context, p tree.Path) (raw []byte, info struct{ Modified int64 }, err error) {
	outer, inner, packed := strings.Cut(string(p), "!/")
	i, err := s.host.Stat(ctx, tree.Path(outer))
	if err != nil {
		return nil, info, err
	}
	info.Modified = i.Modified
	switch {
	case i.Being == tree.Absent:
		return nil, info, fault.New(fault.Unknown, "text-unknown", "%s is not on %s", outer, s.srv.Name).WithMend("%s", s.near(ctx, tree.Path(outer))).By(finding.ShowTexts.On(s.srv.Name))
	case i.Being != tree.Content:
		return nil, info, fault.New(fault.Usage, "no-text", "%s on %s is no file", outer, s.srv.Name).By(finding.ShowTexts.On(s.srv.Name))
	case packed:
		raw, err = s.inside(ctx, tree.Path(outer), inner)
		return raw, info, err
	}
	raw, err = deploy.ReadText(ctx, s.host, p)
	if errors.Is(err, fs.ErrPermission) {
		return nil, info, fault.New(fault.Failed, "no-permission", "%s may not be read: %v", p, err)
	}
	return raw, info, err
}

// near names what is called nearly so in the same folder; empty where nothing is.
func (s *session) near(ctx context.Context, p tree.Path) string {
	list, err := s.host.List(ctx, p.Dir())
	if err != nil {
		return ""
	}
	var names []string
	for _, i := range list {
		names = append(names, i.Name)
	}
	if near := words.Nearest(p.Base(), names); near != "" {
		return fmt.Sprintf("There is %s; is that meant?", p.Dir().Join(tree.Path(near)))
	}
	return ""
}
