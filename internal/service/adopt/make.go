package adopt

import (
	"context"
	"fmt"
	"slices"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
)

// Choice is one add-on that is to be taken in, with the crate that it is.
type Choice struct {
	Ref   string   // of the crate
	Parts []string // by choice, that are there, as ADDON:PART
}

// Make makes crates of what lies at some paths, so that the ledger can take them in. Where a staged
// crate brings it, that one is meant.
func (s *Service) Make(ctx context.Context, server string, paths []tree.Path, actor string, tell progress.Tell) ([]Choice, error) {
	l, err := s.begin(ctx, server)
	if err != nil {
		return nil, err
	}
	defer l.host.Close()
	tell.Look("looking at all of " + server)
	ahead := l.ahead(ctx, len(paths))
	defer ahead.drop()
	if err := l.walk(ctx, ahead.seen); err != nil {
		return nil, fmt.Errorf("look at %s: %w", server, err)
	}
	ahead.learns(l)
	all, err := l.candidates()
	if err != nil {
		return nil, err
	}
	var chosen []Found
	for _, p := range paths {
		i := slices.IndexFunc(all, func(f Found) bool { return f.Path == p })
		switch {
		case i < 0:
			return nil, fault.New(fault.Unknown, "no-addon-there", "%s is nothing on %s that looks like an add-on and was not deployed", p, server).WithMend("Look again what there is.")
		case all[i].Deep != tree.Root:
			return nil, fault.New(fault.Conflict, "too-deep", "%s lies a folder too deep: the server looks for its marker right in %s", all[i].Deep, p).WithMend("Move it up by hand, or deploy it and take this one off the server.")
		}
		chosen = append(chosen, all[i])
	}
	if err := l.examine(ctx, chosen, ahead); err != nil {
		return nil, err
	}
	var out []Choice
	for i := range chosen {
		c, err := l.choice(ctx, &chosen[i], actor)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

func (l *looking) choice(ctx context.Context, f *Found, actor string) (Choice, error) {
	if f.crate == nil {
		return Choice{}, fault.New(fault.Conflict, "no-crate", "the rulebook %s makes no add-on of %s", l.book.Name, f.Path).WithMend("Correct the rulebook, or leave it as it is.")
	}
	out := Choice{}
	for _, x := range f.crate.Files {
		if part := f.crate.Name + ":" + x.Optional; x.Optional != "" && !slices.Contains(out.Parts, part) {
			out.Parts = append(out.Parts, part)
		}
	}
	if f.staged != nil && !f.byLength {
		out.Ref = f.staged.Digest.String()
		return out, nil
	}
	if err := l.hash(ctx, f); err != nil {
		return out, fmt.Errorf("read %s: %w", f.Path, err)
	}
	if f.staged != nil && sameBytes(f.staged.Body.Files, f.crate.Files) {
		out.Ref = f.staged.Digest.String()
		return out, nil
	}
	made, err := l.Records.AddJoined(ctx, f.crate, l.rev.Number, nil, actor)
	out.Ref = made.Digest.String()
	return out, err
}

// sameBytes tells whether all that a staged crate brings is there with the same bytes.
func sameBytes(staged, there []layout.File) bool {
	type where struct {
		place string
		path  tree.Path
	}
	lies := make(map[where]tree.Digest, len(there))
	for _, y := range there {
		lies[where{y.Place, y.Path}] = y.Digest
	}
	for _, x := range staged {
		if d, ok := lies[where{x.Place, x.Path}]; !ok || d != x.Digest {
			return false
		}
	}
	return true
}

// hash reads the files of a crate that is made of what lies on the server.
func (l *looking) hash(ctx context.Context, f *Found) error {
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, l.host.InFlight()))
	for i := range f.crate.Files {
		x := &f.crate.Files[i]
		at, err := l.book.Resolve(x.Place, l.srv.Variables)
		if err != nil {
			return err
		}
		g.Go(func() (err error) {
			x.Digest, err = deploy.HashOf(gctx, l.host, at.Join(x.Path), x.Size)
			return err
		})
	}
	return g.Wait()
}
