package records

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
)

// The journal of a long deployment takes room while it runs; once it is packed the file
// becomes small again.
func TestTheRoomOfAJournalIsGivenBack(t *testing.T) {
	file := filepath.Join(t.TempDir(), "records.db")
	db, err := Open(t.Context(), file, time.Now)
	require.NoError(t, err)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	d, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: s.ID, Kind: "deploy", Ask: []byte("{}"), Actor: "me"})
	require.NoError(t, err)
	var all []draft.Motion
	for i := range 100_000 {
		all = append(all, draft.Motion{ID: i + 1, Leg: 1, Kind: draft.SendMotion})
	}
	require.NoError(t, db.Intend(t.Context(), d.ID, all))
	for _, to := range []model.State{model.Queued, model.Running, model.Halted, model.Undoing, model.UndoneAll} {
		if to == model.Halted {
			require.NoError(t, db.Halt(t.Context(), d.ID, "x"))
			continue
		}
		require.NoError(t, db.Advance(t.Context(), d.ID, to, model.Draft, model.Queued, model.Halted, model.Undoing))
	}
	require.NoError(t, db.Close())
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.Less(t, info.Size(), int64(1<<20), "100,000 marks took more while they were rows")

	db, err = Open(t.Context(), file, time.Now)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	marks, err := db.Marks(t.Context(), d.ID)
	require.NoError(t, err)
	require.Equal(t, deploy.Intended, marks.At(deploy.Key{Leg: 1, Motion: 100_000}).State)
}
