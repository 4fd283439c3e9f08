package deploy

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/remote"
)

// executor does the motions of one kind. Each has a file of its own, do_KIND.go; what
// several of them need is in site.go and kept.go. A kind that is only a rename, or takes
// something away, needs no more than what [site] does anyway.
type executor interface {
	// forward does a motion. begun tells that an earlier run may have done it, or half
	// of it: then the host is looked at first.
	forward(ctx context.Context, m draft.Motion, begun bool) (Result, error)
	// backward takes a motion back that was begun. It can be done again after a stop
	// anywhere.
	backward(ctx context.Context, m draft.Motion, marks Marks) (Result, error)
	// settles says how it is found out what a motion has left; settle completes its
	// result. found is what stands under its temporary name, with [byTemp], and began the
	// host's time before the batch. An error says that the result is unknown.
	settles(m draft.Motion) settling
	settle(ctx context.Context, m draft.Motion, found remote.Info, began int64, res *Result) error
}

// settling tells how the engine finds out what a motion left behind.
type settling int

const (
	asItIs   settling = iota // the result says it all
	byMemory                 // from what is known already
	byTemp                   // by its temporary name, looked at together with others
	byItself                 // by a look of its own
)

// executor gives the executor for a kind of motion.
func (r *Run) executor(kind draft.MotionKind) executor {
	s := r.site()
	switch kind {
	case draft.KeepMotion:
		return keeper{dataFolders{s}}
	case draft.SendMotion:
		return sender{s}
	case draft.EditMotion:
		return editor{s}
	case draft.AsideMotion:
		return asider{s}
	case draft.InMotion:
		return placer{s}
	case draft.RestoreMotion:
		return restorer{dataFolders{s}}
	case draft.RenewMotion:
		return renewer{s}
	case draft.MoveMotion:
		return mover{s}
	case draft.PowerMotion, draft.WaitMotion:
		return powerer{s}
	case draft.DropMotion, draft.TidyMotion:
		return s
	}
	panic(fmt.Sprintf("nobody does motions of the kind %q", kind)) // a test goes over all kinds
}

// forward does a motion that is one act on the host.
func (r site) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	if v, err := r.before(ctx, m, begun); err != nil || v == draft.Done {
		return Result{}, err
	}
	left, err := r.act(ctx, draft.Forward(m, r.Names))
	return Result{Left: left}, err
}

// backward takes a motion back that is one act on the host.
func (r site) backward(ctx context.Context, m draft.Motion, _ Marks) (Result, error) {
	_, res, err := r.back(ctx, m)
	return res, err
}

func (r site) settles(draft.Motion) settling { return asItIs }

func (r site) settle(context.Context, draft.Motion, remote.Info, int64, *Result) error { return nil }

// before looks, where a motion may have been begun, at what has become of it. The error
// tells that it cannot be done.
func (r site) before(ctx context.Context, m draft.Motion, begun bool) (draft.Verdict, error) {
	if !begun {
		return draft.NotYet, nil
	}
	v, err := r.verdict(ctx, m)
	switch {
	case err != nil:
	case v == draft.Occupied:
		err = fmt.Errorf("something else has appeared at %s; move it away by hand, then resume or undo", m.Path)
	case v == draft.Lost:
		err = fmt.Errorf("neither %s nor its set-aside name is on the server any more", m.Path)
	}
	return v, err
}

// back takes a motion back by the one act that does, and tells what had become of it.
func (r site) back(ctx context.Context, m draft.Motion) (draft.Verdict, Result, error) {
	v, err := r.verdict(ctx, m)
	if err != nil {
		return v, Result{}, err
	}
	if a, ok := draft.Backward(m, r.Names, v); ok {
		left, err := r.act(ctx, a)
		if err != nil {
			return v, Result{}, err
		}
		if left {
			r.note("the folder %s stays: something that is not of this deployment is in it", a.From)
			return v, Result{Left: true}, nil
		}
	}
	return v, Result{}, nil
}
