package deploy

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// Backward takes back everything that the journal shows as begun, group by
// group from the last. When it returns nil every named path is as it was, and
// nothing of the deployment is left in the tree but folders that somebody
// else put something into.
func (r *Run) Backward(ctx context.Context) (err error) {
	marks, err := r.Journal.Marks(ctx, r.ID)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, r.site().closeSegment()) }()
	var all []draft.Group
	for _, phase := range []draft.Phase{draft.Prepare, draft.Swap, draft.Proof} {
		all = append(all, r.Draft.Motions.Groups(phase)...)
	}
	// By their numbers, not by phase: a later leg goes back before an earlier one.
	slices.SortStableFunc(all, func(a, b draft.Group) int { return b.Number - a.Number })
	for _, group := range all {
		var todo []draft.Motion
		for m := range r.Draft.Motions.Range(group.From, group.To) {
			if s := marks.At(KeyOf(m)).State; m.Kind != draft.TidyMotion && (s == Intended || s == Finished) {
				todo = append(todo, m)
			}
		}
		for len(todo) > 0 {
			n := min(batch, len(todo))
			// From here on it is unknown what stands on the host, so that going
			// forward again after an undo that broke off looks first.
			// What a folder held is known from its result alone, which stays.
			again := slices.DeleteFunc(slices.Clone(todo[:n]), func(m draft.Motion) bool {
				return m.KeepsFolder() || m.Do == draft.UntilTicked // whether a person had done it is known from its mark alone
			})
			if len(again) > 0 {
				if err := r.Journal.Intend(ctx, r.ID, again); err != nil {
					return err
				}
			}
			if err := r.backBatch(ctx, todo[:n], marks); err != nil {
				return err
			}
			todo = todo[n:]
		}
	}
	r.reloadBack(ctx, marks)
	return r.site().removeWork(ctx)
}

// reloadBack has the server take what was there before, where it was told to take what is
// taken back now. The files are as they were either way.
func (r *Run) reloadBack(ctx context.Context, marks Marks) {
	for m := range r.Draft.Motions.All() {
		if m.Do != power.Reload || m.Back == "" || marks.At(KeyOf(m)).State == "" {
			continue
		}
		err := errNoPower
		if r.Power != nil {
			err = r.Power.Do(ctx, power.Reload, m.Back, nil)
		}
		if err != nil {
			r.note("everything is as it was, but the server could not be told to take it (%s): %v", m.Back, err)
		}
	}
}

func (r *Run) backBatch(ctx context.Context, motions []draft.Motion, marks Marks) error {
	outcomes := make([]*Outcome, len(motions))
	f := &flight{calls: make(chan struct{}, max(1, r.Host.InFlight())), asked: r.asked}
	err := f.each(ctx, motions, func(ctx context.Context, i int, m draft.Motion) error {
		if err := r.fault(AfterIntent, m); err != nil {
			return err
		}
		res, err := r.executor(m.Kind).backward(ctx, m, marks)
		if err != nil {
			return err
		}
		if err := r.fault(AfterEffect, m); err != nil {
			return err
		}
		outcomes[i] = &Outcome{Motion: m, Result: res}
		r.count(m)
		r.tell(progress.Event{Kind: progress.Motion, Phase: m.Phase, Step: m.Step, Path: m.Path})
		return nil
	})
	return errors.Join(err, r.site().conclude(context.WithoutCancel(ctx), outcomes, r.Journal.Reverse))
}

// Look looks at every path of one leg again after its swap. It gives what the
// host reports of each that holds content, and the changes as they really came to
// be, for the ledger. seenAt is the host's clock now, in UTC milliseconds, 0 where
// it is not known. Where the server was started since, it may have written to what
// it was given: that is told, and no error.
func (r *Run) Look(ctx context.Context, leg int, seenAt int64) (map[tree.Path]draft.Reported, []draft.Change, error) {
	marks, err := r.Journal.Marks(ctx, r.ID)
	if err != nil {
		return nil, nil, err
	}
	reported := map[tree.Path]draft.Reported{}
	changes := cameToBe{drafted: r.Draft.Changes}
	of := r.legAs(leg, marks)
	edits := editedBy(r.Draft, marks)
	var listed map[tree.Path]map[string]remote.Info
	until := 0 // of which change on the folders have to be listed
	for at, c := range r.Draft.Changes {
		if at == until {
			folders := map[tree.Path]bool{}
			for ; until < len(r.Draft.Changes) && len(folders) < listedAtOnce; until++ {
				if p := r.Draft.Changes[until].Path; of.moved(p) {
					folders[p.Dir()] = true
				}
			}
			if listed, err = remote.ListAll(ctx, r.Host, folders); err != nil {
				return nil, nil, err
			}
		}
		if !of.moved(c.Path) { // nothing had to be done for it, or it is of another leg
			if leg == 1 && !of.others[c.Path] {
				changes.add(at, c, false)
			}
			continue
		}
		other := false
		if e := edits[c.Path]; e != nil {
			other = true
			c.Before.Digest, c.Before.Size = e.Was, e.WasSize
			c.After.Digest, c.After.Size, c.Edits = e.Digest, e.Size, e.Edits
			delete(of.last, c.Path)
		}
		i, ok := listed[c.Path.Dir()][c.Path.Base()]
		if !ok {
			i = remote.Info{Name: c.Path.Base(), Being: tree.Absent}
		}
		if c.After.Being == tree.Absent && c.Before.Being == tree.Folder && i.Being == tree.Folder {
			r.note("the folder %s stays: something that is not of this deployment is in it", c.Path)
			if len(c.ClaimsBefore) > 0 { // and is no add-on's any more
				c.After = c.Before
				changes.add(at, c, true)
			}
			continue
		}
		if i.Being != c.After.Being || (i.Being == tree.Content && i.Size != c.After.Size) {
			if of.started {
				r.note("%s was changed since the server was started: it is %s of %d bytes now", c.Path, i.Being, i.Size)
				changes.add(at, c, other)
				continue
			}
			return nil, nil, fmt.Errorf("%s is not as it should be after the swap: it is %s of %d bytes, and should be %s", c.Path, i.Being, i.Size, c.After)
		}
		if c.After.Being == tree.Content {
			if i.Mode != 0 && c.After.Mode != 0 && c.After.Mode != i.Mode {
				c.After.Mode, other = i.Mode, true
			}
			reported[c.Path] = draft.Reported{Size: i.Size, Modified: i.Modified, SeenAt: seenAt}
		}
		if res, ok := of.last[c.Path]; ok {
			c.Before.Digest, c.Before.Size, other = res.Digest, res.Size, true
		}
		changes.add(at, c, other)
	}
	return reported, changes.list(), nil
}

// legMotions are the paths that the motions of one leg concern.
type legMotions struct {
	touched, wholes map[tree.Path]bool
	started         bool                 // the server, since
	others          map[tree.Path]bool   // paths of other legs
	last            map[tree.Path]Result // of files that the server wrote to between the draft and the swap
}

// moved tells whether something was done for a path, by itself or with a whole folder.
func (l *legMotions) moved(p tree.Path) bool {
	return l.touched[p] || slices.ContainsFunc(p.Ancestors(), func(up tree.Path) bool { return l.wholes[up] })
}

// legAs gives the paths that the motions of a leg concern, with what the journal says of them.
func (r *Run) legAs(leg int, marks Marks) *legMotions {
	l := &legMotions{touched: map[tree.Path]bool{}, wholes: map[tree.Path]bool{}, others: map[tree.Path]bool{}, last: map[tree.Path]Result{}}
	for m := range r.Draft.Motions.All() {
		if m.Do == power.Start && m.Leg >= leg && (marks.At(KeyOf(m)).State == Intended || marks.At(KeyOf(m)).State == Finished) {
			l.started = true
		}
		if m.OfServer() {
			continue
		}
		if m.Leg != leg {
			l.others[m.Path] = true
			continue
		}
		l.touched[m.Path] = true
		if m.Whole() {
			l.wholes[m.Path] = true
			for rel, res := range marks.At(KeyOf(m)).Result.Inside {
				l.last[m.Path.Join(rel)] = res
			}
			continue
		}
		if res := marks.At(KeyOf(m)).Result; m.Kind == draft.AsideMotion && !res.Digest.IsZero() {
			l.last[m.Path] = res
		}
	}
	return l
}

// listedAtOnce is about how many folders are listed together when they are looked at
// again: the listings of a long deployment are not all in memory at a time.
const listedAtOnce = 1000

// cameToBe are changes as they came to be. Nearly always they are those that were drafted,
// and then they are not in memory twice.
type cameToBe struct {
	drafted []draft.Change
	same    int            // how many are the first that were drafted
	own     []draft.Change // all of them, once one is another
}

// add adds the change drafted at an index; other is set where the change came out differently.
func (l *cameToBe) add(at int, c draft.Change, other bool) {
	if l.own == nil && !other && at == l.same {
		l.same++
		return
	}
	if l.own == nil {
		l.own = append(make([]draft.Change, 0, len(l.drafted)), l.drafted[:l.same]...)
	}
	l.own = append(l.own, c)
}

// list gives the changes. Appending to the result copies it.
func (l *cameToBe) list() []draft.Change {
	if l.own == nil {
		return l.drafted[:l.same:l.same]
	}
	return l.own
}

// Tidy removes what was set aside and the work folder, once the deployment is
// recorded.
func (r *Run) Tidy(ctx context.Context) (err error) {
	marks, err := r.Journal.Marks(ctx, r.ID)
	if err != nil || r.Draft.Motions.Len() == 0 {
		return err
	}
	if err := r.site().workFolders(ctx, marks); err != nil {
		return fmt.Errorf("make the work folder: %w", err)
	}
	defer func() { err = errors.Join(err, r.site().closeSegment()) }()
	r.begin(marks)
	if err := r.phase(ctx, draft.Proof, marks, func(m draft.Motion) bool { return m.Kind == draft.TidyMotion }); err != nil {
		return err
	}
	if err := (keeper{dataFolders{r.site()}}).tidyCopies(ctx); err != nil {
		return err
	}
	if err := r.site().removeWork(ctx); err != nil || r.Held {
		return err
	}
	return dropUnsigned(ctx, r.Host)
}
