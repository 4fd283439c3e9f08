package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"restlesscrate/internal/cli"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/records"
	"restlesscrate/internal/seal"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/words"
)

// What lies in the data folder.
const (
	recordsFile  = "records.db"
	stockFolder  = "stockroom"
	keyFile      = "seal.key"
	serviceFile  = "service.id"
	damagedWords = "Put a copy of %[1]s back that is whole, with its -wal and -shm files if there are any; without one, move %[1]s away and start with serve --recover, which finds archives and kept copies again, but no servers and no deployments."
)

// openStock opens the records and the stockroom, and makes sure that they belong
// together. Nothing is changed where they do not.
func (s *service) openStock(ctx context.Context, o cli.ServeOptions) (room *stockroom.Room, known map[string]bool, err error) {
	file := filepath.Join(o.Data, recordsFile)
	if _, err := os.Lstat(file); errors.Is(err, fs.ErrNotExist) && !o.Recover {
		if n := stored(filepath.Join(o.Data, stockFolder)); n > 0 {
			return nil, nil, stranger(o.Data, &stockroom.StrangerError{Containers: n})
		}
	}
	if s.db, err = records.Open(ctx, file, time.Now); err != nil {
		return nil, nil, err
	}
	s.closers = append(s.closers, s.db)
	if room, err = stockroom.Open(filepath.Join(o.Data, stockFolder), s.db); err != nil {
		return nil, nil, err
	}
	if known, err = s.db.Containers(ctx); err != nil {
		return nil, nil, err
	}
	now, err := s.db.Identity(ctx)
	if err != nil {
		return nil, nil, err
	}
	var other *stockroom.StrangerError
	if err := room.Check(now, known); errors.As(err, &other) && !o.Recover {
		return nil, nil, stranger(o.Data, other)
	} else if err != nil && other == nil {
		return nil, nil, err
	}
	return room, known, nil
}

// stored counts the containers of a stockroom folder without opening it.
func stored(folder string) (n int) {
	for _, sub := range []string{"archives/*/*", "segments/*", "packs/*", "derived/*"} {
		found, err := filepath.Glob(filepath.Join(folder, sub))
		if err == nil { // the pattern is ours
			n += len(found)
		}
	}
	return n
}

// stranger says what happened to a data folder whose parts do not belong together,
// and what can be done.
func stranger(data string, err *stockroom.StrangerError) error {
	return fault.New(fault.Conflict, "records-strange", "%v. Nothing was changed", err).
		WithMend("Put the right %s back, with its -wal and -shm files if there are any, into %s and start again. If it is lost for good: serve --recover goes on with the records as they are and finds archives and kept copies again from their own bytes.", recordsFile, data)
}

// settleStock recovers what the records do not know where that is asked for, sets
// the rest of it aside, and has the stockroom remember the records.
func (s *service) settleStock(ctx context.Context, room *stockroom.Room, known map[string]bool) error {
	moved, err := room.SetAside(func(name string) bool { return known[name] })
	if err != nil {
		return err
	}
	if n := len(moved); n > 0 {
		s.log.Warn("the stockroom holds what the records do not know, such as an interrupted write leaves; it was set aside, not deleted",
			"containers", n, "folder", stockFolder+"/aside", "first", moved[0])
	}
	k := &keeper{db: s.db, room: room, log: s.log}
	if err := k.keep(ctx); err != nil {
		return err
	}
	s.closers = append(s.closers, k.start(ctx))
	return nil
}

// keeper has the stockroom remember how far the records have come: every few
// seconds, and when the service stops.
type keeper struct {
	db   *records.DB
	room *stockroom.Room
	log  *slog.Logger
	last stockroom.Mark
	stop context.CancelFunc
	over chan struct{}
}

const keepEvery = 2 * time.Second

func (k *keeper) keep(ctx context.Context) error {
	now, err := k.db.Identity(ctx)
	if err != nil || now == k.last {
		return err
	}
	if err := k.room.SetMark(now); err != nil {
		return err
	}
	k.last = now
	return nil
}

func (k *keeper) start(ctx context.Context) *keeper {
	ctx, k.stop = context.WithCancel(context.WithoutCancel(ctx))
	k.over = make(chan struct{})
	go func() {
		defer close(k.over)
		t := time.NewTicker(keepEvery)
		defer t.Stop()
		failing := false
		for {
			select {
			case <-ctx.Done():
				return
			case <-t.C:
			}
			err := k.keep(ctx)
			if err != nil && ctx.Err() == nil && !failing { // said once
				k.log.Error("the stockroom's mark cannot be written", "err", err)
			}
			failing = err != nil
		}
	}()
	return k
}

// Close writes the mark once more.
func (k *keeper) Close() error {
	k.stop()
	<-k.over
	return k.keep(context.Background())
}

// openSealer opens the key file. Where credentials are sealed and the key is gone,
// a new one is made only if that is asked for: it opens none of them.
func (s *service) openSealer(ctx context.Context, o cli.ServeOptions) (*seal.Sealer, error) {
	file := filepath.Join(o.Data, keyFile)
	info, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) && !o.NewKey {
		n, err := s.db.SecretCount(ctx)
		if err != nil {
			return nil, err
		}
		texts, err := s.db.SealedTexts(ctx)
		if err != nil {
			return nil, err
		}
		if n+texts > 0 {
			return nil, fault.New(fault.Conflict, "key-gone", "the key file %s is gone, and %s sealed with it", file, sealedWith(n, texts)).
				WithMend("Put it back and start again. If it is lost for good: serve --new-key makes another one; what is sealed stays shut: each server's password or key has to be given again with server edit and server control, and changes of texts that hold secrets cannot be taken back.")
		}
	}
	if err == nil && info.Mode().Perm()&0o077 != 0 {
		s.log.Warn("the key file could be read by others on this machine; it is private now. Who copied it can open the sealed credentials of a copied database",
			"file", file, "was", fmt.Sprintf("%04o", info.Mode().Perm()))
		if err := os.Chmod(file, 0o600); err != nil {
			return nil, fmt.Errorf("make the key file private: %w", err)
		}
	}
	return seal.Open(file)
}

// sealedWith says what is sealed, up to the verb.
func sealedWith(credentials, texts int) string {
	var what []string
	if credentials > 0 {
		what = append(what, words.Count(credentials, "credential"))
	}
	if texts > 0 {
		what = append(what, "the changes of "+words.Count(texts, "text"))
	}
	verb := " are"
	if credentials == 1 && texts == 0 {
		verb = " is"
	}
	return strings.Join(what, " and ") + verb
}

// recoveredWords says what a recovery found.
func recoveredWords(archives, contents int, lost int64, odd []string) string {
	text := fmt.Sprintf("recovered %d archives and %d other contents", archives, contents)
	if lost > 0 {
		text += fmt.Sprintf("; of %d bytes nothing says what they are", lost)
	}
	if len(odd) > 0 {
		text += "; nothing could be made of: " + strings.Join(odd, "; ")
	}
	return text + ". rulebook add --again FILE lays the archives out."
}
