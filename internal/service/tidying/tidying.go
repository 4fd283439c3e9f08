// Package tidying frees room in the stockroom: downloads that nothing needs go, and ways back
// that are given up. What it would free is shown first, and nothing goes that is still needed.
package tidying

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/retention"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// Records is what has to be known, and where it is written down what went.
type Records interface {
	Staying(ctx context.Context) ([]model.Staying, error)
	DroppedArchives(ctx context.Context) ([]model.DroppedArchive, error)
	Past(ctx context.Context, before time.Time) ([]model.PastDeployment, error)
	ContentsIn(ctx context.Context, containers []string) (map[string]map[tree.Digest]int64, error)
	Mentioned(ctx context.Context, wanted map[tree.Digest]bool, e model.Except) (map[tree.Digest]bool, error)
	LetGo(ctx context.Context, l model.Letting) error
	Leaving(ctx context.Context) ([]string, error)
	Left(ctx context.Context, name string) error
}

// Service is the use cases.
type Service struct {
	Records Records
	Room    *stockroom.Room
	Now     func() time.Time
}

// Plan is what a policy frees.
type Plan struct {
	Archives []Going  // downloads that go
	Copies   []Going  // kept copies of servers' files that go with ways back that are given up
	GivenUp  []string // deployments that cannot be rolled back any more, by name
	Kept     []retention.Kept
	Total    int64 // bytes that the stockroom holds now
	Freed    int64 // bytes
	Digest   string

	except model.Except
	gone   []container
}

// Going is something that goes.
type Going struct {
	Name   string
	Digest string // of a download
	Size   int64  // on disk, with what was unpacked or made of it
	Copied int64  // of which so many bytes are needed still, and are kept elsewhere
}

// container is a container that goes.
type container struct {
	name   string
	size   int64
	needed []tree.Digest
}

// Plan says what a policy would free. It changes nothing.
func (s *Service) Plan(ctx context.Context, p retention.Policy, tell func(string)) (Plan, error) {
	staying, err := s.Records.Staying(ctx)
	if err != nil {
		return Plan{}, err
	}
	var plan Plan
	if plan.Total, err = s.total(); err != nil {
		return plan, err
	}
	var list []retention.Archive
	byDigest := map[string]model.Staying{}
	now := s.Now()
	for _, a := range staying {
		byDigest[a.Digest.String()] = a
		x := retention.Archive{Digest: a.Digest.String(), Filename: a.Filename, Size: a.Size, Age: now.Sub(a.CreatedAt).Milliseconds(), Servers: a.Servers, Newer: a.Newer}
		if a.Lesson != "" {
			x.Wanted = a.Lesson + " learns its rulebook from it"
		}
		list = append(list, x)
	}
	drop, kept := p.Choose(list, plan.Total)
	plan.Kept = kept
	var past []model.PastDeployment
	if p.OlderThan > 0 && len(p.Only) == 0 {
		if past, err = s.Records.Past(ctx, now.Add(-time.Duration(p.OlderThan)*time.Millisecond)); err != nil {
			return plan, err
		}
	}
	// An archive that has to stay after all may need what another one holds: it is looked at
	// again without it, until none has to stay any more.
	for {
		tell(fmt.Sprintf("looking for what still needs any of %d downloads and %d ways back", len(drop), len(past)))
		again, err := s.weigh(ctx, &plan, drop, past, byDigest)
		if err != nil {
			return plan, err
		}
		if len(again) == len(drop) {
			break
		}
		drop = again
	}
	raw, err := json.Marshal([]any{plan.Archives, plan.Copies, plan.GivenUp})
	plan.Digest = fmt.Sprintf("%x", sha256.Sum256(raw))
	return plan, err
}

// weigh fills a plan in with what some archives and ways back free, and gives the archives
// that may go indeed.
func (s *Service) weigh(ctx context.Context, plan *Plan, drop []retention.Archive, past []model.PastDeployment, known map[string]model.Staying) (still []retention.Archive, err error) {
	plan.Archives, plan.Copies, plan.GivenUp, plan.gone, plan.except, plan.Freed = nil, nil, nil, nil, model.Except{}, 0
	type group struct {
		archive    *retention.Archive
		name       string
		containers []string
	}
	var groups []group
	var all []string
	for _, a := range drop {
		k := known[a.Digest]
		names, err := s.Room.Of(k.Digest)
		if err != nil {
			return nil, err
		}
		groups = append(groups, group{&a, a.Filename, names})
		plan.except.Archives, plan.except.Crates = append(plan.except.Archives, k.ID), append(plan.except.Crates, k.Crates...)
		all = append(all, names...)
	}
	for _, d := range past {
		plan.except.Deployments = append(plan.except.Deployments, d.ID)
		plan.GivenUp = append(plan.GivenUp, d.Name)
		name := stockroom.SegmentName(fmt.Sprintf("deployment-%d", d.ID))
		groups = append(groups, group{nil, d.Name, []string{name}})
		all = append(all, name)
	}
	spare, err := s.spare(all)
	if err != nil {
		return nil, err
	}
	for _, name := range spare {
		groups = append(groups, group{nil, strings.TrimPrefix(name, stockroom.SegmentName("")), []string{name}})
		all = append(all, name)
	}
	contents, err := s.Records.ContentsIn(ctx, all)
	if err != nil {
		return nil, err
	}
	wanted := map[tree.Digest]bool{}
	for _, in := range contents {
		for d := range in {
			wanted[d] = true
		}
	}
	needed := map[tree.Digest]bool{}
	if len(wanted) > 0 {
		if needed, err = s.Records.Mentioned(ctx, wanted, plan.except); err != nil {
			return nil, err
		}
	}
	for _, g := range groups {
		going := Going{Name: g.name}
		var gone []container
		for _, name := range g.containers {
			c := container{name: name}
			if c.size, err = s.Room.Size(name); err != nil {
				return nil, err
			}
			for d, size := range contents[name] {
				if needed[d] {
					c.needed = append(c.needed, d)
					going.Copied += size
				}
			}
			slices.SortFunc(c.needed, func(a, b tree.Digest) int { return strings.Compare(a.String(), b.String()) })
			going.Size += c.size
			gone = append(gone, c)
		}
		switch {
		case g.archive != nil && going.Copied*2 > going.Size: // nothing to speak of would be won
			plan.Kept = append(plan.Kept, retention.Kept{Archive: *g.archive, Why: "a way back, or something else, still needs what is in it"})
			continue
		case g.archive != nil:
			going.Digest = g.archive.Digest
			still = append(still, *g.archive)
			plan.Archives = append(plan.Archives, going)
		case going.Size == 0 || going.Copied*2 > going.Size:
			continue
		default:
			plan.Copies = append(plan.Copies, going)
		}
		plan.gone = append(plan.gone, gone...)
		plan.Freed += going.Size - going.Copied
	}
	return still, nil
}

// spare lists the segments that belong to no deployment: what was copied when the stockroom was
// tidied or mended before. Those that are listed already are not given.
func (s *Service) spare(listed []string) (out []string, err error) {
	names, err := s.Room.Containers()
	for _, name := range names {
		if strings.HasPrefix(name, stockroom.SegmentName("rescued-")) || strings.HasPrefix(name, stockroom.SegmentName("mended-")) {
			if !slices.Contains(listed, name) {
				out = append(out, name)
			}
		}
	}
	return out, err
}

// total is how many bytes the stockroom's containers take.
func (s *Service) total() (n int64, err error) {
	names, err := s.Room.Containers()
	for _, name := range names {
		size, e := s.Room.Size(name)
		n, err = n+size, errors.Join(err, e)
	}
	return n, err
}

// Tidy does what a plan says that a person has read: digest names it. It waits for nobody and
// keeps new work waiting meanwhile. What is still needed of a container is copied first.
func (s *Service) Tidy(ctx context.Context, p retention.Policy, digest, actor string, tell func(string)) (Plan, error) {
	done, ok := s.Room.Alone()
	if !ok {
		return Plan{}, fault.New(fault.Conflict, "stockroom-used", "something is under way that uses the stockroom, such as a deployment or a download that is being staged").WithMend("Nothing was freed. Try again once it is over.")
	}
	defer done()
	plan, err := s.Plan(ctx, p, tell)
	if err != nil {
		return plan, err
	}
	if plan.Digest != digest {
		return plan, fault.New(fault.Conflict, "other-plan", "what would be freed has changed since it was shown").WithMend("Nothing was freed. Look at it again.")
	}
	l := model.Letting{Except: plan.except, Moved: map[tree.Digest]model.Moved{},
		Note: fmt.Sprintf("its way back was given up on %s, when %s had the stockroom tidied: what only it needed is gone", s.Now().UTC().Format("2006-01-02"), actor)}
	if err := s.rescue(ctx, plan.gone, &l, tell); err != nil {
		return plan, fmt.Errorf("copy what is still needed; nothing was freed: %w", err)
	}
	for _, c := range plan.gone {
		l.Containers = append(l.Containers, c.name)
	}
	if err := s.Records.LetGo(ctx, l); err != nil {
		return plan, err
	}
	tell(fmt.Sprintf("deleting %d files of the stockroom", len(plan.gone)))
	return plan, s.Sweep(ctx)
}

// rescue copies what is still needed of containers into one of its own.
func (s *Service) rescue(ctx context.Context, gone []container, l *model.Letting, tell func(string)) error {
	var seg *stockroom.Segment
	for _, c := range gone {
		for _, d := range c.needed {
			if seg == nil {
				tell("copying what is still needed")
				var err error
				if seg, err = s.Room.Segment(fmt.Sprintf("rescued-%d", s.Now().UnixNano())); err != nil {
					return err
				}
				defer seg.Close()
			}
			r, err := s.Room.Open(ctx, d)
			if err != nil {
				return err
			}
			kept, same, err := seg.AppendOnly(ctx, r, d)
			if err = errors.Join(err, r.Close()); err != nil {
				return err
			}
			if !same {
				return fmt.Errorf("%s is not what it was", d.Short())
			}
			l.Moved[d] = model.Moved{Container: kept.Container, Start: kept.Span.Offset, Bytes: kept.Span.Length}
		}
	}
	if seg == nil {
		return nil
	}
	return seg.Sync()
}

// Sweep deletes the files of containers that nothing refers to any more: those of a plan that
// was just done, and what one that was killed has left.
func (s *Service) Sweep(ctx context.Context) error {
	names, err := s.Records.Leaving(ctx)
	if err != nil {
		return err
	}
	for _, name := range names {
		if err := s.Room.Remove(name); err != nil {
			return err
		}
		if err := s.Records.Left(ctx, name); err != nil {
			return err
		}
	}
	return nil
}
