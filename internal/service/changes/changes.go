// Package changes is the use cases that change a server: drafting, running,
// resuming, undoing, rolling back.
package changes

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"sync"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/drafts"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/verify"
	"restlesscrate/internal/stockroom"
)

// Records is what this service needs written down.
type Records interface {
	deploy.Journal
	requests.Records
	drafts.Records
	verify.Records
	Server(ctx context.Context, name string) (model.Server, error)
	ServerByID(ctx context.Context, id int64) (model.Server, error)
	AddDeployment(ctx context.Context, d model.Deployment) (model.Deployment, error)
	// OutlineByID is DeploymentByID without the changes, steps and motions of the
	// draft, StepsByID is it with the steps alone.
	OutlineByID(ctx context.Context, id int64) (model.Deployment, error)
	StepsByID(ctx context.Context, id int64) (model.Deployment, error)
	// Ahead gives what a run needs of a deployment's draft before that is made anew.
	Ahead(ctx context.Context, deployment int64) (draft.Ahead, error)
	Finished(ctx context.Context, deployment int64) (map[deploy.Key]bool, error)
	DeploymentsIn(ctx context.Context, states ...model.State) ([]model.Deployment, error)
	Untidy(ctx context.Context, server int64) ([]model.Deployment, error)
	SlotOf(ctx context.Context, id int64) (string, error)
	Advance(ctx context.Context, id int64, to model.State, from ...model.State) error
	Halt(ctx context.Context, id int64, trouble string) error
	Wait(ctx context.Context, id int64, text string) error
	DoByHand(ctx context.Context, server int64, key model.HandKey, words, actor string) error
	UndoByHand(ctx context.Context, server int64, key model.HandKey) error
	SaveRun(ctx context.Context, d model.Deployment) error
	SaveDraft(ctx context.Context, d model.Deployment) error
	SaveOutline(ctx context.Context, d model.Deployment) error
	SetTidy(ctx context.Context, id int64, motions draft.Motions) error
	Shrink(ctx context.Context) error
	Remark(ctx context.Context, id int64, r model.Remark) error
	LastGood(ctx context.Context, server int64) (model.Deployment, error)
	Finish(ctx context.Context, d model.Deployment, reported map[tree.Path]draft.Reported, untidy bool) error
	SaveTold(ctx context.Context, server int64, told []model.Fact) error
	SaveStarted(ctx context.Context, server int64) error
	SaveChoices(ctx context.Context, server int64, parts map[string][]string) error
	KeepSides(ctx context.Context, server int64, sides map[string]merge.Side) error
}

// Hosts connects to servers.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
	Connect(ctx context.Context, srv model.Server) (remote.Host, error)
	// NoWorkFolder notes that a host does not rename out of the work folder
	// everywhere.
	NoWorkFolder(ctx context.Context, srv model.Server) error
	// Power gives what a server is stopped and started by over an open host. It
	// is never nil.
	Power(ctx context.Context, srv model.Server, h remote.Host, b *rulebook.Book) (Powered, error)
}

// Meter counts what deployments do.
type Meter interface {
	// Ended counts a run or an undo that ended in a state, and the bytes it sent.
	Ended(server, state string, sent int64)
	// Phase counts how long a phase of a finished deployment took.
	Phase(phase string, took time.Duration)
	// LostLine counts a line to a host that was lost.
	LostLine(server string)
}

// Service is the use cases.
type Service struct {
	Records Records
	Catalog requests.Catalog
	Hosts   Hosts
	Room    *stockroom.Room
	RideOut time.Duration // for how long a lost line is tried again
	Self    deploy.Holder // what this service is known by on hosts
	Meter   Meter
	Now     func() time.Time
	Log     *slog.Logger
	// Started, where it is set, is told of each deployment that is done and has started its server.
	Started func(d model.Deployment)

	recall drafts.Recall
	queue  queue
	cut    cutOffs

	mu      sync.Mutex
	running map[int64]*deploy.Run // by deployment
}

// Draft looks at a server and drafts what was asked for. Nothing is touched.
func (s *Service) Draft(ctx context.Context, server string, ask requests.Ask, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return model.Deployment{}, err
	}
	basis, err := s.Records.Basis(ctx)
	if err != nil {
		return model.Deployment{}, err
	}
	if err := s.moment(ctx, srv, &ask); err != nil {
		return model.Deployment{}, err
	}
	d, req, err := s.requests().Make(ctx, srv, ask)
	if err != nil {
		return d, err
	}
	h, err := s.Hosts.Connect(ctx, srv)
	if err != nil {
		return d, err
	}
	defer h.Close()
	if len(ask.Settle) > 0 {
		if err := wholeFolders(ctx, h, &ask); err != nil {
			return d, err
		}
		if d, req, err = s.requests().Make(ctx, srv, ask); err != nil {
			return d, err
		}
	}
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return d, err
	}
	recorded := srv.Known()
	srv, drifts, err := drafts.Actual(ctx, h, b, srv, s.Now())
	if err != nil {
		return d, err
	}
	if len(b.Facts) > 0 {
		if err := s.Records.SaveTold(ctx, srv.ID, srv.Told); err != nil {
			return d, err
		}
	}
	if len(drifts) > 0 || !maps.Equal(recorded, srv.Known()) {
		if d, req, err = s.requests().Make(ctx, srv, ask); err != nil {
			return d, err
		}
		req.Drifts = drifts
	}
	made, kept, err := s.drafter().Draft(ctx, srv, h, ask, req, basis, tell)
	if err != nil {
		return d, err
	}
	d.Draft, d.Digest, d.Accepts, d.Actor = *made, made.Digest(), signed(accepts, actor), actor
	if d, err = s.Records.AddDeployment(ctx, d); err == nil && kept != nil {
		s.recall.Keep(kept, d.ID)
	}
	return d, err
}

// Decision is what a person decides on a draft.
type Decision struct {
	Keep      map[string]merge.Side // whose values stay where the server and a new version both changed the same
	TakeNeeds bool                  // what its crates need comes along
	InsteadOf []string              // add-ons that go, because what is deployed takes their place
	Replace   []string              // paths of copies that nobody deployed, which go
	LeaveOut  []string              // crates that are not deployed after all
	Tweaks    []requests.AskTweak   // changes of texts that come along
	Renamed   []draft.Renamed       // names that they change
}

// Decide drafts a deployment anew with a decision. The draft that was there before is given up
// once the new one is made.
func (s *Service) Decide(ctx context.Context, d model.Deployment, by Decision, actor string, tell progress.Tell) (model.Deployment, error) {
	if d.State != model.Draft {
		return d, WrongState(d, "decide")
	}
	ask, err := requests.Read(d.Ask)
	if err != nil {
		return d, err
	}
	all := maps.Clone(ask.Keep)
	if all == nil {
		all = map[string]merge.Side{}
	}
	maps.Copy(all, by.Keep)
	ask.Keep = all
	if err := ask.Revise(by.TakeNeeds, by.InsteadOf, by.LeaveOut, by.Replace); err != nil {
		return d, err
	}
	ask.Tweaks, ask.Renamed = append(ask.Tweaks, by.Tweaks...), append(ask.Renamed, by.Renamed...)
	next, err := s.Draft(ctx, d.Server, ask, d.Accepts, actor, tell)
	if err != nil {
		return d, err
	}
	return next, s.Discard(ctx, d)
}

// verifier finds out what came of deployments.
func (s *Service) verifier() *verify.Verifier {
	return &verify.Verifier{Records: s.Records, Catalog: s.Catalog}
}

// signed notes who accepted.
func signed(accepts []finding.Accept, actor string) []finding.Accept {
	out := []finding.Accept{}
	for _, a := range accepts {
		if a.By == "" {
			a.By = actor
		}
		out = append(out, a)
	}
	return out
}

// Find gives a deployment by server and number, without what is long in its draft.
func (s *Service) Find(ctx context.Context, server string, number int) (model.Deployment, error) {
	if _, err := s.Hosts.Find(ctx, server); err != nil {
		return model.Deployment{}, err
	}
	return requests.Find(ctx, s.Records, server, number)
}

// HostNow is a time by a server's clock that is not later than now, 0 where that is not known.
func (s *Service) HostNow(srv model.Server) int64 { return s.drafter().HostNow(srv) }

// drafter looks at servers and makes drafts.
func (s *Service) drafter() *drafts.Drafter {
	return &drafts.Drafter{Records: s.Records, Requests: s.requests(), Free: s.Room.Free, Now: s.Now, Recall: &s.recall, Bytes: s.Contents,
		Known: func(ctx context.Context, srv model.Server, h remote.Host) (*draft.Power, error) {
			b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
			if err != nil {
				return nil, err
			}
			p, err := s.Hosts.Power(ctx, srv, h, b)
			if err != nil {
				return nil, err
			}
			return p.Known(ctx), nil
		}}
}

// requests makes requests out of what people ask for.
func (s *Service) requests() *requests.Maker {
	return &requests.Maker{Records: s.Records, Catalog: s.Catalog, Bytes: s.Contents}
}

// Writes lists what a server writes itself, as far as one path is known of it.
func (s *Service) Writes(ctx context.Context, server string) ([]requests.Written, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return nil, err
	}
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, err
	}
	return requests.Writes(b, srv), nil
}

// WithSteps gives a deployment with the steps of its draft, and for every step how many
// of its motions the journal shows as done.
func (s *Service) WithSteps(ctx context.Context, id int64) (d model.Deployment, done map[int]int, err error) {
	if d, err = s.Records.StepsByID(ctx, id); err != nil {
		return d, nil, err
	}
	done = map[int]int{}
	finished := func(deploy.Key) bool { return true }
	if d.State != model.Done || d.Untidy {
		marks, err := s.Records.Finished(ctx, id)
		if err != nil {
			return d, nil, err
		}
		finished = func(k deploy.Key) bool { return marks[k] }
	}
	for _, step := range d.Draft.Steps {
		for _, motion := range step.Motions {
			if finished(deploy.Key{Leg: max(1, step.Leg), Motion: motion}) {
				done[step.ID]++
			}
		}
	}
	return d, done, nil
}

// List gives deployments, the newest first.
func (s *Service) List(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error) {
	return s.Records.Deployments(ctx, server, before, limit)
}

// Discard gives a draft up.
func (s *Service) Discard(ctx context.Context, d model.Deployment) error {
	err := s.Records.Advance(ctx, d.ID, model.Discarded, model.Draft)
	if errors.Is(err, model.ErrConflict) {
		return fault.New(fault.Conflict, "not-a-draft", "%s is %s; only a draft can be discarded", d.Name(), d.State)
	}
	return err
}

// Recover is called once at start: what an earlier service left running is
// halted, and what waited for its turn is a draft again. It gives the deployments whose set-aside files still wait on their
// servers.
func (s *Service) Recover(ctx context.Context) (untidy []model.Deployment, err error) {
	waited, err := s.Records.DeploymentsIn(ctx, model.Queued)
	if err != nil {
		return nil, err
	}
	for _, d := range waited { // nothing was done for these
		s.Log.Warn("found in the queue at start; it is a draft again", "deployment", d.Name())
		if err := s.Records.Advance(ctx, d.ID, model.Draft, model.Queued); err != nil {
			return nil, err
		}
		s.cut.add(d.ServerID)
	}
	broken, err := s.Records.DeploymentsIn(ctx, model.Running, model.Undoing)
	if err != nil {
		return nil, err
	}
	for _, d := range broken {
		s.Log.Warn("found half-way at start", "deployment", d.Name(), "state", d.State)
		if err := s.Records.Halt(ctx, d.ID, fmt.Sprintf("the service stopped while %s was %s", d.Name(), d.State)); err != nil {
			return nil, err
		}
	}
	open, err := s.Records.DeploymentsIn(ctx, model.Running, model.Waiting, model.Halted, model.Undoing)
	if err != nil {
		return nil, err
	}
	if err := s.wayBack().releaseOld(open); err != nil {
		return nil, err
	}
	return s.Records.Untidy(ctx, 0)
}

// driver takes a run through its phases, halts it and takes it back. It is what the use cases
// of this service have in common.
type driver struct{ *Service }

func (s *Service) drive() driver { return driver{s} }
