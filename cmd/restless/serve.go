package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"
	"golang.org/x/net/netutil"

	"restlesscrate/internal/assembly"
	"restlesscrate/internal/cli"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/httpapi"
	"restlesscrate/internal/records"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/web"
)

// grace is how long a stopping service waits for calls under way.
const grace = 5 * time.Second

// serve runs the service until ctx ends.
func serve(ctx context.Context, o cli.ServeOptions) error {
	frugal(ctx)
	level := slog.LevelInfo
	if o.Verbose {
		level = slog.LevelDebug
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
	s, err := openService(ctx, o, log)
	if f := (*fault.Error)(nil); errors.As(err, &f) {
		return httpapi.ProblemOf(err) // with what can be done
	}
	if err != nil {
		return err
	}
	defer s.close()
	if s.damaged != nil {
		return s.runDamaged(ctx)
	}
	link, err := s.whole.API.NewLink(ctx, "owner")
	if err != nil {
		return err
	}
	fmt.Printf("Restless Crate answers at %s, its data is in %s\n", s.url, o.Data)
	if web.Built() {
		fmt.Printf("Sign in to the console, once, within ten minutes:\n  %s\n", link.URL)
	}
	return s.run(ctx)
}

// service is everything that runs, wired.
type service struct {
	url      string // where it listens
	public   string // by which people reach it
	keyed    func(purpose, secret string) string
	helpers  string // the folder of helper programs
	rideOut  time.Duration
	token    string // of a client on this machine
	whole    *assembly.Service
	listener net.Listener
	db       *records.DB
	catalog  *catalog.Service
	serving  switching
	damaged  *records.DamagedError // set where the database is, and nothing else runs
	closers  []io.Closer
	log      *slog.Logger
}

// openService takes the data folder and the address, in that order, and wires
// the parts. Whatever it cannot have is said plainly.
func openService(ctx context.Context, o cli.ServeOptions, log *slog.Logger) (*service, error) {
	s := &service{log: log}
	if err := s.open(ctx, o); err != nil {
		s.close()
		return nil, err
	}
	return s, nil
}

func (s *service) open(ctx context.Context, o cli.ServeOptions) error {
	s.rideOut = o.RideOut
	if s.helpers = o.Helpers; s.helpers == "" {
		s.helpers = filepath.Join(o.Data, "helpers")
	}
	lock, err := holdData(ctx, o.Data, s.log)
	if err != nil {
		return err
	}
	s.closers = append(s.closers, lock)
	if s.listener, err = listen(o); err != nil {
		return err
	}
	s.closers = append(s.closers, s.listener)
	s.url = "http://" + s.listener.Addr().String()
	if s.public, err = publicURL(o.PublicURL, s.url); err != nil {
		return err
	}
	room, known, err := s.openStock(ctx, o)
	var bad *records.DamagedError
	if errors.As(err, &bad) {
		return s.openDamaged(bad)
	}
	if err != nil {
		return err
	}
	sealer, err := s.openSealer(ctx, o)
	if err != nil {
		return err
	}
	s.db.SealWith(sealer)
	p := assembly.Parts{DB: s.db, Room: room, Sealer: sealer, Data: o.Data, Helpers: s.helpers, RideOut: s.rideOut, Agent: os.Getenv("SSH_AUTH_SOCK"), MaxUpload: o.MaxUpload, DownloadsFrom: o.DownloadsFrom, Watch: o.Watch,
		BaseURL: func() string { return s.public }, Integrity: s.integrity, Console: web.Console(), Version: version, Log: s.log}
	s.catalog = assembly.NewCatalog(p)
	if o.Recover {
		r, err := s.catalog.Recover(ctx, known, func(text string) { s.log.Info(text) })
		if err != nil {
			return fmt.Errorf("recover: %w", err)
		}
		s.log.Warn(recoveredWords(r.Archives, r.Contents, r.Lost, r.Odd))
		if known, err = s.db.Containers(ctx); err != nil {
			return err
		}
	}
	if err := s.settleStock(ctx, room, known); err != nil {
		return err
	}
	if err := s.keyHashes(ctx, sealer); err != nil {
		return err
	}
	if err := s.db.ForgetBroken(ctx); err != nil {
		return err
	}
	if err := s.clientFile(ctx, filepath.Join(o.Data, cli.ClientFile), o.RenewClient); err != nil {
		return err
	}
	s.closers = append(s.closers, s.clean(ctx))
	if p.Self, err = whoAmI(filepath.Join(o.Data, serviceFile)); err != nil {
		return err
	}
	return s.wire(ctx, p)
}

// whoAmI gives the id by which this service is known on hosts, made once.
func whoAmI(file string) (deploy.Holder, error) {
	raw, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		raw = []byte(rand.Text())
		err = os.WriteFile(file, raw, 0o600)
	}
	if err != nil {
		return deploy.Holder{}, fmt.Errorf("the service's own id: %w", err)
	}
	machine, err := os.Hostname()
	if err != nil {
		machine = "an unknown machine"
	}
	return deploy.Holder{Service: strings.TrimSpace(string(raw)), Machine: machine}, nil
}

// wire puts the service together over what was opened.
func (s *service) wire(ctx context.Context, p assembly.Parts) (err error) {
	if s.whole, err = assembly.New(ctx, p, s.catalog); err != nil {
		return err
	}
	s.closers = append(s.closers, s.whole)
	return nil
}

// run answers calls until ctx ends, then stops gracefully: calls under way
// get a moment, jobs stop between two motions.
func (s *service) run(ctx context.Context) error {
	s.serving.set(s.whole.API.Handler())
	return s.answer(ctx, &s.serving)
}

// answer serves a handler until ctx ends.
func (s *service) answer(ctx context.Context, h http.Handler) error {
	base, cut := context.WithCancel(context.WithoutCancel(ctx))
	defer cut()
	srv := &http.Server{Handler: h, BaseContext: func(net.Listener) context.Context { return base }}
	limits(srv)
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(netutil.LimitListener(s.listener, connections)) }()
	s.log.Info("serving", "url", s.url)
	select {
	case err := <-failed:
		return fmt.Errorf("the service stopped: %w", err)
	case <-ctx.Done():
	}
	s.log.Info("stopping")
	if s.whole != nil {
		s.whole.Stop()
	}
	cut() // ends open event streams, which Shutdown would wait for
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), grace)
	defer cancel()
	return srv.Shutdown(late)
}

// close stops the jobs between two motions and lets go of everything, the
// last first.
func (s *service) close() {
	if s.whole != nil {
		s.whole.Stop()
	}
	for _, c := range slices.Backward(s.closers) {
		if err := c.Close(); err != nil && !errors.Is(err, net.ErrClosed) {
			s.log.Warn("closing", "err", err)
		}
	}
}

// held is for how long the lock of a data folder may be another's: what a killed
// service was just starting keeps it for a moment longer.
const held = 3 * time.Second

// holdData makes the data folder, private to its owner, and takes its lock.
func holdData(ctx context.Context, dir string, log *slog.Logger) (*flock.Flock, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made: %w", dir, plainPath(err))
	}
	info, err := os.Stat(dir)
	if err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be looked at: %w", dir, plainPath(err))
	}
	if open := info.Mode().Perm() & 0o077; open != 0 && runtime.GOOS != "windows" {
		if _, err := os.Stat(filepath.Join(dir, recordsFile)); err == nil {
			log.Warn("the data folder was open to others on this machine; it is private now. What others may have read: kept copies of servers' files, with what secrets stand in them",
				"folder", dir, "was", fmt.Sprintf("%04o", info.Mode().Perm()))
		}
	}
	if err := os.Chmod(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made private: %w", dir, plainPath(err))
	}
	lock := flock.New(filepath.Join(dir, "lock"))
	wait, stop := context.WithTimeout(ctx, held)
	defer stop()
	ok, err := lock.TryLockContext(wait, 50*time.Millisecond)
	if err != nil && wait.Err() == nil {
		return nil, fmt.Errorf("the data folder %s cannot be written: %w", dir, plainPath(err))
	}
	if !ok {
		return nil, fmt.Errorf("another service is using the data folder %s; stop it first, or give another folder with --data", dir)
	}
	return lock, nil
}

func plainPath(err error) error {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// listen takes the address, on loopback unless told otherwise.
func listen(o cli.ServeOptions) (net.Listener, error) {
	host, _, err := net.SplitHostPort(o.Listen)
	if err != nil {
		return nil, fmt.Errorf("--listen %q is not HOST:PORT", o.Listen)
	}
	if ip := net.ParseIP(host); !o.Beyond && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, fmt.Errorf("%s can be reached by other machines; if that is meant, add --beyond-this-machine and put TLS in front", o.Listen)
	}
	l, err := net.Listen("tcp", o.Listen)
	if err != nil {
		var se *os.SyscallError
		if errors.As(err, &se) {
			err = se.Err
		}
		return nil, fmt.Errorf("the address %s cannot be used: %w; give another with --listen", o.Listen, err)
	}
	return l, nil
}
