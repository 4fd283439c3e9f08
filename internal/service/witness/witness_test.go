package witness

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/changes"
	"restlesscrate/internal/testbed/recordstest"
)

// onSaltpan knows one server with lamps on it.
type onSaltpan struct {
	changes.Hosts
	srv   model.Server
	crate tree.Digest
}

func (o onSaltpan) Find(context.Context, string) (model.Server, error) { return o.srv, nil }

func (o onSaltpan) Addon(_ context.Context, server, addon string) (model.Server, tree.Digest, error) {
	if addon != "lamps" && addon != "Lamps" {
		return o.srv, tree.Digest{}, fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on %s", addon, server)
	}
	return o.srv, o.crate, nil
}

func open(t *testing.T) (*Service, *records.DB, model.Server) {
	t.Helper()
	db, err := recordstest.Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	srv, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "harbour", Transport: model.Transport{Kind: "folder", Root: "/srv"}})
	require.NoError(t, err)
	on := onSaltpan{srv: srv, crate: tree.Sum([]byte("lamps"))}
	return &Service{Records: db, Catalog: &catalog.Service{Records: db}, Hosts: on, Addons: on}, db, srv
}

func TestWhatIsOddAndHarmlessIsNotedOnceAndForgotten(t *testing.T) {
	s, db, _ := open(t)
	require.NoError(t, s.NoteOddity(t.Context(), "saltpan", "Lamps", " warns of wicks at start ", "mara"))
	require.NoError(t, s.NoteOddity(t.Context(), "saltpan", "lamps", "warns of wicks at start", "jo"))
	noted, err := db.Oddities(t.Context(), "harbour")
	require.NoError(t, err)
	require.Len(t, noted, 1, "one thing, however its name and its words were written")
	require.Equal(t, "warns of wicks at start", noted[0].Text)

	require.ErrorContains(t, s.NoteOddity(t.Context(), "saltpan", "gulls", "shriek", "mara"), `there is no add-on "gulls" on saltpan`)
	require.ErrorContains(t, s.NoteOddity(t.Context(), "saltpan", "lamps", "  ", "mara"), "say what is odd")
	err = s.ForgetOddity(t.Context(), "saltpan", "lamps", "smokes")
	require.Equal(t, "oddity-unknown", fault.As(err).Code)
	require.NoError(t, s.ForgetOddity(t.Context(), "saltpan", "Lamps", "warns of wicks at start"))
	noted, err = db.Oddities(t.Context(), "harbour")
	require.NoError(t, err)
	require.Empty(t, noted)
}

func TestWhoSawAnAddOnWorkIsRecordedOfItsCrate(t *testing.T) {
	s, db, srv := open(t)
	require.NoError(t, s.Confirm(t.Context(), "saltpan", "Lamps", "lit at night", "mara"))
	all, err := db.Confirmations(t.Context(), srv.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	require.Equal(t, [4]any{"lamps", tree.Sum([]byte("lamps")), "lit at night", "mara"}, [4]any{all[0].Addon, all[0].Crate, all[0].Note, all[0].Actor})
	require.ErrorContains(t, s.Confirm(t.Context(), "saltpan", "gulls", "", "mara"), `no add-on "gulls"`)
}
