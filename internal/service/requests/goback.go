package requests

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// back turns a rollback into goals.
func (s *Maker) back(ctx context.Context, srv model.Server, book *rulebook.Book, b *Back, req *draft.Request) (title string, err error) {
	recorded, err := s.Records.Events(ctx, srv.ID)
	if err != nil {
		return "", err
	}
	events := model.DraftEvents(recorded)
	way, err := s.wayBack(ctx, srv, b, events)
	if err != nil {
		return "", err
	}
	title, req.Back = way.title, way.returns
	req.Back = slices.DeleteFunc(req.Back, func(r draft.Return) bool { return slices.Contains(b.Leave, r.Path) })
	if b.Data && b.Deployment == 0 {
		return "", fault.New(fault.Usage, "bad-request", "data goes back with a deployment alone: the copy is that deployment's")
	}
	if b.Data {
		if err := (worlds{s}).dataBack(ctx, srv, b.Deployment, req); err != nil {
			return "", err
		}
		title += ", data too"
	}
	if b.Path == tree.Root && b.Addon == "" {
		err := (worlds{s}).renewedBack(ctx, srv, func(d model.Deployment) bool {
			return b.To != nil && d.Number > *b.To || b.Deployment != 0 && d.Number == b.Deployment
		}, req)
		if err != nil {
			return "", err
		}
	}
	if b.Addon != "" {
		for i := range req.Back {
			req.Back[i].OfAddon(layout.Key(b.Addon))
		}
	}
	if err := s.movesBack(ctx, srv, b, req); err != nil {
		return "", err
	}
	if err := s.setsBack(ctx, srv, book, b.setBy(way.before), req); err != nil {
		return "", err
	}
	if way.nothing != nil && len(req.Renew)+len(req.Sets)+len(req.Returns)+len(req.Moves) == 0 {
		return "", way.nothing
	}
	return title, nil
}

// wayBack is what goes back, over the server's whole history.
type wayBack struct {
	title   string
	returns []draft.Return
	before  string // the deployment before which an add-on or a path goes back; empty otherwise
	nothing error  // that a deployment has changed no file, though it may have done other things
}

// wayBack finds what goes back: to a moment, before one deployment, or one step of an add-on or a path.
func (s *Maker) wayBack(ctx context.Context, srv model.Server, b *Back, events []draft.Event) (w wayBack, err error) {
	name := func(n int) string { return fmt.Sprintf("%s#%d", srv.Name, n) }
	only, subject, err := b.scope(events)
	if err != nil {
		return w, err
	}
	switch {
	case b.To != nil && b.Deployment != 0:
		return w, fault.New(fault.Usage, "bad-request", "a moment goes with a path or an add-on, or stands alone; not with a deployment")
	case b.To != nil:
		seq := int64(0)
		for n := *b.To; n > 0; n-- { // one that has changed no file stands as the one before it
			if seq, err = s.lastSeq(ctx, srv, n); err == nil {
				break
			}
			if !isCode(err, "changed-nothing") {
				return w, err
			}
		}
		w.title = fmt.Sprintf("%s back to how it stood after %s", subject, name(*b.To))
		if *b.To == 0 {
			w.title = subject + " back to before the first deployment"
		}
		w.returns = draft.AsOf(events, seq, name(*b.To), only)
	case b.Deployment != 0:
		if _, w.nothing = s.lastSeq(ctx, srv, b.Deployment); w.nothing != nil && !isCode(w.nothing, "changed-nothing") {
			return w, w.nothing
		}
		w.title = "roll back " + name(b.Deployment)
		if b.Addon != "" || b.Path != tree.Root {
			w.title = fmt.Sprintf("%s back to before %s", subject, name(b.Deployment))
		}
		w.returns = draft.Inverse(events, func(e draft.Event) bool { return e.Deployment == name(b.Deployment) && only(e) })
	default:
		var newest string
		if w.before, newest, err = s.further(ctx, srv, events, only, b); err != nil {
			return w, err
		}
		w.title = fmt.Sprintf("%s back to before %s", subject, w.before)
		if w.before == newest {
			w.returns = draft.Inverse(events, func(e draft.Event) bool { return e.Deployment == w.before && only(e) })
			break
		}
		before := int64(0) // the moment before it
		for _, e := range events {
			if e.Deployment == w.before {
				break
			}
			before = e.Seq
		}
		w.returns = draft.AsOf(events, before, "before "+w.before, only)
		for i := range w.returns {
			w.returns[i].Why = "as it was before " + w.before
		}
	}
	return w, nil
}

// isCode tells whether an error is a fault of that code.
func isCode(err error, code string) bool {
	var f *fault.Error
	return errors.As(err, &f) && f.Code == code
}

// scope says which events a rollback is about, and how to call that.
func (b *Back) scope(events []draft.Event) (only func(draft.Event) bool, subject string, err error) {
	switch {
	case b.Path != tree.Root && b.Addon != "":
		return nil, "", fault.New(fault.Usage, "bad-request", "name a path or an add-on, not both")
	case b.Path != tree.Root:
		only = func(e draft.Event) bool { return e.Change.Path == b.Path }
		subject = string(b.Path)
	case b.Addon != "":
		key := layout.Key(b.Addon)
		only = func(e draft.Event) bool { return e.Touches(key) }
		subject = b.Addon
	case b.Deployment != 0 || b.To != nil:
		return func(draft.Event) bool { return true }, "the whole server", nil
	default:
		return nil, "", fault.New(fault.Usage, "bad-request", "say what to roll back: a deployment, an add-on, a path, or the moment to go back to")
	}
	if i := slices.IndexFunc(events, func(e draft.Event) bool { return e.Change.Moved != tree.Root && only(e) }); i >= 0 {
		return nil, "", fault.New(fault.Conflict, "moved-since", "%s was renamed by %s, so its way back leads over that deployment as a whole", subject, events[i].Deployment).By(finding.RollBack.On(events[i].Deployment))
	}
	if !slices.ContainsFunc(events, only) {
		return nil, "", fault.New(fault.Unknown, "never-changed", "no deployment has ever changed %s on this server", subject).By(finding.ShowHistory.With())
	}
	return only, subject, nil
}

func (s *Maker) lastSeq(ctx context.Context, srv model.Server, number int) (int64, error) {
	d, err := Find(ctx, s.Records, srv.Name, number)
	if err != nil {
		return 0, err
	}
	seq, err := s.Records.LastSeq(ctx, srv.ID, number)
	if errors.Is(err, model.ErrNotFound) {
		return 0, fault.New(fault.Conflict, "changed-nothing", "%s is %s and has changed nothing", d.Name(), d.State)
	}
	return seq, err
}
