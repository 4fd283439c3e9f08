package client_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/assembly/testservice"
	"restlesscrate/internal/client"
	"restlesscrate/internal/core/power"
)

func problem(t *testing.T, err error) *api.Problem {
	t.Helper()
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	return p
}

// From an archive to a rollback, call by call.
func TestTheWholeJobThroughTheClient(t *testing.T) {
	s := testservice.New(t)
	ctx := t.Context()
	root := s.Reef(t, "shoal")
	st := s.StagePart(t, "anchor", "1.0", map[string]string{"chain.txt": "short", "README.md": "hello"})
	require.Equal(t, "anchor@1.0", st.Rulebooks[0].Crates[0].Label)
	s.StagePart(t, "anchor", "1.1", map[string]string{"chain.txt": "long"})

	books, err := s.Rulebooks(ctx)
	require.NoError(t, err)
	require.Len(t, books, 1)
	crates, err := s.Crates(ctx, "reef", "anchor")
	require.NoError(t, err)
	require.Equal(t, "anchor@1.1", crates[0].Label, "the newest first")
	one, err := s.Crate(ctx, "anchor@1.0", "reef")
	require.NoError(t, err)
	require.Equal(t, 2, one.FileCount)
	notes, err := s.Readme(ctx, "anchor@1.0", "reef")
	require.NoError(t, err)
	require.Equal(t, []api.Readme{{Path: "anchor/README.md", Text: "hello"}}, notes)
	diff, err := s.CompareCrates(ctx, "anchor@1.0", "anchor@1.1", "reef")
	require.NoError(t, err)
	require.Len(t, diff.Files, 2, "a text and the manifest")

	var told []string
	d, err := s.Draft(ctx, "shoal", api.NewDraft{Crates: []string{"anchor@1.0"}}, func(e api.JobEvent) { told = append(told, e.Data.Text) })
	require.NoError(t, err)
	require.NotEmpty(t, told, "who waits is told what is looked at")
	require.Equal(t, "draft", d.State)
	require.NoFileExists(t, filepath.Join(root, "parts/anchor/chain.txt"))
	_, err = s.Run(ctx, "shoal", d.Number, api.RunDraft{Digest: strings.Repeat("0", 64)}, nil)
	require.Equal(t, "other-draft", problem(t, err).Code, "only what was read is run")
	d, err = s.Run(ctx, "shoal", d.Number, api.RunDraft{Digest: d.Digest}, nil)
	require.NoError(t, err)
	require.Equal(t, "done", d.State)
	s.Deploy(t, "shoal", "anchor@1.1")
	text, err := os.ReadFile(filepath.Join(root, "parts/anchor/chain.txt"))
	require.NoError(t, err)
	require.Equal(t, "long", string(text))

	status, err := s.Status(ctx, "shoal")
	require.NoError(t, err)
	require.Equal(t, "1.1", status.Addons[0].Version)
	files, err := s.Files(ctx, "shoal", "parts/anchor")
	require.NoError(t, err)
	require.Len(t, files, 2)
	events, err := s.History(ctx, "shoal", "parts/anchor/chain.txt", "")
	require.NoError(t, err)
	require.Len(t, events, 2)
	all, err := s.Deployments(ctx, "shoal")
	require.NoError(t, err)
	require.Len(t, all, 2)

	back, err := s.Draft(ctx, "shoal", api.NewDraft{Rollback: &api.Rollback{Addon: "anchor"}}, nil)
	require.NoError(t, err)
	back, err = s.Run(ctx, "shoal", back.Number, api.RunDraft{Digest: back.Digest}, nil)
	require.NoError(t, err)
	require.Equal(t, "rollback", back.Kind)
	text, err = os.ReadFile(filepath.Join(root, "parts/anchor/chain.txt"))
	require.NoError(t, err)
	require.Equal(t, "short", string(text))
}

// What the service refuses is a problem, with what would help as data.
func TestWhatIsRefusedIsAProblem(t *testing.T) {
	s := testservice.New(t)
	ctx := t.Context()
	root := s.Reef(t, "shoal")
	for code, call := range map[string]func() error{
		"server-unknown":     func() error { _, err := s.Server(ctx, "nowhere"); return err },
		"rulebook-unknown":   func() error { _, err := s.Rulebook(ctx, "nothing", 0); return err },
		"crate-unknown":      func() error { _, err := s.Crate(ctx, "nothing@1", ""); return err },
		"deployment-unknown": func() error { _, err := s.Deployment(ctx, "shoal", 9); return err },
		"rulebook-faults":    func() error { _, err := s.AddRulebook(ctx, "format: 9", false); return err },
		"no-control":         func() error { _, err := s.Standing(ctx, "shoal"); return err },
		"bad-control": func() error {
			return s.SetControl(ctx, "shoal", api.SetControl{Control: &power.Control{Acts: map[power.Act]power.Way{"halt": {By: power.ByHand, Command: "x"}}}})
		},
		"in-use":        func() error { return s.DropRulebook(ctx, "reef") },
		"addon-unknown": func() error { return s.Confirm(ctx, "shoal", "anchor", "") },
		"token-unknown": func() error { return s.EndToken(ctx, 99) },
	} {
		p := problem(t, call())
		require.Equal(t, code, p.Code)
		require.NotEmpty(t, p.Detail, code)
		require.NotZero(t, p.Exit, code)
	}
	p := problem(t, func() error { _, err := s.Deployment(ctx, "shoal", 9); return err }())
	require.Equal(t, []api.Remedy{{Do: "show-deployments", On: "shoal"}}, p.Remedies)

	s.StagePart(t, "anchor", "1.0", nil)
	require.NoError(t, os.MkdirAll(filepath.Join(root, "parts/anchor"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "parts/anchor/part.toml"), []byte("somebody's own"), 0o644))
	d, err := s.Draft(ctx, "shoal", api.NewDraft{Crates: []string{"anchor"}}, nil)
	require.NoError(t, err)
	_, err = s.Run(ctx, "shoal", d.Number, api.RunDraft{Digest: d.Digest}, nil)
	p = problem(t, err)
	require.Equal(t, "blocked", p.Code)
	require.Equal(t, 3, p.Exit)
	require.Equal(t, "older-copy", p.Findings[0].Code)
	require.Equal(t, "parts/anchor", p.Findings[0].Path)
	_, err = s.Run(ctx, "shoal", d.Number, api.RunDraft{Digest: d.Digest, Accept: []string{"older-copy=parts/anchor"}}, nil)
	require.NoError(t, err)
}

// A wrong token signs nobody in, an ended one no more, and no service at all is told from
// both.
func TestWhoIsSignedIn(t *testing.T) {
	s := testservice.New(t)
	ctx := t.Context()
	_, err := client.New(s.URL, "rc_wrong").Servers(ctx)
	require.Equal(t, "not-signed-in", problem(t, err).Code)
	made, err := s.MakeToken(ctx, "jo")
	require.NoError(t, err)
	jo := client.New(s.URL, made.Secret)
	_, err = jo.Servers(ctx)
	require.NoError(t, err)
	tokens, err := s.Tokens(ctx)
	require.NoError(t, err)
	require.Len(t, tokens, 2)
	require.NoError(t, s.EndToken(ctx, made.ID))
	_, err = jo.Servers(ctx)
	require.Equal(t, "not-signed-in", problem(t, err).Code)
	_, err = client.New("http://127.0.0.1:1", "x").Servers(ctx)
	var gone *client.UnreachableError
	require.ErrorAs(t, err, &gone)
}

// Lists of many pages are given whole.
func TestPagesAreGathered(t *testing.T) {
	s := testservice.New(t)
	s.Reef(t, "shoal")
	texts := map[string]string{}
	for i := range 1200 {
		texts["links/"+strings.Repeat("x", i%7)+string(rune('a'+i%26))+strings.Repeat("y", i/26)] = "link"
	}
	s.StagePart(t, "anchor", "1.0", texts)
	s.Deploy(t, "shoal", "anchor")
	files, err := s.Files(t.Context(), "shoal", "")
	require.NoError(t, err)
	require.Len(t, files, len(texts)+1)
	seen := map[string]bool{}
	for _, f := range files {
		require.False(t, seen[f.Path], f.Path)
		seen[f.Path] = true
	}
}
