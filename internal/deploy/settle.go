package deploy

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// settle looks at what a batch has left under its temporary names, all at once
// instead of one by one: what was sent must be there in its whole size and gets
// its permission bits; what was set aside is compared with what the draft saw.
// An outcome that cannot be looked at is taken out: its result is unknown.
// began is the host's time before the batch.
func (r *Run) settle(ctx context.Context, f *flight, outcomes []*Outcome, began int64) error {
	var which, wholes []int
	var paths []tree.Path
	for i, o := range outcomes {
		if o == nil {
			continue
		}
		switch o.Motion.Kind {
		case draft.SendMotion, draft.EditMotion, draft.AsideMotion:
			if o.Motion.Whole() {
				wholes = append(wholes, i)
				continue
			}
			which, paths = append(which, i), append(paths, r.Names.Temp(o.Motion))
		case draft.InMotion:
			// A rename changes neither size nor time; the look after the swap
			// finds out if a host thinks otherwise.
			res := r.arrivedAs(o.Motion.Temp)
			o.Result.Size, o.Result.Modified, o.Result.At = res.size, res.modified, began
		}
	}
	unseen := r.settleWholes(ctx, f, outcomes, wholes)
	if len(which) == 0 {
		return unseen
	}
	infos, err := r.Host.StatAll(ctx, paths)
	if err != nil {
		for _, i := range which {
			outcomes[i] = nil
		}
		return errors.Join(unseen, fmt.Errorf("look at what was done: %w", err))
	}
	motions := make([]draft.Motion, len(which))
	for n, i := range which {
		motions[n] = outcomes[i].Motion
	}
	after := &flight{calls: f.calls, looking: true} // a failure elsewhere is no reason not to look
	return errors.Join(unseen, r.each(ctx, after, motions, func(ctx context.Context, n int, m draft.Motion) error {
		o, err := outcomes[which[n]], error(nil)
		switch {
		case m.Kind == draft.SendMotion:
			err = r.checkSent(ctx, m, paths[n], infos[n], &o.Result)
		case m.Kind == draft.EditMotion:
			m.After.Size = o.Result.Edited.Size
			err = r.checkSent(ctx, m, paths[n], infos[n], &o.Result)
		case r.editOf(m.Path) != nil:
			err = r.checkEdited(ctx, m, paths[n], infos[n], &o.Result)
		default:
			err = r.checkAside(ctx, m, paths[n], infos[n], &o.Result)
		}
		if err != nil {
			outcomes[which[n]] = nil
		}
		return err
	}))
}

// settleWholes looks into the folders that were set aside whole.
func (r *Run) settleWholes(ctx context.Context, f *flight, outcomes []*Outcome, which []int) error {
	motions := make([]draft.Motion, len(which))
	for n, i := range which {
		motions[n] = outcomes[i].Motion
	}
	return r.each(ctx, &flight{calls: f.calls, looking: true}, motions, func(ctx context.Context, n int, m draft.Motion) error {
		err := r.checkAsideWhole(ctx, m, &outcomes[which[n]].Result)
		if err != nil {
			outcomes[which[n]] = nil
		}
		return err
	})
}

// tells tells whether a file that had this time when it was looked at would
// have another one if it had been written to since: the time must be older than
// the look by more than the host counts.
func (r *Run) tells(modified, lookedAt int64) bool {
	return r.Resolution > 0 && lookedAt != 0 && modified+r.Resolution < lookedAt
}

// hostNow is the host's time, 0 where it is not known.
func (r *Run) hostNow() int64 {
	if r.Clock == nil {
		return 0
	}
	return r.Clock()
}

// arrival is what the host said of a file when it was sent.
type arrival struct{ size, modified int64 }

func (r *Run) arrivedAs(temp string) arrival {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.arrived[temp]
}

// checkSent compares a sent file's size and sets its permission bits where
// they are not what the host gives a new file.
func (r *Run) checkSent(ctx context.Context, m draft.Motion, at tree.Path, i remote.Info, res *Result) error {
	if i.Being != tree.Content || i.Size != m.After.Size {
		return fmt.Errorf("%d bytes arrived instead of %d", i.Size, m.After.Size)
	}
	if i.Mode != 0 && m.After.Mode != 0 && i.Mode != m.After.Mode {
		if err := r.Host.SetMode(ctx, at, m.After.Mode); err != nil {
			return err
		}
	}
	res.Size, res.Modified = i.Size, i.Modified
	r.mu.Lock()
	r.arrived[m.Temp] = arrival{res.Size, res.Modified}
	r.mu.Unlock()
	return nil
}

// checkAside compares a file that was set aside with what the draft saw: what
// the server wrote into it last is fetched, so that nothing of it is lost.
func (r *Run) checkAside(ctx context.Context, m draft.Motion, at tree.Path, i remote.Info, res *Result) error {
	if i.Being != tree.Content {
		return fmt.Errorf("it is not under its set-aside name")
	}
	res.Size, res.Modified = i.Size, i.Modified
	if i.Size == m.Before.Size && i.Modified == m.Seen && r.tells(m.Seen, r.Draft.LookedAt) {
		return nil
	}
	return r.keepIfOther(ctx, at, m.Before.Digest, res, "%s was written to after it was looked at; its last bytes are kept", m.Path)
}
