// Package testservice is a whole service in the process of a test: over a real database,
// stockroom and key file in a folder of the test's own, answering on a loopback address.
package testservice

import (
	"bytes"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/assembly"
	"restlesscrate/internal/client"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/httpapi"
	"restlesscrate/internal/records"
	"restlesscrate/internal/seal"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/recordstest"
)

// Service is a running service, and a client that is signed in.
type Service struct {
	*assembly.Service
	*client.Client
	DB         *records.DB
	URL, Token string

	data string
}

// Data is the folder that holds everything of it.
func (s *Service) Data() string { return s.data }

// New starts one. It ends with the test.
func New(t testing.TB) *Service {
	t.Helper()
	data := t.TempDir()
	db, err := recordstest.Open(t.Context(), filepath.Join(data, "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	room, err := stockroom.Open(filepath.Join(data, "stock"), db)
	require.NoError(t, err)
	sealer, err := seal.Open(filepath.Join(data, "seal.key"))
	require.NoError(t, err)
	s := &Service{DB: db, Token: httpapi.NewToken(), data: data}
	db.SealWith(sealer)
	parts := assembly.Parts{DB: db, Room: room, Sealer: sealer, Data: data, Self: deploy.Holder{Service: "test", Machine: "here"}, Version: "test",
		BaseURL: func() string { return s.URL }, Integrity: db.Integrity, Log: slog.New(slog.NewTextHandler(io.Discard, nil))}
	s.Service, err = assembly.New(t.Context(), parts, assembly.NewCatalog(parts))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Service.Close()) })
	_, err = db.AddToken(t.Context(), "mara", sealer.Keyed(httpapi.TokenPurpose, httpapi.Hash(s.Token)))
	require.NoError(t, err)
	srv := httptest.NewServer(s.API.Handler())
	t.Cleanup(func() { // streams end with their jobs, and the server waits for them
		s.Service.Stop()
		srv.CloseClientConnections()
		srv.Close()
	})
	s.URL = srv.URL
	s.Client = client.New(s.URL, s.Token)
	return s
}

// Reef is the rulebook of a small made-up game: an add-on is a folder with a part.toml.
const Reef = `format: 1
name: reef
title: The Reef
places:
  parts: {path: parts, about: one folder per part}
protected: [reef.seal]
kinds:
  part:
    about: a folder with a part.toml
    recognise: {marker: part.toml}
    version:
      read: {file: part.toml, at: /version}
    put:
      - leave: ["*.md"]
        because: notes are for people
      - {take: "**", place: parts, as: "{name}/{path}"}
`

// Reef adds a server of that game in a folder of the test's own, tests it, and gives the
// folder.
func (s *Service) Reef(t testing.TB, name string) (root string) {
	t.Helper()
	_, err := s.AddRulebook(t.Context(), Reef, false)
	require.NoError(t, err)
	root = t.TempDir()
	_, err = s.AddServer(t.Context(), api.NewServer{Name: name, Rulebook: "reef", Transport: api.Transport{Kind: "folder", Root: root}})
	require.NoError(t, err)
	_, err = s.TestServer(t.Context(), name)
	require.NoError(t, err)
	return root
}

// StagePart stages a version of a part; texts are its files by path in its folder.
func (s *Service) StagePart(t testing.TB, name, version string, texts map[string]string) api.Staged {
	t.Helper()
	files := map[string]string{name + "/part.toml": "version = \"" + version + "\"\n"}
	for p, text := range texts {
		files[name+"/"+p] = text
	}
	raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), name+"-"+version+".zip"), files))
	require.NoError(t, err)
	st, err := s.Stage(t.Context(), client.Staging{Filename: name + "-" + version + ".zip"}, bytes.NewReader(raw), int64(len(raw)), nil)
	require.NoError(t, err)
	return st
}

// Deploy drafts crates onto a server and runs the draft.
func (s *Service) Deploy(t testing.TB, server string, crates ...string) api.Deployment {
	t.Helper()
	d, err := s.Draft(t.Context(), server, api.NewDraft{Crates: crates}, nil)
	require.NoError(t, err)
	d, err = s.Run(t.Context(), server, d.Number, api.RunDraft{Digest: d.Digest}, nil)
	require.NoError(t, err)
	require.Equal(t, "done", d.State)
	return d
}
