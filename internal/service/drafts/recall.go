package drafts

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"io/fs"
	"maps"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// The draft that was made last is kept in memory for a while, with what it was made from.
// Where the records and the server are what they were when it is run, making it anew could
// only give the same, and a long one takes its time.

// recallFor is how long a draft that nobody runs is kept.
const recallFor = 10 * time.Minute

// Recalled is a draft with what it was made from.
type Recalled struct {
	deployment int64
	made       *draft.Draft
	basis      int64 // of the records; see [Records.Basis]
	power      *draft.Power
	glance     []glimpse
	facts      map[string]string // what was known of the server
	drifts     []draft.Drift     // values that texts held otherwise than the records
}

// glimpse is what one folder held, as far as it counts for a draft.
type glimpse struct {
	folder tree.Path
	full   bool // whether every file in it counts, and not only its name
	sum    [sha256.Size]byte
}

// Recall is the one draft that is kept. The zero value keeps none.
type Recall struct {
	mu   sync.Mutex
	last *Recalled
	gone *time.Timer
}

// Keep keeps a draft, which a deployment has, instead of the one before; nil keeps none.
func (r *Recall) Keep(last *Recalled, deployment int64) {
	if last != nil {
		last.deployment = deployment
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.gone != nil {
		r.gone.Stop()
	}
	if r.last = last; last == nil {
		return
	}
	r.gone = time.AfterFunc(recallFor, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		if r.last == last {
			r.last = nil
		}
	})
}

// claim gives the draft of a deployment if it is kept, and keeps it no longer.
func (r *Recall) claim(deployment int64) *Recalled {
	r.mu.Lock()
	defer r.mu.Unlock()
	last := r.last
	if last == nil || last.deployment != deployment {
		return nil
	}
	r.last = nil
	return last
}

// unchanged gives the draft of a deployment as it was made, where all that it was made
// from is still so; nil where it is not kept, or something has changed.
func (s *Drafter) unchanged(ctx context.Context, srv model.Server, h remote.Host, d model.Deployment, drifts []draft.Drift) (*draft.Draft, error) {
	last := s.Recall.claim(d.ID)
	if last == nil || !slices.Equal(drifts, last.drifts) || !maps.Equal(srv.Known(), last.facts) {
		return nil, nil
	}
	if basis, err := s.Records.Basis(ctx); err != nil || basis != last.basis {
		return nil, err
	}
	ask, err := requests.Read(d.Ask)
	if err != nil {
		return nil, err
	}
	power, err := s.Power(ctx, srv, h, ask)
	if err != nil || !reflect.DeepEqual(power, last.power) {
		return nil, err
	}
	// What is free changes by itself: it counts where it is too little.
	if free, err := h.Free(ctx); err == nil && free >= 0 && free < last.made.Counts.Send+last.made.Counts.Copied {
		return nil, nil
	}
	if free := s.Free(); free >= 0 && free < last.made.Counts.Keep {
		return nil, nil
	}
	lookedAt := s.HostNow(srv)
	same, err := looksSame(ctx, h, last.glance)
	if err != nil || !same {
		return nil, err
	}
	if basis, err := s.Records.Basis(ctx); err != nil || basis != last.basis {
		return nil, err
	}
	last.made.LookedAt = lookedAt
	return last.made, nil
}

// looksSame lists folders again and tells whether they hold what they held. A folder that
// was not there is looked for in the one above it.
func looksSame(ctx context.Context, h remote.Host, folders []glimpse) (bool, error) {
	errOther := errors.New("a folder holds something else now")
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, h.InFlight()/2)) // a listing is several calls
	for _, was := range folders {
		g.Go(func() error {
			list, err := h.List(gctx, was.folder)
			if errors.Is(err, fs.ErrNotExist) {
				return errOther
			}
			if err == nil && sumOf(list, was.full) != was.sum {
				err = errOther
			}
			return err
		})
	}
	err := g.Wait()
	if errors.Is(err, errOther) {
		return false, nil
	}
	return err == nil, err
}

// sumOf sums up what a folder holds: every name with what stands there and, where the
// folder is full, with what the host reports of files.
func sumOf(list []remote.Info, full bool) [sha256.Size]byte {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b remote.Info) int { return strings.Compare(a.Name, b.Name) })
	var b []byte
	for _, i := range list {
		if strings.HasPrefix(i.Name, string(draft.Work)) {
			continue // ours, and gone in a moment
		}
		b = append(binary.AppendVarint(b, int64(len(i.Name))), i.Name...)
		b = append(b, byte(i.Being))
		if full || i.Being != tree.Content {
			b = binary.AppendUvarint(b, uint64(i.Mode))
		}
		if full && i.Being == tree.Content {
			b = binary.AppendVarint(binary.AppendVarint(b, i.Size), i.Modified)
		}
	}
	return sha256.Sum256(b)
}
