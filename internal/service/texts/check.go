package texts

import (
	"context"
	"slices"
	"strings"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
)

// Check looks for what is wrong with the settings of a server, and keeps what it saw of the
// values that must go together.
func (s *Service) Check(ctx context.Context, server, actor string) (out []lint.Finding, looked int, err error) {
	list, err := s.List(ctx, server, false)
	if err != nil {
		return nil, 0, err
	}
	var paths []tree.Path
	for _, t := range list {
		out = append(out, t.Findings...)
		paths = append(paths, t.Path)
	}
	broken, err := s.agreements(ctx, server, paths, actor)
	if err != nil {
		return nil, 0, err
	}
	nothing, lists, err := s.listed(ctx, server)
	all := append(paths, lists...)
	slices.Sort(all)
	return slices.Concat(out, broken, nothing), len(slices.Compact(all)), err
}

// listed looks for names in the texts that name what is loaded that name nothing there is.
func (s *Service) listed(ctx context.Context, server string) (out []lint.Finding, looked []tree.Path, err error) {
	se, err := s.open(ctx, server)
	if err != nil {
		return nil, nil, err
	}
	defer se.host.Close()
	_, rows, err := s.Records.Texts(ctx, se.srv.ID)
	if err != nil {
		return nil, nil, err
	}
	on := func(folder tree.Path, folders bool) (names []string, ok bool) {
		list, err := se.host.List(ctx, folder)
		for _, i := range list {
			if (i.Being == tree.Folder) == folders && i.Being != tree.Foreign {
				names = append(names, i.Name)
			}
		}
		return names, err == nil
	}
	for _, l := range s.Lists(se.book, se.srv) {
		raw, err := deploy.ReadText(ctx, se.host, l.Path)
		if gone(err) {
			continue
		}
		if err != nil {
			return nil, looked, err
		}
		looked = append(looked, l.Path)
		for _, f := range l.Nothing(raw, rows[l.Path].Listed, on) {
			out = append(out, lint.Finding{Finding: f})
		}
	}
	return out, looked, nil
}

// agreements looks whether the values of a server's texts go together.
func (s *Service) agreements(ctx context.Context, server string, texts []tree.Path, actor string) (out []lint.Finding, err error) {
	se, err := s.open(ctx, server)
	if err != nil {
		return nil, err
	}
	defer se.host.Close()
	if !se.book.Agreeing() {
		return nil, nil
	}
	seen, err := se.seen(ctx)
	if err != nil {
		return nil, err
	}
	seen.Others = texts
	look := model.AgreeLook{By: "lint, " + actor}
	for _, b := range agree.Check(se.book, se.srv.Variables, seen) {
		out = append(out, lint.Finding{Finding: b.Finding, Tweak: b.Tweak})
		look.Found = append(look.Found, b.Finding)
	}
	return out, s.Records.SawAgreements(ctx, se.srv.ID, look)
}

// seen is what agreements are looked at with.
func (s *session) seen(ctx context.Context) (agree.Seen, error) {
	seen := deploy.Seeing(ctx, s.host)
	sums, err := s.Records.Sums(ctx, s.srv.ID)
	seen.Addons = []string{}
	for _, sum := range sums {
		if name, _, _ := strings.Cut(sum.Label, "@"); !slices.Contains(seen.Addons, name) {
			seen.Addons = append(seen.Addons, name)
		}
	}
	return seen, err
}

// choices says of the values of a text what they may be.
func (s *session) choices(ctx context.Context, p tree.Path, values []Value) error {
	if len(s.book.Agree) == 0 {
		return nil
	}
	seen, err := s.seen(ctx)
	if err != nil {
		return err
	}
	may := agree.Choices(s.book, s.srv.Variables, seen, p)
	for i := range values {
		values[i].Choices = may[values[i].Path]
	}
	return nil
}

// CheckText looks for what is wrong with one text, whose name may tell its format.
func CheckText(name tree.Path, raw []byte, format text.Format) []lint.Finding {
	return lint.Text(lint.Input{Path: name, Raw: raw, Format: format, Told: format != ""})
}

// CheckCrate looks for what is wrong with the texts of a crate.
func (s *Service) CheckCrate(ctx context.Context, rulebook, ref string) (out []lint.Finding, looked int, err error) {
	c, err := s.Books.FindCrate(ctx, rulebook, ref)
	if err != nil {
		return nil, 0, err
	}
	for _, f := range c.Body.Files {
		if f.Size > draft.LongestMerge || !f.Settings && !named(f.Path) {
			continue
		}
		raw, ok, err := s.Bytes(ctx, f.Digest, draft.LongestMerge)
		if err != nil {
			return nil, looked, err
		}
		if _, is := text.EncodingOf(raw); ok && is {
			looked++
			out = append(out, lint.Text(lint.Input{Path: f.Path, Raw: raw})...)
		}
	}
	return out, looked, nil
}

// named tells whether a file's name says that it is a text of a known format.
func named(p tree.Path) bool {
	return slices.ContainsFunc([]string{".yaml", ".yml", ".json", ".toml", ".ini", ".properties", ".xml"}, func(s string) bool { return strings.HasSuffix(strings.ToLower(string(p)), s) })
}
