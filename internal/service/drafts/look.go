package drafts

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/words"
)

// look observes what the request needs and makes the draft. kept is what [Service.unchanged]
// has to know of it, without the deployment; nil where a second look has to be whole.
func (s *Drafter) look(ctx context.Context, srv model.Server, h remote.Host, req *draft.Request, basis int64, tell progress.Tell) (made *draft.Draft, kept *Recalled, err error) {
	s.Recall.Keep(nil, 0) // two long ones are not to be in memory at a time
	if h, err = Moved(ctx, h, req.Moves); err != nil {
		return nil, nil, err
	}
	plan := draft.Look(req)
	tell.Look(fmt.Sprintf("looking at %s on %s", words.Count(len(plan.Folders), "folder"), srv.Name))
	if free, err := h.Free(ctx); err == nil {
		req.Host.Free = free
	}
	req.Host.SideBySide = h.InFlight()
	if len(req.Data)+len(req.Returns) > 0 {
		if req.Host.Rate, err = s.rate(ctx, srv); err != nil {
			return nil, nil, err
		}
	}
	lookedAt := s.HostNow(srv)
	asked, missing := concerned(req), map[tree.Digest]bool{}
	var obs draft.Observations
	var read []tree.Path
	var glance []glimpse
	g, gctx := errgroup.WithContext(ctx)
	g.Go(func() (err error) { // what is asked of the stockroom is known already, nearly all of it
		missing, err = s.Records.Lacking(gctx, asked)
		return err
	})
	g.Go(func() (err error) {
		if obs, read, glance, err = s.List(gctx, h, plan); err != nil {
			return fmt.Errorf("look at %s: %w", srv.Name, err)
		}
		return nil
	})
	if err := g.Wait(); err != nil {
		return nil, nil, err
	}
	beside, err := s.doubles(ctx, srv, h, plan, &obs, req)
	if err != nil {
		return nil, nil, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	glance = append(glance, beside...)
	if len(read) > 0 {
		tell.Look(fmt.Sprintf("reading %s to compare the bytes", words.Count(len(read), "file")))
	}
	if err := copiesThere(ctx, h, req); err != nil {
		return nil, nil, err
	}
	if err := listTrees(ctx, h, obs, plan.Trees); err != nil {
		return nil, nil, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	if obs.Texts, err = ReadTexts(ctx, h, obs, plan); err != nil {
		return nil, nil, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	proved, err := s.read(ctx, srv, h, obs, read, req)
	if err != nil {
		return nil, nil, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	if err := s.Records.Refresh(ctx, srv.ID, proved); err != nil {
		return nil, nil, err
	}
	more, err := s.Records.Lacking(ctx, unasked(obs, asked))
	if err != nil {
		return nil, nil, err
	}
	maps.Copy(missing, more)
	req.Held = func(d tree.Digest) bool { return !missing[d] }
	// Reading every archive's listing takes its time, and it is asked only where something is gone.
	from := sync.OnceValue(func() map[tree.Digest][]string {
		held, err := s.Records.ArchivesHolding(ctx, slices.Collect(maps.Keys(missing)))
		if err != nil {
			return nil // then the finding says less
		}
		return held
	})
	req.HeldBy = func(d tree.Digest) []string { return from()[d] }
	if free := s.Free(); free >= 0 {
		req.Own = max(1, free)
	}
	if req.Shipped, err = s.shipped(ctx, plan.Contents()); err != nil {
		return nil, nil, err
	}
	power := req.Power
	made = plan.Make(obs)
	if made.LookedAt = lookedAt; len(read)+len(plan.Texts)+len(plan.Trees)+len(made.Deferred)+len(made.Moves) == 0 {
		kept = &Recalled{made: made, basis: basis, facts: srv.Known(), power: power, glance: glance}
	}
	return made, kept, nil
}

// shipped reads the texts that add-ons brought and bring, as far as the stockroom holds them.
func (s *Drafter) shipped(ctx context.Context, contents []tree.Digest) (map[tree.Digest][]byte, error) {
	out := map[tree.Digest][]byte{}
	for _, d := range contents {
		raw, ok, err := s.Bytes(ctx, d, draft.LongestMerge)
		if err != nil {
			return nil, fmt.Errorf("read what an add-on brings: %w", err)
		}
		if ok { // without it nothing is merged
			out[d] = raw
		}
	}
	return out, nil
}

// unasked lists the contents that were seen and of which nobody has asked yet whether
// the stockroom holds them. What was asked is sorted.
func unasked(obs draft.Observations, asked []tree.Digest) (out []tree.Digest) {
	for _, s := range obs.Paths {
		if _, known := slices.BinarySearchFunc(asked, s.State.Digest, tree.Digest.Compare); !known {
			out = append(out, s.State.Digest)
		}
	}
	return once(out)
}

// once sorts contents and names each of them once, and those that are not known not at
// all.
func once(all []tree.Digest) []tree.Digest {
	slices.SortFunc(all, tree.Digest.Compare)
	all = slices.Compact(all)
	if len(all) > 0 && all[0].IsZero() {
		all = all[1:]
	}
	return all
}

// concerned lists every content that a draft may ask for, as far as that is known before
// the server is looked at.
func concerned(req *draft.Request) (all []tree.Digest) {
	for _, w := range req.Wanted {
		for _, f := range w.Files {
			all = append(all, f.Digest)
		}
	}
	for _, r := range req.Back {
		all = append(all, r.To.Digest)
	}
	for _, row := range req.Ledger {
		all = append(all, row.State.Digest)
		if len(row.Claims) < 2 && !slices.ContainsFunc(row.Claims, func(c draft.Claim) bool { return c.Role == draft.Overlays }) {
			continue // what stands there is among what was seen
		}
		for _, c := range row.Claims {
			all = append(all, c.Brings.Digest)
		}
	}
	for _, r := range req.Returns {
		for _, s := range r.Files {
			all = append(all, s.Digest)
		}
	}
	return once(all)
}

// List lists the planned folders level by level and gives the files whose
// bytes must be read, and what the folders held in short.
func (s *Drafter) List(ctx context.Context, h remote.Host, plan draft.Plan) (obs draft.Observations, read []tree.Path, glance []glimpse, err error) {
	obs = draft.Observations{Paths: map[tree.Path]draft.Seen{}}
	var mu sync.Mutex
	for level := plan.Folders; len(level) > 0; {
		n := 1
		for n < len(level) && level[n].Depth() == level[0].Depth() {
			n++
		}
		var there []tree.Path
		for _, folder := range level[:n] {
			if folder == tree.Root || obs.At(folder).State.Being == tree.Folder {
				there = append(there, folder)
			}
		}
		g, gctx := errgroup.WithContext(ctx)
		g.SetLimit(max(1, h.InFlight()/2)) // a listing is several calls
		for _, folder := range there {
			g.Go(func() error {
				list, err := h.List(gctx, folder)
				if errors.Is(err, fs.ErrNotExist) && folder != tree.Root {
					return nil
				}
				if err != nil {
					return err
				}
				g := glimpse{folder: folder, full: plan.Full(folder)}
				g.sum = sumOf(list, g.full)
				mu.Lock()
				defer mu.Unlock()
				glance = append(glance, g)
				for _, i := range list {
					if strings.HasPrefix(i.Name, string(draft.Work)) {
						continue // ours, and gone in a moment
					}
					p := folder.Join(tree.Path(i.Name))
					seen := draft.Seen{State: tree.State{Being: i.Being, Mode: i.Mode}, Modified: i.Modified}
					if i.Being == tree.Content {
						seen.State.Size = i.Size
						if plan.NeedsBytes(p, seen) {
							read = append(read, p)
						} else {
							seen.State.Digest = plan.Known(p)
						}
					}
					obs.Paths[p] = seen
				}
				return nil
			})
		}
		if err := g.Wait(); err != nil {
			return obs, nil, nil, err
		}
		level = level[n:]
	}
	return obs, read, glance, nil
}

// ReadTexts reads the texts that are to be edited, and notes their digests.
func ReadTexts(ctx context.Context, h remote.Host, obs draft.Observations, plan draft.Plan) (map[tree.Path][]byte, error) {
	out := map[tree.Path][]byte{}
	for _, p := range plan.Texts {
		seen := obs.At(p)
		if seen.State.Being != tree.Content || !plan.NeedsText(p, seen) {
			continue
		}
		text, err := deploy.ReadText(ctx, h, p)
		if err != nil {
			return nil, err
		}
		seen.State.Digest, seen.State.Size = tree.Sum(text), int64(len(text))
		out[p], obs.Paths[p] = text, seen
	}
	return out, nil
}

// read hashes files in place. It gives what the host reports of those that
// turned out to be what the ledger knows, so that the next look may trust it.
func (s *Drafter) read(ctx context.Context, srv model.Server, h remote.Host, obs draft.Observations, paths []tree.Path, req *draft.Request) (map[tree.Path]draft.Reported, error) {
	proved := map[tree.Path]draft.Reported{}
	seenAt := s.HostNow(srv)
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, h.InFlight()))
	for _, p := range paths {
		g.Go(func() error {
			mu.Lock()
			size := obs.Paths[p].State.Size
			mu.Unlock()
			d, err := deploy.HashOf(gctx, h, p, size)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			seen := obs.Paths[p]
			seen.State.Digest = d
			obs.Paths[p] = seen
			if row, ok := req.Ledger[p]; ok && row.State.SameBytes(seen.State) {
				proved[p] = draft.Reported{Size: seen.State.Size, Modified: seen.Modified, SeenAt: seenAt}
			}
			return nil
		})
	}
	return proved, g.Wait()
}

// HostNow is a time by the host's clock that is not later than now, as far as
// the last test of the host tells; 0 where that clock is not known.
func (s *Drafter) HostNow(srv model.Server) int64 {
	if srv.Abilities == nil || !Plausible(srv.Abilities.Skew) {
		return 0
	}
	return s.Now().UnixMilli() + srv.Abilities.Skew
}

// Plausible tells whether a host's clock may be off by so much. Hosts that tell
// times of another zone as if they were ours are off by less than a day and a
// bit; what is off by more tells no times worth trusting.
func Plausible(skew int64) bool {
	const most = 26 * 60 * 60 * 1000
	return -most < skew && skew < most
}

// Draft looks at the server and makes the draft of what was prepared from the records as
// they were with that basis.
func (s *Drafter) Draft(ctx context.Context, srv model.Server, h remote.Host, ask requests.Ask, req *draft.Request, basis int64, tell progress.Tell) (made *draft.Draft, kept *Recalled, err error) {
	if req.Power, err = s.Power(ctx, srv, h, ask); err != nil {
		return nil, nil, err
	}
	return s.look(ctx, srv, h, req, basis, tell)
}

// Redraft drafts what a deployment asks for once more, unless all is as it was then. It tells
// whether the draft is still the same.
func (s *Drafter) Redraft(ctx context.Context, srv model.Server, h remote.Host, d model.Deployment, tell progress.Tell) (made *draft.Draft, same bool, err error) {
	b, _, err := s.Requests.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, false, err
	}
	srv, drifts, err := Actual(ctx, h, b, srv, s.Now())
	if err != nil {
		return nil, false, err
	}
	if made, err = s.unchanged(ctx, srv, h, d, drifts); made != nil || err != nil {
		return made, err == nil, err
	}
	ask, err := requests.Read(d.Ask)
	if err != nil {
		return nil, false, err
	}
	_, req, err := s.Requests.Make(ctx, srv, ask)
	if err != nil {
		return nil, false, err
	}
	req.Drifts = drifts
	if made, _, err = s.Draft(ctx, srv, h, ask, req, 0, tell); err != nil {
		return nil, false, err
	}
	return made, made.Digest() == d.Digest, nil
}
