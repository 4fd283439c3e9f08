// Package inbox stages what comes into folders of the service's own machine: a folder that is
// shared on the net, or that another program downloads into.
package inbox

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/watch"
)

// Actor is who stages what comes so.
const Actor = "a watched folder"

// Service watches folders.
type Service struct {
	Catalog *catalog.Service
	Jobs    *jobs.Engine
	// Staged gives what staging made, as a job has it.
	Staged func(ctx context.Context, st catalog.Staged) (any, error)
	Log    *slog.Logger
	State  string // the file in which is kept what was dealt with

	globs []string // of names that staging makes something of
	asked time.Time
}

const (
	every    = time.Second
	settle   = 3 * time.Second
	askAgain = 30 * time.Second // rulebooks may have changed
	tryAgain = time.Minute
)

// Keep stages what comes into folders, until ctx ends. What lies in one that is watched for the
// first time is left alone. The folders have to be there.
func (s *Service) Keep(ctx context.Context, folders []string) error {
	w := &watch.Watcher{Settle: settle, Now: time.Now, State: s.State, Takes: s.takes}
	for _, f := range folders {
		abs, err := filepath.Abs(f)
		if err != nil {
			return err
		}
		w.Folders = append(w.Folders, abs)
	}
	if err := s.ask(ctx); err != nil {
		return err
	}
	old, err := w.Open(false)
	if err != nil {
		return fmt.Errorf("watch: %w", err)
	}
	s.Log.Info("watching", "folders", w.Folders, "there already", old)
	go s.keep(ctx, w)
	return nil
}

func (s *Service) keep(ctx context.Context, w *watch.Watcher) {
	again := map[string]time.Time{} // what could not be staged, and when it is tried again
	trouble := ""
	warn := func(err error) {
		if said := err.Error(); said != trouble {
			trouble = said
			s.Log.Warn("a watched folder", "err", err)
		}
	}
	for {
		if err := s.ask(ctx); err != nil {
			warn(err)
		}
		whole, err := w.Look()
		if err != nil {
			warn(err)
		}
		for _, file := range whole {
			if time.Now().Before(again[file]) {
				continue
			}
			err := s.stage(ctx, file)
			var refused *fault.Error
			if ctx.Err() != nil {
				return
			}
			if err != nil && !errors.As(err, &refused) { // such as a full disk
				s.Log.Warn("not staged yet", "file", file, "err", err)
				again[file] = time.Now().Add(tryAgain)
				continue
			}
			delete(again, file)
			if err := w.Did(file); err != nil {
				warn(err)
			}
			// Told once it is noted: from then on a service begun anew leaves the file alone.
			if err != nil { // it was looked at, and is no download
				s.Log.Warn("not staged", "file", file, "err", err)
			} else {
				s.Log.Info("staged", "file", file)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}

// stage stages one download in a job, and waits for its end.
func (s *Service) stage(ctx context.Context, file string) error {
	ended := make(chan error, 1)
	_, err := s.Jobs.Start(ctx, jobs.What{Kind: "stage", Subject: filepath.Base(file), Actor: Actor}, func(ctx context.Context, tell progress.Tell) (any, error) {
		made, err := s.work(ctx, file, tell)
		ended <- err
		return made, err
	})
	if err != nil {
		return err
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (s *Service) work(ctx context.Context, file string, tell progress.Tell) (any, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	u, err := s.Catalog.Receive(ctx, filepath.Base(file), f)
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	st, err := s.Catalog.Stage(ctx, u, "", Actor, tell.Look)
	if err != nil {
		return nil, err
	}
	return s.Staged(ctx, st)
}

// ask asks the rulebooks which files they know, from time to time.
func (s *Service) ask(ctx context.Context) error {
	if time.Since(s.asked) < askAgain && s.globs != nil {
		return nil
	}
	s.asked = time.Now()
	all, err := s.Catalog.Rulebooks(ctx)
	if err != nil {
		return err
	}
	if len(all) == 0 { // nothing could be made of it: it waits
		s.globs = []string{}
		return nil
	}
	globs := slices.Clone(watch.Packed)
	for _, rev := range all {
		b, _, err := s.Catalog.Book(ctx, rev.Name)
		if err != nil {
			return err
		}
		globs = append(globs, singles(b)...)
	}
	s.globs = globs
	return nil
}

func singles(b *rulebook.Book) (globs []string) {
	for _, k := range b.Kinds {
		globs = append(globs, k.Single...)
	}
	return globs
}

func (s *Service) takes(name string) bool { return watch.Named(name, s.globs) }
