package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"restlesscrate/internal/cli"
	"restlesscrate/internal/httpapi"
	"restlesscrate/internal/model"
	"restlesscrate/internal/seal"
)

// clientName is whose the token in the client's file is.
const clientName = "owner"

// publicURL checks the address by which people reach the service.
func publicURL(given, listening string) (string, error) {
	if given == "" {
		return listening, nil
	}
	u, err := url.Parse(given)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" {
		return "", fmt.Errorf("--public-url %q is not an address such as https://crate.example.org", given)
	}
	return u.Scheme + "://" + u.Host, nil
}

// keyHashes has what earlier versions hashed without a key hashed with it.
func (s *service) keyHashes(ctx context.Context, sealer *seal.Sealer) error {
	s.keyed = sealer.Keyed
	return s.db.Rekey(ctx, func(hash string) string { return sealer.Keyed(httpapi.TokenPurpose, hash) })
}

// clientFile lets a client on this machine find the service and sign in. The
// token is made once; the address is written at every start. Where renew is set, a
// new token takes its place and what the file held before signs nobody in any more.
func (s *service) clientFile(ctx context.Context, file string, renew bool) error {
	var l cli.Local
	raw, err := os.ReadFile(file)
	if err == nil {
		err = json.Unmarshal(raw, &l)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("read %s: %w", file, err)
	}
	if renew {
		if err := s.db.EndTokens(ctx, clientName); err != nil {
			return err
		}
		l.Token = ""
	}
	if l.Token == "" {
		l.Token = httpapi.NewToken()
		if err := s.tellOlder(ctx); err != nil {
			return err
		}
	}
	hash := s.keyed(httpapi.TokenPurpose, httpapi.Hash(l.Token))
	if _, err := s.db.TokenName(ctx, hash); errors.Is(err, model.ErrNotFound) {
		if _, err := s.db.AddToken(ctx, clientName, hash); err != nil {
			return err
		}
	} else if err != nil {
		return err
	}
	l.URL, s.token = s.url, l.Token
	if raw, err = json.MarshalIndent(l, "", "  "); err != nil {
		return err
	}
	if err := os.WriteFile(file+".new", append(raw, '\n'), 0o600); err != nil {
		return fmt.Errorf("write %s: %w", file, err)
	}
	return os.Rename(file+".new", file)
}

// tellOlder says that tokens of an earlier client's file still work.
func (s *service) tellOlder(ctx context.Context) error {
	tokens, err := s.db.Tokens(ctx)
	if err != nil {
		return err
	}
	n := 0
	for _, t := range tokens {
		if t.Name == clientName {
			n++
		}
	}
	if n > 0 {
		s.log.Warn("a new token was made for the client's file; what an earlier one held still signs people in: token list shows it, token end or serve --renew-client ends it", "earlier", n)
	}
	return nil
}

// Limits of the listener and of connections, before anybody is signed in.
const (
	connections = 1024
	headerTime  = 10 * time.Second
	idleTime    = 2 * time.Minute
	headerBytes = 64 << 10
)

func limits(srv *http.Server) {
	srv.ReadHeaderTimeout, srv.IdleTimeout, srv.MaxHeaderBytes = headerTime, idleTime, headerBytes
}

// cleanEvery is how often what is too old to be of use is removed.
const cleanEvery = 10 * time.Minute

// cleaner removes what is too old until it is closed.
type cleaner struct {
	stop context.CancelFunc
	over chan struct{}
}

func (s *service) clean(ctx context.Context) *cleaner {
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	c := &cleaner{stop: stop, over: make(chan struct{})}
	go func() {
		defer close(c.over)
		t := time.NewTicker(cleanEvery)
		defer t.Stop()
		for {
			if n, err := s.db.Forget(ctx); err != nil && ctx.Err() == nil {
				s.log.Error("old records cannot be removed", "err", err)
			} else if n > 0 {
				s.log.Info("old records removed", "rows", n)
			}
			if err := s.db.Shrink(ctx); err != nil && ctx.Err() == nil {
				s.log.Error("the database cannot be made smaller", "err", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-t.C:
			}
		}
	}()
	return c
}

// Close ends it.
func (c *cleaner) Close() error {
	c.stop()
	<-c.over
	return nil
}
