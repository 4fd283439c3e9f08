package records

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// The ledger as the version before kept it, in JSON, says the same once it is carried
// over.
func TestALedgerOfTheVersionBeforeIsCarriedOver(t *testing.T) {
	file := filepath.Join(t.TempDir(), "records.db")
	old, err := sql.Open("sqlite", "file:"+file+"?_pragma=foreign_keys(1)")
	require.NoError(t, err)
	steps, err := goose.NewProvider(goose.DialectSQLite3, old, migrationFiles(t), goose.WithGoMigrations(packListings()))
	require.NoError(t, err)
	_, err = steps.UpTo(t.Context(), 15)
	require.NoError(t, err)
	one, two, crate := tree.Sum([]byte("one")), tree.Sum([]byte("two")), tree.Sum([]byte("crate"))
	claim := fmt.Sprintf(`[{"addon":"lamps","label":"Lamps@1","crate":%q,"role":"owns","brings":{"digest":%q,"size":3}},{"addon":"signs","label":"Signs@2","crate":%q,"role":"shares"}]`, crate, one, crate)
	state := func(d tree.Digest) string {
		return fmt.Sprintf(`{"being":"content","digest":%q,"size":3,"mode":420}`, d)
	}
	_, err = old.ExecContext(t.Context(), `
		INSERT INTO server (id, name, rulebook, transport, created_at) VALUES (1, 'saltpan', 'x', '{}', 1);
		INSERT INTO deployment (id, server_id, number, kind, title, state, ask, digest, draft, actor, created_at) VALUES (5, 1, 1, 'deploy', 't', 'done', '{}', '', '{}', 'me', 1);
		INSERT INTO ledger_event (seq, server_id, path, before, after, claims_before, claims_after, edit, cause, deployment_id, actor, at) VALUES
			(3, 1, 'f', '{"being":"absent"}', '{"being":"folder","mode":493}', '[]', '[]', '{}', 'deployment', 5, 'me', 100),
			(4, 1, 'f/a', '{"being":"absent"}', ?1, 'null', ?2, '{}', 'deployment', 5, 'me', 101),
			(5, 1, 'list', ?1, ?3, '[]', '[]', '{"after":[{"addon":"lamps","label":"Lamps@1"}]}', 'deployment', 5, 'me', 102);
		INSERT INTO ledger_path (server_id, path, state, reported, listed, seq) VALUES (1, 'f', '{"being":"folder","mode":493}', '{}', 'null', 3),
			(1, 'f/a', ?1, '{"size":3,"modified":77,"seenAt":99}', 'null', 4), (1, 'list', ?3, '{}', '[{"addon":"lamps","label":"Lamps@1"}]', 5);
		INSERT INTO ledger_claim (server_id, path, addon, label, crate, role, brings) VALUES (1, 'f/a', 'lamps', 'Lamps@1', ?4, 'owns', ?5), (1, 'f/a', 'signs', 'Signs@2', ?4, 'shares', '{}');`,
		state(one), claim, state(two), crate.String(), fmt.Sprintf(`{"digest":%q,"size":3}`, one))
	require.NoError(t, err)
	require.NoError(t, old.Close())

	db, err := Open(t.Context(), file, time.Now)
	require.NoError(t, err)
	defer db.Close()
	ledger, err := db.Ledger(t.Context(), 1)
	require.NoError(t, err)
	claims := []draft.Claim{{Addon: "lamps", Label: "Lamps@1", Crate: crate, Role: draft.Owns, Brings: draft.Bytes{Digest: one, Size: 3}}, {Addon: "signs", Label: "Signs@2", Crate: crate, Role: draft.Shares}}
	listed := []draft.Listing{{Addon: "lamps", Label: "Lamps@1"}}
	require.Equal(t, map[tree.Path]draft.Row{
		"f":    {State: tree.State{Being: tree.Folder, Mode: 0o755}},
		"f/a":  {State: tree.State{Being: tree.Content, Digest: one, Size: 3, Mode: 0o644}, Claims: claims, Reported: draft.Reported{Size: 3, Modified: 77, SeenAt: 99}},
		"list": {State: tree.State{Being: tree.Content, Digest: two, Size: 3, Mode: 0o644}, Listed: listed},
	}, ledger)
	events, err := db.Events(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, events, 3)
	require.Equal(t, draft.Event{Seq: 4, Deployment: "saltpan#1", Change: draft.Change{Path: "f/a", Before: tree.Nothing, After: ledger["f/a"].State, ClaimsAfter: claims}}, events[1].Event)
	require.Equal(t, listed, events[2].Change.ListedAfter)
	require.EqualValues(t, 100, events[2].At.UnixMilli(), "one deployment is one cause")
	last, err := db.LastSeq(t.Context(), 1, 1)
	require.NoError(t, err)
	require.EqualValues(t, 5, last)
	sums, err := db.Sums(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, sums, 2)
	require.Equal(t, model.Sum{Addon: "lamps", Label: "Lamps@1", Crate: crate, Files: 1, Bytes: 3, Seq: 4, Deployment: "saltpan#1", At: time.UnixMilli(100).UTC()}, sums[0])
}

// Whatever is deployed one after another, the sums of add-ons are what their paths add
// up to, a part of the ledger is that part, and all of it can be derived again.
func TestSumsAndPartsOfTheLedgerAreThoseOfTheWhole(t *testing.T) {
	db, n := open(t), 0
	rapid.Check(t, func(r *rapid.T) {
		n++
		s := server(t, db, fmt.Sprintf("s%d", n))
		for range rapid.IntRange(1, 5).Draw(r, "deployments") {
			var changes []draft.Change
			seen := map[tree.Path]bool{}
			for range rapid.IntRange(1, 8).Draw(r, "changes") {
				p := tree.Path(rapid.SampledFrom([]string{"a", "a/b", "a/b/c", "a-x", "d", "d/e", "ab"}).Draw(r, "path"))
				if seen[p] {
					continue
				}
				seen[p] = true
				c := draft.Change{Path: p, Before: tree.Nothing, After: tree.Nothing}
				for _, addon := range rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"lamps", "signs", "gulls"}), 0, 3, rapid.ID).Draw(r, "who") {
					c.ClaimsAfter = append(c.ClaimsAfter, draft.Claim{Addon: addon, Label: addon + "@" + rapid.SampledFrom([]string{"1", "2"}).Draw(r, "version"), Crate: tree.Sum([]byte(addon)),
						Role: rapid.SampledFrom(roles).Draw(r, "role")})
				}
				if rapid.Bool().Draw(r, "there") {
					c.After = content(rapid.SampledFrom([]string{"one", "three", ""}).Draw(r, "text"))
				}
				slices.SortFunc(c.ClaimsAfter, func(a, b draft.Claim) int { return strings.Compare(a.Addon, b.Addon) })
				changes = append(changes, c)
			}
			concluded(r, db, drafted(t, db, s), changes)
		}
		whole, err := db.Ledger(t.Context(), s.ID)
		require.NoError(r, err)
		files, bytes := map[string]int{}, map[string]int64{}
		for _, row := range whole {
			for _, c := range row.Claims {
				files[c.Label]++
				bytes[c.Label] += row.State.Size
			}
		}
		sums, err := db.Sums(t.Context(), s.ID)
		require.NoError(r, err)
		require.Len(r, sums, len(files))
		for _, sum := range sums {
			require.Equal(r, files[sum.Label], sum.Files)
			require.Equal(r, bytes[sum.Label], sum.Bytes)
		}
		part, err := db.LedgerOf(t.Context(), s.ID, []string{"lamps"}, []tree.Path{"d/e"})
		require.NoError(r, err)
		for p, row := range whole {
			mine := slices.ContainsFunc(row.Claims, func(c draft.Claim) bool { return c.Addon == "lamps" || c.Role == draft.Overlays })
			if mine || p == "d/e" || p == "d" {
				require.Equal(r, row, part[p], p)
			}
		}
		for p, row := range part {
			require.Equal(r, whole[p], row, p)
		}
		var paged []tree.Path
		for after := tree.Path(""); ; {
			page, err := db.FilesOf(t.Context(), s.ID, "a", after, 2)
			require.NoError(r, err)
			for _, f := range page {
				paged = append(paged, f.Path)
				require.ElementsMatch(r, whole[f.Path].Claims, f.Claims)
			}
			if len(page) < 1 {
				break
			}
			after = page[len(page)-1].Path
		}
		var want []tree.Path
		for p, row := range whole {
			if p.Within("a") && row.State.Being == tree.Content {
				want = append(want, p)
			}
		}
		slices.Sort(want)
		require.Equal(r, want, paged)
		require.NoError(r, db.Rebuild(t.Context(), s.ID))
		again, err := db.Ledger(t.Context(), s.ID)
		require.NoError(r, err)
		for p, row := range again {
			row.Reported = whole[p].Reported
			require.Equal(r, whole[p], row)
		}
	})
}

// concluded records a deployment that made some changes.
func concluded(t require.TestingT, db *DB, d model.Deployment, changes []draft.Change) {
	ctx := context.Background()
	require.NoError(t, db.Advance(ctx, d.ID, model.Queued, model.Draft))
	require.NoError(t, db.Advance(ctx, d.ID, model.Running, model.Queued))
	d.Draft.Changes = changes
	require.NoError(t, db.Finish(ctx, d, nil, false))
}

// A folder that was taken in as it lay there is nobody's once that is taken back; one that a
// deployment has made stays known.
func TestAFolderThatWasTakenInAndGivenBackIsForgotten(t *testing.T) {
	db := open(t)
	s := server(t, db, "here")
	folder := tree.State{Being: tree.Folder, Mode: 0o755}
	claims := []draft.Claim{{Addon: "lamps", Label: "lamps@1", Crate: tree.Sum([]byte("lamps")), Role: draft.Owns}}
	for _, before := range []tree.State{folder, tree.Nothing} {
		p := tree.Path(fmt.Sprintf("stalls/%d", before.Being))
		concluded(t, db, drafted(t, db, s), []draft.Change{{Path: p, Before: before, After: folder, ClaimsAfter: claims}})
		concluded(t, db, drafted(t, db, s), []draft.Change{{Path: p, Before: folder, After: folder, ClaimsBefore: claims}})
		ledger, err := db.Ledger(t.Context(), s.ID)
		require.NoError(t, err)
		require.Equal(t, before == tree.Nothing, ledger[p].State == folder)
	}
}
