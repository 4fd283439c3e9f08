package records

import (
	"database/sql"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every table is either one that drafts are made from, and then whatever is written to it
// moves the basis, or one that they are not made from. A new table belongs into one of the
// two before this passes.
func TestWhateverADraftIsMadeFromMovesTheBasis(t *testing.T) {
	db := open(t)
	moves := map[string][]string{}
	for _, table := range []string{"rulebook_revision", "server", "secret", "addon", "addon_alias", "crate", "crate_archive", "correction", "choice", "kept_side", "pallet", "pallet_member",
		"recipe", "confirmation", "done_by_hand", "oddity", "roll_call", "container", "archive"} {
		moves[table] = []string{"DELETE", "INSERT", "UPDATE"}
	}
	moves["content"] = []string{"DELETE", "UPDATE"}                                                                                 // a new one comes with a container or an archive
	moves["moved"] = []string{"DELETE", "INSERT"}                                                                                   // written anew
	moves["secret_value"] = []string{"DELETE", "INSERT"}                                                                            // a mark is never another one
	moves["ledger_cause"] = []string{"INSERT"}                                                                                      // every event comes with one
	for _, table := range []string{"ledger_name", "ledger_claimant", "ledger_event", "ledger_path", "ledger_claim", "ledger_addon", // follow from events
		"layout", "layout_crate", // how crates came to be
		"agree_look", "known_text", "survey", "survey_ignore", "addon_hold", "lesson", "leaving", "rhythm", "narrowing", "last_start", "feed", "schedule", "schedule_run", "server_group", "group_run", "kept_apart", "packlist", "packlist_state", "notice", "seen", // what was seen
		"deployment", "motion", "job", "job_event", "token", "session", "signin_link", "idempotency", "identity", "news", "goose_db_version", "sqlite_sequence"} {
		moves[table] = nil
	}
	tables, err := all(t.Context(), db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT name FROM sqlite_schema WHERE type = 'table'`)
	require.NoError(t, err)
	for _, table := range tables {
		want, decided := moves[table]
		require.True(t, decided, "is a draft made from what is in %s?", table)
		got, err := all(t.Context(), db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) },
			`SELECT CASE WHEN sql LIKE '%AFTER INSERT ON%' THEN 'INSERT' WHEN sql LIKE '%AFTER UPDATE O%' THEN 'UPDATE' WHEN sql LIKE '%AFTER DELETE ON%' THEN 'DELETE' END
			FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = ? AND sql LIKE '%SET basis = basis + 1%' ORDER BY 1`, table)
		require.NoError(t, err)
		slices.Sort(got)
		require.Equal(t, want, got, table)
	}

	before, err := db.Basis(t.Context())
	require.NoError(t, err)
	srv := server(t, db, "saltpan")
	after, err := db.Basis(t.Context())
	require.NoError(t, err)
	require.Greater(t, after, before, "a server was added")
	d := drafted(t, db, srv)
	still, err := db.Basis(t.Context())
	require.NoError(t, err)
	require.Equal(t, after, still, "a draft is made from no other draft")
	finish(t, db, d)
	moved, err := db.Basis(t.Context())
	require.NoError(t, err)
	require.Greater(t, moved, still, "a deployment is done")
}
