package changes

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/drafts"
	"restlesscrate/internal/words"
)

// readier makes sure, before anything is done, that a run can begin.
type readier struct {
	records readyRecords
	hosts   interface {
		NoWorkFolder(ctx context.Context, srv model.Server) error
	}
	drafter *drafts.Drafter
	self    deploy.Holder
	cut     *cutOffs
	now     func() time.Time
}

// readyRecords is what a readier needs written down.
type readyRecords interface {
	DeploymentsIn(ctx context.Context, states ...model.State) ([]model.Deployment, error)
	Untidy(ctx context.Context, server int64) ([]model.Deployment, error)
	SlotOf(ctx context.Context, id int64) (string, error)
	AddDeployment(ctx context.Context, d model.Deployment) (model.Deployment, error)
	Advance(ctx context.Context, id int64, to model.State, from ...model.State) error
}

func (s *Service) readier() readier {
	return readier{s.Records, s.Hosts, s.drafter(), s.Self, &s.cut, s.Now}
}

// ready looks again at what a draft is about and gives it as it is drafted now, and
// whether it is still the same.
// At the same time it takes the host's lock and makes sure that the host lets
// files come and go where the draft wants that. Where it cannot run, or is no
// longer true, the lock is given back.
func (s readier) ready(ctx context.Context, srv model.Server, run *deploy.Run, d model.Deployment, tell progress.Tell) (made *draft.Draft, same bool, clock func() int64, err error) {
	if d.Motions == 0 {
		clock = func() int64 { return 0 }
		if s.now().Sub(d.CreatedAt) <= fresh {
			return &d.Draft, d.Draft.Digest() == d.Digest, clock, nil
		}
		made, same, err = s.drafter.Redraft(ctx, srv, run.Host, d, tell)
		return made, same, clock, err
	}
	var g errgroup.Group
	var left deploy.Remains
	g.Go(func() (err error) {
		left, err = s.left(ctx, srv, run)
		return err
	})
	g.Go(func() (err error) {
		made, same, err = s.drafter.Redraft(ctx, srv, run.Host, d, tell) // while the folders are still being tried
		return err
	})
	g.Go(func() (err error) {
		// Taken wholly or not at all: a lock that nobody has signed is nobody's to clear.
		if clock, err = s.lock(context.WithoutCancel(ctx), srv, run, d); err != nil {
			return err
		}
		return run.Prove(ctx)
	})
	err = g.Wait()
	if err == nil {
		err = s.clearLeft(ctx, run, d, left, tell)
	}
	if err == nil && same {
		return made, true, clock, nil
	}
	if run.Held {
		if gone := run.GiveUp(context.WithoutCancel(ctx)); gone != nil {
			err = errors.Join(err, fmt.Errorf("give the host's lock back: %w", gone))
		}
	}
	return made, false, clock, s.refused(ctx, srv, d, err)
}

// left looks into the work folder for what a service that is lost has left.
func (s readier) left(ctx context.Context, srv model.Server, run *deploy.Run) (deploy.Remains, error) {
	needed, err := s.needed(ctx, srv)
	if err != nil {
		return deploy.Remains{}, err
	}
	list, err := run.Host.List(ctx, draft.Work)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return deploy.Remains{}, err
	}
	unknown := map[string]bool{}
	for _, i := range list {
		unknown[i.Name] = i.Being == tree.Folder && !needed[i.Name] && !remote.OfProbe(i.Name)
	}
	delete(unknown, deploy.LockName)
	delete(unknown, draft.Copies.Base())
	if !slices.Contains(slices.Collect(maps.Values(unknown)), true) {
		return deploy.Remains{}, nil // as almost always
	}
	return deploy.FindRemains(ctx, run.Host, func(number string) bool { return !unknown[number] })
}

// needed are the numbers of the deployments that still have something in the
// work folder.
func (s readier) needed(ctx context.Context, srv model.Server) (map[string]bool, error) {
	open, err := s.records.DeploymentsIn(ctx, model.Running, model.Waiting, model.Halted, model.Undoing)
	if err != nil {
		return nil, err
	}
	untidy, err := s.records.Untidy(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	needed := map[string]bool{}
	for _, d := range append(open, untidy...) {
		if d.ServerID == srv.ID {
			needed[strconv.Itoa(d.Number)] = true
		}
	}
	return needed, nil
}

// clearLeft clears uploads that a lost service has begun. A server's own files
// that it had set aside stay; they keep a deployment from running that would
// use the same names.
func (s readier) clearLeft(ctx context.Context, run *deploy.Run, d model.Deployment, left deploy.Remains, tell progress.Tell) error {
	own := run.Names.Folder()
	for _, p := range left.Aside {
		if p.Within(own) {
			return fault.New(fault.Conflict, "set-aside-in-way", "%s cannot run: %s was set aside there by a service that is lost, and may be the only copy", d.Name(), p).
				WithMend("Nothing was done. Move it to where it belongs, or away, by hand; then draft again.")
		}
	}
	left.Locked = false // the lock is ours by now
	left.Uploads = slices.DeleteFunc(left.Uploads, func(p tree.Path) bool { return p.Within(own) && strings.HasPrefix(p.Base(), "try-") })
	if len(left.Uploads) == 0 {
		return nil
	}
	tell.Note(fmt.Sprintf("clearing %s that a lost service had begun to upload", words.Count(len(left.Uploads), "file")))
	needed := map[tree.Path]bool{draft.Work: true, own: true}
	for _, p := range run.WorkFolders() {
		needed[p] = true
	}
	return left.ClearUploads(ctx, run.Host, func(p tree.Path) bool { return needed[p] })
}

// refused tells a person what it means that the host does not let files come
// and go.
func (s readier) refused(ctx context.Context, srv model.Server, d model.Deployment, err error) error {
	var no *deploy.RefusedError
	switch {
	case !errors.As(err, &no):
		return err
	case !no.Rename:
		return fault.New(fault.Blocked, "not-writable", "%s cannot run: %v", d.Name(), no).
			WithMend("Nothing was done. Give the user the right to write there, then run this again.").By(finding.RunDeployment.On(d.Name()))
	}
	if err := s.hosts.NoWorkFolder(ctx, srv); err != nil {
		return err
	}
	return fault.New(fault.Blocked, "no-rename-there", "%s cannot run as it is drafted: %v", d.Name(), no).
		WithMend("Nothing was done. It is noted for %s: draft it again, and temporary files stand beside their targets.", srv.Name)
}
