package texts

import (
	"context"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
)

// Elsewhere is where else a value stands.
type Elsewhere struct {
	Places []Place // as a whole word, without the value itself
	Texts  int     // how many were searched: the server's settings and the texts that name what is loaded
	// Common says that nothing was searched: the value is a secret, or a word such as true that
	// stands everywhere and means something else each time.
	Common bool
}

// Elsewhere looks where else the value of a text stands, in the settings of its server.
func (s *Service) Elsewhere(ctx context.Context, server string, p tree.Path, at string) (Elsewhere, error) {
	shown, err := s.Show(ctx, server, p, false)
	if err != nil {
		return Elsewhere{}, err
	}
	at = "/" + strings.TrimPrefix(at, "/")
	i := slices.IndexFunc(shown.Values, func(v Value) bool { return v.Path == at && v.Kind == text.Scalar.String() })
	if i < 0 {
		return Elsewhere{}, fault.New(fault.Unknown, "value-unknown", "%s on %s has no value at %s", p, server, at)
	}
	v := shown.Values[i]
	if v.Secret || !telling(v) {
		return Elsewhere{Common: true}, nil
	}
	se, err := s.open(ctx, server)
	if err != nil {
		return Elsewhere{}, err
	}
	defer se.host.Close()
	rows, settings, err := se.known(ctx)
	if err != nil {
		return Elsewhere{}, err
	}
	found, err := se.candidates(ctx, rows, settings, false)
	if err != nil {
		return Elsewhere{}, err
	}
	n := &namer{session: se, name: v.Value, whole: true, lists: se.lists()}
	paths := []tree.Path{}
	for q := range found {
		paths = append(paths, q)
	}
	for q := range n.lists {
		if _, is := found[q]; !is {
			paths = append(paths, q)
		}
	}
	if err := n.read(ctx, paths); err != nil {
		return Elsewhere{}, err
	}
	n.found.Places = slices.DeleteFunc(n.found.Places, func(h Place) bool { return h.Path == p && h.Line == v.Line })
	n.sort()
	return Elsewhere{Places: n.found.Places, Texts: n.found.Files}, n.owners(ctx)
}

// telling tells whether a value says enough to be looked for: a name, or a number that is not
// one of the small ones that stand everywhere.
func telling(v Value) bool {
	word := strings.TrimSpace(v.Value)
	if word != v.Value || strings.ContainsAny(word, "\r\n") {
		return false
	}
	switch v.Type {
	case text.Bool, text.Null, text.Code:
		return false
	case text.Number:
		return len(strings.Trim(word, "0.")) >= 3
	}
	switch strings.ToLower(word) {
	case "true", "false", "yes", "no", "on", "off", "none", "null", "auto", "default", "all":
		return false
	}
	if strings.Trim(word, "0123456789.+-") == "" {
		return len(strings.Trim(word, "0.")) >= 3
	}
	return len(word) >= 3
}

// read looks into some texts, many at a time. Those that went away or may not be read are left
// out.
func (f *namer) read(ctx context.Context, paths []tree.Path) error {
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, f.host.InFlight()))
	for _, p := range paths {
		g.Go(func() error {
			raw, err := deploy.ReadText(gctx, f.host, p)
			if gone(err) {
				return nil
			}
			if err == nil {
				f.text(p, raw)
			}
			return err
		})
	}
	return g.Wait()
}
