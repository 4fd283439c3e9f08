// Package files answers what is on a server path by path: its tree folder by folder, where a
// name stands, and what stood at a path at any time, as far as the stockroom still holds that.
// It reads records and the stockroom and connects to nothing.
package files

import (
	"cmp"
	"context"
	"errors"
	"io"
	"slices"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/survey"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Records is what this service reads.
type Records interface {
	FolderOf(ctx context.Context, server int64, in tree.Path) ([]model.FolderSum, []model.File, error)
	FindPaths(ctx context.Context, server int64, words []string, limit int) ([]model.FoundPath, error)
	EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error)
	LastSurvey(ctx context.Context, server int64) (model.Survey, error)
	SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error)
}

// Service answers.
type Service struct {
	Records Records
	Find    func(ctx context.Context, name string) (model.Server, error)
	Book    func(ctx context.Context, name string) (*rulebook.Book, error)
	Open    func(ctx context.Context, d tree.Digest) (io.ReadCloser, error) // of the stockroom
	// NotHeld tells whether an error of Open means that the content is not kept, or not soundly.
	NotHeld func(error) bool
}

// Row is one line of a folder.
type Row struct {
	Name   string
	Folder bool
	Files  int   // of a folder, recorded at whatever depth
	Size   int64 // of a file, or of all files of a folder
	File   *model.File
	// Mark is how the last survey found it: changed, missing or unknown; empty where as recorded.
	Mark survey.Kind
	// Marked is how many paths below a folder a survey found otherwise than recorded.
	Marked int
}

// Folder gives what is directly in a folder of a server, folders first, with what the last survey
// found there that nobody deployed.
func (s *Service) Folder(ctx context.Context, server string, in tree.Path) (rows []Row, at int64, err error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return nil, 0, err
	}
	folders, files, err := s.Records.FolderOf(ctx, srv.ID, in)
	if err != nil {
		return nil, 0, err
	}
	byName := map[string]*Row{}
	add := func(r Row) *Row {
		rows = append(rows, r)
		return &rows[len(rows)-1]
	}
	rows = make([]Row, 0, len(folders)+len(files)+16)
	for _, f := range folders {
		byName[f.Name] = add(Row{Name: f.Name, Folder: true, Files: f.Files, Size: f.Bytes})
	}
	for _, f := range files {
		byName[f.Path.Base()] = add(Row{Name: f.Path.Base(), Size: f.State.Size, File: &f})
	}
	look, err := s.Records.LastSurvey(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return sorted(rows), 0, nil
	}
	if err != nil {
		return nil, 0, err
	}
	marks := map[string]Row{}
	for _, i := range look.Items {
		rest, below := i.Path, true
		if in != tree.Root {
			var text string
			if text, below = strings.CutPrefix(string(i.Path), string(in)+"/"); !below {
				continue
			}
			rest = tree.Path(text)
		}
		name, _, deeper := strings.Cut(string(rest), "/")
		m := marks[name]
		m.Name, m.Marked = name, m.Marked+1
		if !deeper {
			m.Mark, m.Folder, m.Files, m.Size = i.Kind, i.Is.Being == tree.Folder || i.Was.Being == tree.Folder, i.Files, i.Is.Size+i.Bytes
		} else {
			m.Folder = true
		}
		marks[name] = m
	}
	for name, m := range marks {
		if r := byName[name]; r != nil {
			r.Mark, r.Marked = m.Mark, m.Marked
			continue
		}
		add(m)
	}
	return sorted(rows), look.At.UnixMilli(), nil
}

func sorted(rows []Row) []Row {
	slices.SortFunc(rows, func(a, b Row) int {
		if a.Folder != b.Folder {
			if a.Folder {
				return -1
			}
			return 1
		}
		return cmp.Compare(a.Name, b.Name)
	})
	return rows
}

// mostFound is how many paths are found at a time.
const mostFound = 200

// Search finds paths by words that all stand in them; with an empty server, on all servers.
func (s *Service) Search(ctx context.Context, server, typed string) (list []model.FoundPath, err error) {
	words := strings.Fields(typed)
	if len(words) == 0 {
		return nil, fault.New(fault.Usage, "nothing-to-find", "say what is to be found")
	}
	var id int64
	if server != "" {
		srv, err := s.Find(ctx, server)
		if err != nil {
			return nil, err
		}
		id = srv.ID
	}
	list, err = s.Records.FindPaths(ctx, id, words, mostFound)
	return slices.DeleteFunc(list, func(f model.FoundPath) bool { return !f.There && !f.Gone }), err
}
