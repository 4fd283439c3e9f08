package insight

import (
	"context"
	"runtime"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

// known is what is known of a rulebook's crates, whatever server they are on.
type known struct {
	book    *rulebook.Book
	told    told
	members []model.PalletMember
}

func (s *Service) known(ctx context.Context, name string) (k known, err error) {
	if k.book, _, err = s.Books.Book(ctx, name); err != nil {
		return k, err
	}
	all, err := s.Records.CrateFacts(ctx, name)
	if err != nil {
		return k, err
	}
	k.told = factsOf(all)
	k.members, err = s.Records.PalletMembers(ctx, name)
	return k, err
}

// Statuses is what is on each of some servers, in their order. What is known of a rulebook is read
// once for all of its servers.
func (s *Service) Statuses(ctx context.Context, names []string) ([]Status, error) {
	out := make([]Status, len(names))
	var mu sync.Mutex
	read := map[string]func() (known, error){}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	once := func(_ context.Context, book string) (known, error) {
		mu.Lock()
		if read[book] == nil {
			read[book] = sync.OnceValues(func() (known, error) { return s.known(ctx, book) })
		}
		it := read[book]
		mu.Unlock()
		return it()
	}
	for i, name := range names {
		g.Go(func() (err error) {
			out[i], err = s.status(ctx, name, once)
			return err
		})
	}
	return out, g.Wait()
}
