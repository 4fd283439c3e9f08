package insight

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

// counted counts how often a rulebook is read.
type counted struct {
	books
	n *atomic.Int32
}

func (c counted) Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error) {
	c.n.Add(1)
	return c.books.Book(ctx, name)
}

// Several servers are told as each one alone, in their order, also for two callers at once; what is
// known of their rulebook is read once for each caller.
func TestServersAreToldTogetherAsEachAlone(t *testing.T) {
	w := open(t)
	one := w.crate("1", "one")
	w.crate("2", "two")
	names := []string{"saltpan"}
	for i := range 7 {
		srv, err := w.db.AddServer(t.Context(), model.Server{Name: fmt.Sprintf("pier-%d", i), Rulebook: "harbour", Transport: model.Transport{Kind: "folder", Root: fmt.Sprint("/srv/", i)}})
		require.NoError(t, err)
		names = append(names, srv.Name)
	}
	w.run(w.draft(draft.Change{Path: "lamp", After: content("one"), ClaimsAfter: claim(one)}))
	var want []Status
	for _, n := range names {
		st, err := w.Status(t.Context(), n)
		require.NoError(t, err)
		want = append(want, st)
	}
	require.Equal(t, "2", want[0].Addons[0].Newer)
	var n atomic.Int32
	w.Books = counted{n: &n}
	got := make(chan []Status, 2)
	for range 2 {
		go func() {
			all, err := w.Statuses(t.Context(), names)
			if err != nil {
				t.Error(err)
			}
			got <- all
		}()
	}
	require.Equal(t, want, <-got)
	require.Equal(t, want, <-got)
	require.EqualValues(t, 2, n.Load())
	_, err := w.Statuses(t.Context(), append(names, "nowhere"))
	require.ErrorContains(t, err, `"nowhere"`)
}
