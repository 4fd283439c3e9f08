package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"sync/atomic"
	"time"

	"restlesscrate/internal/fault"
	"restlesscrate/internal/httpapi"
	"restlesscrate/internal/records"
)

// openDamaged has the service answer with nothing but what is wrong: its database
// is damaged, and is neither read nor written any more.
func (s *service) openDamaged(bad *records.DamagedError) error {
	s.damaged = bad
	return nil
}

// runDamaged answers every call with what is wrong until ctx ends.
func (s *service) runDamaged(ctx context.Context) error {
	s.log.Error("the database is damaged; nothing is done until that is mended", "err", s.damaged)
	fmt.Printf("Restless Crate answers at %s, and does nothing: %v\n  %s\n", s.url, s.damaged, fmt.Sprintf(damagedWords, recordsFile))
	return s.answer(ctx, refusing(s.damaged))
}

// refusing answers every call with what is wrong with the database.
func refusing(bad *records.DamagedError) http.Handler {
	p := httpapi.ProblemOf(fault.New(fault.Failed, "database-damaged", "%v; nothing is done until that is mended", bad).WithMend(damagedWords, recordsFile))
	p.Status, p.Title = http.StatusServiceUnavailable, http.StatusText(http.StatusServiceUnavailable)
	mux := http.NewServeMux()
	mux.HandleFunc("/healthz", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "ok") })
	mux.HandleFunc("/readyz", func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusServiceUnavailable)
		fmt.Fprintf(w, "not ready: %v\n", bad)
	})
	mux.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(p.Status)
		_ = json.NewEncoder(w).Encode(p) // who asked has gone; there is nobody to tell
	})
	return mux
}

// switching lets another handler take over while calls come in.
type switching struct{ now atomic.Pointer[http.Handler] }

func (h *switching) set(to http.Handler) { h.now.Store(&to) }

func (h *switching) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	(*h.now.Load()).ServeHTTP(w, r)
}

// integrity has the whole database looked over.
func (s *service) integrity(ctx context.Context) error {
	err := s.db.Integrity(ctx)
	if bad := (*records.DamagedError)(nil); errors.As(err, &bad) {
		// After the job that asked has ended: it is one of those that are stopped.
		time.AfterFunc(time.Second, func() { s.foundDamaged(bad) })
		return fault.New(fault.Failed, "database-damaged", "%v", bad).WithMend(damagedWords, recordsFile)
	}
	return err
}

// foundDamaged is called when a check finds the database damaged while the service
// runs: what is under way stops between two motions, and nothing is written any
// more.
func (s *service) foundDamaged(bad *records.DamagedError) {
	s.log.Error("the database is damaged; nothing is done until that is mended", "err", bad)
	s.serving.set(refusing(bad))
	s.whole.Halt()
	if err := s.db.Close(); err != nil {
		s.log.Warn("closing the damaged database", "err", err)
	}
}
