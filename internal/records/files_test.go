package records

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Each whole list takes several connections. However many people ask for one, and however
// slowly they read, the others are not kept from the database.
func TestManyWholeListsAtOnceLeaveTheDatabaseUsable(t *testing.T) {
	db := open(t)
	s := server(t, db, "saltpan")
	var d draft.Draft
	for i := range 100 {
		d.Changes = append(d.Changes, draft.Change{Path: tree.Path(fmt.Sprintf("f%06d", i)), Before: tree.Nothing, After: content("x"), ClaimsAfter: claims("lamps@1")})
	}
	recorded(t, db, s.ID, d, false)
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	var g errgroup.Group
	var whole, reading atomic.Int32
	slow := make(chan struct{})
	for range 60 {
		g.Go(func() error {
			return db.EachFiles(ctx, s.ID, "", "", func(some []model.File) error {
				reading.Add(1)
				<-slow
				if len(some) == 100 {
					whole.Add(1)
				}
				return nil
			})
		})
	}
	for reading.Load() == 0 && ctx.Err() == nil {
		time.Sleep(time.Millisecond)
	}
	_, err := db.Server(ctx, "saltpan")
	require.NoError(t, err, "while they read slowly")
	close(slow)
	require.NoError(t, g.Wait())
	require.EqualValues(t, 60, whole.Load())
}
