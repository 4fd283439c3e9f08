package verify

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/testbed/findingtest"
	"restlesscrate/internal/testbed/recordstest"
)

const harbour = `format: 1
name: harbour
title: Harbour
places: {fixtures: {path: fixtures}}
kinds:
  fixture:
    recognise: {single: "*.tdx"}
    put: [{take: "*", place: fixtures, as: "{file}"}]
log:
  file: harbour.log
  ready: '^open$'
  loaded: '^(?P<name>\S+) (?P<version>\S+) lit$'
  failed: '^(?P<name>\S+) stays dark: (?P<why>.*)$'
  error: '^trouble:'
  harmless: '^trouble: gulls$'
`

// heard is what a server says of itself after a start.
type heard struct {
	log     string
	console error
}

func (h heard) LogSince(context.Context, deploy.LogMark) (string, error) { return h.log, nil }

func (h heard) Answers(context.Context, []string) (map[string]string, error) { return nil, nil }

func (h heard) Ask(context.Context) ([]rollcall.Heard, bool, error) { return nil, false, h.console }

// found is what is told of lamps@1, which a deployment has brought and a list names.
func (h heard) found(t *testing.T) []finding.Finding {
	db, err := recordstest.Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	books := &catalog.Service{Records: db}
	_, _, err = books.AddRulebook(t.Context(), []byte(harbour), false, "me")
	require.NoError(t, err)
	s := &Verifier{Records: db, Catalog: books}
	book, err := rulebook.Parse([]byte(harbour))
	require.NoError(t, err)
	claim := draft.Claim{Addon: "lamps", Label: "lamps@1", Role: draft.Owns}
	ledger := map[tree.Path]draft.Row{
		"fixtures/lamps.tdx": {State: tree.State{Being: tree.Content}, Claims: []draft.Claim{claim}},
		"harbour.list":       {Listed: []draft.Listing{{Addon: "lamps", Label: "lamps@1", Key: "lamps"}}},
	}
	roll, found, err := s.callRoll(t.Context(), model.Server{}, h, book, deploy.LogMark{}, ledger)
	require.NoError(t, err)
	more, err := s.findingsOf(t.Context(), model.Server{Name: "saltpan", Rulebook: book.Name}, roll, nil, map[string]bool{"lamps": true})
	require.NoError(t, err)
	return append(found, more...)
}

func TestEveryFindingOfARollCallIsSaidWhereItIsSoAndNowhereElse(t *testing.T) {
	lit := "lamps 1 lit\nopen\n"
	for code, c := range map[string]struct{ is, near heard }{
		"not-loaded":       {heard{log: "lamps stays dark: no oil\nopen\n"}, heard{log: "lamps wait for oil\n" + lit}},
		"silent":           {heard{log: "open\n"}, heard{log: lit}},
		"loaded-otherwise": {heard{log: "lamps 2 lit\nopen\n"}, heard{log: lit}},
		"log-trouble":      {heard{log: lit + "trouble: a leak\n"}, heard{log: lit + "trouble: gulls\n"}},
		"console-silent":   {heard{lit, errors.New("nobody answers")}, heard{log: lit}},
	} {
		t.Run(code, func(t *testing.T) {
			findingtest.Said(t, code, c.is.found(t), c.near.found(t))
		})
	}
	require.Empty(t, heard{log: lit}.found(t), "nothing is said of what is as it should be")
}

func TestAnEditThatTheServerHasTakenBackIsToldAndNoOther(t *testing.T) {
	root := t.TempDir()
	h, err := remote.OpenLocal(root)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.Close()) })
	list := settings.List{Form: settings.LineForm, Entry: "call {key}"}
	d := &model.Deployment{Draft: draft.Draft{Changes: []draft.Change{{Path: "fair.order", After: tree.State{Being: tree.Content},
		Edits: []draft.Edit{{Op: settings.Op{List: list, Do: settings.Add, Key: "lamps"}}}}}}}
	told := func(text string) (out []string) {
		require.NoError(t, os.WriteFile(filepath.Join(root, "fair.order"), []byte(text), 0o600))
		found, err := heldEdits(t.Context(), h, d)
		require.NoError(t, err)
		for _, f := range found {
			out = append(out, f.Code)
		}
		return out
	}
	require.Equal(t, []string{"edit-not-held"}, told("call gulls\n"))
	require.Empty(t, told("# written anew\ncall gulls\ncall lamps\n"), "it was written over, and the entry is there")
	twice := &d.Draft.Changes[0]
	twice.Edits = append(twice.Edits, draft.Edit{Op: settings.Op{List: list, Do: settings.Drop, Key: "lamps"}})
	require.Empty(t, told("call gulls\n"), "the later edit takes the earlier back: what they come to holds")
	require.Equal(t, []string{"edit-not-held"}, told("call gulls\ncall lamps\n"))
	require.NoError(t, os.Remove(filepath.Join(root, "fair.order")))
	found, err := heldEdits(t.Context(), h, d)
	require.NoError(t, err)
	require.Equal(t, "fair.order was edited, and is gone since the start.", found[0].What)
}
