package insight

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/timeline"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// History gives what happened to one path, or to the paths of one add-on, the
// newest first. Exactly one of path and addon is given.
func (s *Service) History(ctx context.Context, name string, path tree.Path, addon string) ([]model.Event, error) {
	srv, err := s.server(ctx, name)
	if err != nil {
		return nil, err
	}
	var out []model.Event
	if addon != "" {
		key, err := s.Books.AddonKey(ctx, srv.Rulebook, addon)
		if err != nil {
			return nil, err
		}
		if out, err = s.Records.EventsOf(ctx, srv.ID, key); err != nil {
			return nil, err
		}
		slices.Reverse(out)
	} else if out, err = s.Records.EventsAt(ctx, srv.ID, path); err != nil {
		return nil, err
	}
	out = slices.DeleteFunc(out, func(e model.Event) bool { return path != tree.Root && e.Change.Idle() })
	if err := s.hide(ctx, srv, out); err != nil {
		return nil, err
	}
	if len(out) == 0 {
		return nil, fault.New(fault.Unknown, "never-changed", "no deployment has ever changed %s on %s", orText(addon, path.String()), name).
			By(finding.ShowFiles.On(name))
	}
	return out, nil
}

// Timeline lists a server's deployments, the newest first, before an id (0: from the top), at most
// limit; and by its number, which of them are taken back by which other.
func (s *Service) Timeline(ctx context.Context, name string, f model.TimelineFilter, before int64, limit int) ([]model.Deployment, map[int]int, error) {
	srv, err := s.server(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	if f.Addon != "" {
		f.Numbers = []int{}
		events, err := s.History(ctx, name, tree.Root, f.Addon)
		if err != nil && fault.As(err).Code != "never-changed" {
			return nil, nil, err
		}
		for _, e := range events {
			if e.Number != 0 && !slices.Contains(f.Numbers, e.Number) {
				f.Numbers = append(f.Numbers, e.Number)
			}
		}
	}
	list, err := s.Records.DeploymentsOf(ctx, srv.ID, f, before, limit)
	if err != nil {
		return nil, nil, err
	}
	done, err := s.Records.DoneOf(ctx, srv.ID)
	return list, timeline.TakenBack(done), err
}

// TakenBackBy gives the number of the deployment that took another back and is in force; 0 for none.
func (s *Service) TakenBackBy(ctx context.Context, d model.Deployment) (int, error) {
	if d.State != model.Done {
		return 0, nil
	}
	done, err := s.Records.DoneOf(ctx, d.ServerID)
	return timeline.TakenBack(done)[d.Number], err
}

// hide has what was done to values that are marked as secret be said without them.
func (s *Service) hide(ctx context.Context, srv model.Server, events []model.Event) error {
	marks, err := s.Records.SecretMarks(ctx, srv.ID)
	for _, e := range events {
		for i := range e.Change.Edits {
			if t := e.Change.Edits[i].Op.Tweak; t != nil && marks.Has(e.Change.Path, t.At) {
				t.Hidden = true
			}
		}
	}
	return err
}

// Gone lists the paths that deployments have taken away and that are not there any more, by the
// event that took each away, the newest first.
func (s *Service) Gone(ctx context.Context, name string) ([]model.Event, error) {
	srv, err := s.server(ctx, name)
	if err != nil {
		return nil, err
	}
	all, err := s.Records.Events(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	last := map[tree.Path]model.Event{}
	for _, e := range all {
		last[e.Change.Path] = e
	}
	var out []model.Event
	for _, e := range last {
		if e.Change.After.Being == tree.Absent && e.Change.Before.Being == tree.Content {
			out = append(out, e)
		}
	}
	slices.SortFunc(out, func(a, b model.Event) int {
		return cmp.Or(int(b.Seq-a.Seq), strings.Compare(string(a.Change.Path), string(b.Change.Path)))
	})
	return out, nil
}
