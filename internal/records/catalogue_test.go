package records

import (
	"database/sql"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// staged records an archive and a rulebook to lay it out by.
func staged(t *testing.T, db *DB, name string) (model.Archive, model.Revision) {
	t.Helper()
	rev, _, err := db.AddRevision(t.Context(), model.Revision{Name: "moss", Title: "Moss", Text: []byte("x"), Digest: "d", Actor: "me"})
	require.NoError(t, err)
	d := tree.Sum([]byte(name))
	a, err := db.AddArchive(t.Context(), model.Archive{Digest: d, Size: 3, Filename: name, Format: "zip", Container: "archives/" + name,
		Findings: []finding.Finding{{Level: finding.Note, Code: "hidden", What: "h"}}, Actor: "me"},
		[]tree.Entry{{Path: "a", Size: 1, Digest: tree.Sum([]byte("a"))}, {Path: "d", Dir: true}},
		map[string][]stockroom.Held{"archives/" + name: {{Digest: d, Span: stockroom.Span{Length: 3, Size: 3, Method: stockroom.Stored}}},
			"packs/" + name: {{Digest: tree.Sum([]byte("a")), Span: stockroom.Span{Offset: 5, Length: 1, Size: 1, Method: stockroom.Stored}}}})
	require.NoError(t, err)
	return a, rev
}

func crate(name, version, text string) *layout.Crate {
	return &layout.Crate{Rulebook: "moss", Kind: "cave", Name: name, Version: version, Files: []layout.File{{Place: "caves", Path: "a", Digest: tree.Sum([]byte(text)), Size: 1}}, Left: []layout.Left{}}
}

func TestAnArchiveIsRecordedWithWhatThereIsToKnowOfIt(t *testing.T) {
	db := open(t)
	a, _ := staged(t, db, "x.zip")
	require.Equal(t, "h", a.Findings[0].What)
	entries, err := db.Entries(t.Context(), a.ID)
	require.NoError(t, err)
	require.Equal(t, []tree.Entry{{Path: "a", Size: 1, Digest: tree.Sum([]byte("a"))}, {Path: "d", Dir: true}}, entries)
	at, err := db.Locate(t.Context(), tree.Sum([]byte("a")))
	require.NoError(t, err)
	require.Equal(t, "packs/x.zip", at.Container)
	require.EqualValues(t, 5, at.Offset)
	all, err := db.Containers(t.Context())
	require.NoError(t, err)
	require.Equal(t, map[string]bool{"archives/x.zip": true, "packs/x.zip": true}, all)
}

func TestALayoutIsKeptWithItsCorrectionsCratesAndPallet(t *testing.T) {
	db := open(t)
	a, rev := staged(t, db, "tour-1.zip")
	res := layout.Result{Crates: []*layout.Crate{crate("hall", "1", "h"), crate("shaft", "1", "s")}, Pallet: &layout.Pallet{Name: "tour", Version: "1"},
		Findings: []finding.Finding{{Level: finding.Note, Code: "left-of-pack", What: "l"}}}
	_, err := db.LaidOut(t.Context(), a.ID, rev.ID, "")
	require.ErrorIs(t, err, model.ErrNotFound)
	for range 2 { // the second time changes nothing
		laid, err := db.AddLayout(t.Context(), a.ID, rev.ID, "", res, "me")
		require.NoError(t, err)
		again, err := db.LaidOut(t.Context(), a.ID, rev.ID, "")
		require.NoError(t, err)
		require.Equal(t, "tour@1", again.Pallet)
		require.Equal(t, laid.Pallet, again.Pallet)
		require.Equal(t, res.Findings, again.Findings)
		require.Equal(t, []string{"hall@1", "shaft@1"}, []string{again.Crates[0].Body.Label(), again.Crates[1].Body.Label()})
		require.Equal(t, laid.Crates[0].Digest, again.Crates[0].Digest)
		require.Equal(t, laid.Crates[0].ID, again.Crates[0].ID)
	}
	_, err = db.LaidOut(t.Context(), a.ID, rev.ID, "corrected")
	require.ErrorIs(t, err, model.ErrNotFound, "other corrections are another layout")
	pallets, err := db.Pallets(t.Context(), "moss", "tour")
	require.NoError(t, err)
	require.Len(t, pallets, 1)
	require.Len(t, pallets[0].Members, 2)

	crates, err := db.Crates(t.Context(), "moss", "hall", 0, 10)
	require.NoError(t, err)
	require.NoError(t, db.DropCrate(t.Context(), crates[0]))
	_, err = db.LaidOut(t.Context(), a.ID, rev.ID, "")
	require.ErrorIs(t, err, model.ErrNotFound, "a crate was dropped: it is laid out again")
	_, err = db.AddLayout(t.Context(), a.ID, rev.ID, "", res, "me")
	require.NoError(t, err)
	crates, err = db.Crates(t.Context(), "moss", "hall", 0, 10)
	require.NoError(t, err)
	require.Len(t, crates, 1, "and is in the list again")
}

func TestCorrectionsAndChoicesAreKept(t *testing.T) {
	db := open(t)
	s := server(t, db, "a")
	for _, rules := range []string{"one", "two"} {
		require.NoError(t, db.Correct(t.Context(), "moss", "hall", "me", func(c *model.Correction) { c.Rules += rules; c.Name = "great-hall" }))
	}
	got, err := db.Corrections(t.Context(), "moss")
	require.NoError(t, err)
	require.Equal(t, map[string]model.Correction{"hall": {Name: "great-hall", Rules: "onetwo"}}, got)
	got, err = db.Corrections(t.Context(), "other")
	require.NoError(t, err)
	require.Empty(t, got)
	require.NoError(t, db.SaveChoices(t.Context(), s.ID, map[string][]string{"hall": {"wet"}}))
	require.NoError(t, db.SaveChoices(t.Context(), s.ID, map[string][]string{"hall": {}, "shaft": {"deep"}}))
	parts, err := db.Choices(t.Context(), s.ID)
	require.NoError(t, err)
	require.Equal(t, map[string][]string{"hall": {}, "shaft": {"deep"}}, parts)
}

func TestRowsBeyondOneStatementAreAllInserted(t *testing.T) {
	db := open(t)
	for _, n := range []int{0, 1, together - 1, together, together + 1, 3*together + 7} {
		var held []stockroom.Held
		for i := range n {
			held = append(held, stockroom.Held{Digest: tree.Sum(fmt.Append(nil, n, i)), Span: stockroom.Span{Offset: int64(i), Length: 1, Size: 2, Method: stockroom.Deflated}})
		}
		name := fmt.Sprint("archives/", n)
		_, err := db.AddArchive(t.Context(), model.Archive{Digest: tree.Sum([]byte(fmt.Sprint(n))), Filename: "x", Container: name}, nil, map[string][]stockroom.Held{name: held})
		require.NoError(t, err)
		for i := range n {
			at, err := db.Locate(t.Context(), tree.Sum(fmt.Append(nil, n, i)))
			require.NoError(t, err)
			require.Equal(t, stockroom.Location{Container: name, Span: stockroom.Span{Offset: int64(i), Length: 1, Size: 2, Method: stockroom.Deflated}}, at)
		}
	}
}

func TestWhatIsLackingIsToldOfFewAndOfMany(t *testing.T) {
	for _, n := range []int{0, 1, 1201, 10_501} {
		db := open(t)
		held := []stockroom.Held{{Digest: tree.Digest{}}, {Digest: tree.Sum([]byte("not asked for"))}}
		var asked []tree.Digest
		want := map[tree.Digest]bool{}
		for i := range n {
			d := tree.Sum(fmt.Append(nil, i))
			asked = append(asked, d)
			if i%3 == 0 {
				held = append(held, stockroom.Held{Digest: d, Span: stockroom.Span{Method: stockroom.Stored}})
			} else {
				want[d] = true
			}
		}
		slices.SortFunc(asked, tree.Digest.Compare)
		_, err := db.AddArchive(t.Context(), model.Archive{Digest: tree.Sum([]byte("a")), Filename: "x", Container: "archives/a"}, nil, map[string][]stockroom.Held{"archives/a": held})
		require.NoError(t, err)
		if n > 0 { // what is there in vain counts as not there
			require.NoError(t, db.Damaged(t.Context(), tree.Sum(fmt.Append(nil, 0))))
			want[tree.Sum(fmt.Append(nil, 0))] = true
		}
		got, err := db.Lacking(t.Context(), asked)
		require.NoError(t, err)
		require.Equal(t, want, got)
	}
}

func TestAContentIsIndexedOnceOverAllArchives(t *testing.T) {
	db := open(t)
	lamp := tree.Sum([]byte("lamp"))
	at := func(n int64, m stockroom.Method) stockroom.Span {
		return stockroom.Span{Offset: n, Length: 4, Size: 4, Method: m}
	}
	for _, c := range []struct {
		name   string
		span   stockroom.Span
		wanted string
	}{
		{"archives/1", at(10, stockroom.Deflated), "archives/1"},
		{"archives/2", at(20, stockroom.Deflated), "archives/1"}, // it is there already
		{"archives/3", at(30, stockroom.Stored), "archives/3"},   // as it is: read faster, and anywhere
		{"archives/4", at(40, stockroom.Deflated), "archives/3"},
	} {
		_, err := db.AddArchive(t.Context(), model.Archive{Digest: tree.Sum([]byte(c.name)), Filename: "x", Container: c.name}, nil, map[string][]stockroom.Held{c.name: {{Digest: lamp, Span: c.span}}})
		require.NoError(t, err)
		got, err := db.Locate(t.Context(), lamp)
		require.NoError(t, err)
		require.Equal(t, c.wanted, got.Container)
	}
	var rows int
	require.NoError(t, db.sql.QueryRowContext(t.Context(), `SELECT count(*) FROM content`).Scan(&rows))
	require.Equal(t, 1, rows)
}

func TestRecordsOfTheFirstVersionAreCarriedOver(t *testing.T) {
	file := filepath.Join(t.TempDir(), "records.db")
	old, err := sql.Open("sqlite", file)
	require.NoError(t, err)
	steps, err := goose.NewProvider(goose.DialectSQLite3, old, migrationFiles(t))
	require.NoError(t, err)
	_, err = steps.UpTo(t.Context(), 1)
	require.NoError(t, err)
	_, err = old.ExecContext(t.Context(), `
		INSERT INTO container VALUES (1, 'archives/x', 'archive');
		INSERT INTO rulebook_revision (id, name, number, title, text, digest, actor, created_at) VALUES (1, 'moss', 1, 'Moss', 'x', 'd', 'me', 1);
		INSERT INTO archive (id, digest, size, filename, format, container_id, actor, created_at) VALUES (1, ?1, 3, 'x.zip', 'zip', 1, 'me', 1);
		INSERT INTO archive_entry VALUES (1, 'a/lamp.txt', 0, 4, ?2, 1), (1, 'a', 1, 0, '', 0);
		INSERT INTO location VALUES (?2, 1, 9, 3, 4, 'deflate'), (?1, 1, 0, 3, 3, 'stored');
		INSERT INTO addon VALUES (1, 'moss', 'hall', 'hall');
		INSERT INTO crate (id, digest, addon_id, version, revision_id, body, findings, actor, created_at) VALUES (1, ?1, 1, '1', 1, '{"name":"hall","version":"1","files":[{"place":"caves","path":"a/lamp.txt","source":"a/lamp.txt","reason":"because","line":3}],"left":[]}', '[]', 'me', 1);
		INSERT INTO layout (archive_id, revision_id, corrections, crate_id, findings) VALUES (1, 1, '', 1, '[]');`, tree.Sum([]byte("x")).String(), tree.Sum([]byte("lamp")).String())
	require.NoError(t, err)
	require.NoError(t, old.Close())

	db, err := Open(t.Context(), file, time.Now)
	require.NoError(t, err)
	defer db.Close()
	laid, err := db.LaidOut(t.Context(), 1, 1, "")
	require.NoError(t, err)
	require.Len(t, laid.Crates, 1)
	require.Equal(t, "hall@1", laid.Crates[0].Body.Label())
	a, err := db.Archive(t.Context(), tree.Sum([]byte("x")))
	require.NoError(t, err)
	require.Empty(t, a.Findings)
	require.Equal(t, []layout.File{{Place: "caves", Path: "a/lamp.txt", Source: "a/lamp.txt", Reason: "because", Line: 3}}, laid.Crates[0].Body.Files)
	entries, err := db.Entries(t.Context(), 1)
	require.NoError(t, err)
	require.Equal(t, []tree.Entry{{Path: "a", Dir: true}, {Path: "a/lamp.txt", Size: 4, Digest: tree.Sum([]byte("lamp")), Exec: true}}, entries)
	at, err := db.Locate(t.Context(), tree.Sum([]byte("lamp")))
	require.NoError(t, err)
	require.Equal(t, stockroom.Location{Container: "archives/x", Span: stockroom.Span{Offset: 9, Length: 3, Size: 4, Method: stockroom.Deflated}}, at)
}

// migrationFiles gives the migrations as the program has them.
func migrationFiles(t *testing.T) fs.FS {
	t.Helper()
	dir, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	return dir
}
