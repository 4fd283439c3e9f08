// Package hosts is the use cases around game servers: adding them, their
// credentials, trusting a host's key, connecting, and finding out what a host
// can do.
package hosts

import (
	"context"
	"errors"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// Records is what this service needs written down.
type Records interface {
	AddServer(ctx context.Context, s model.Server) (model.Server, error)
	Server(ctx context.Context, name string) (model.Server, error)
	Servers(ctx context.Context) ([]model.Server, error)
	EditServer(ctx context.Context, s model.Server, otherWay, otherHost bool) error
	SaveTold(ctx context.Context, server int64, told []model.Fact) error
	SaveStarted(ctx context.Context, server int64) error
	SeenRecords
	SaveAbilities(ctx context.Context, s model.Server) error
	SaveSeenKey(ctx context.Context, s model.Server) error
	SaveKeys(ctx context.Context, s model.Server, seen string) error
	SaveControl(ctx context.Context, s model.Server) error
	DropServer(ctx context.Context, id int64) error
	PutSecret(ctx context.Context, server int64, name string, sealed []byte) error
	Secret(ctx context.Context, server int64, name string) ([]byte, error)
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
}

// Books gives rulebooks by name.
type Books interface {
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
}

// Sealer encrypts credentials.
type Sealer interface {
	Seal(plain []byte) ([]byte, error)
	Unseal(sealed []byte) ([]byte, error)
}

// Service is the use cases. Agent is the socket of the service's own SSH
// agent, empty where it has none.
type Service struct {
	Records Records
	Books   Books
	Sealer  Sealer
	Agent   string
	Data    string // the service's own data folder, which is no server's
	Self    string // this service's own id, as its locks on hosts name it
	Now     func() time.Time
	lines   lines

	noting sync.Once
	notes  *seen

	mu     sync.Mutex
	tests  map[int64]chan struct{} // by server
	probes map[int64]*probed       // by server
}

// Secrets are the credentials that came with a request. Empty means none or,
// in an edit, unchanged.
type Secrets struct {
	Key, Passphrase, Password string
}

// Names under which secrets are kept.
const (
	keySecret        = "key"
	passphraseSecret = "passphrase"
	passwordSecret   = "password"
)

// Add records a server and its secrets. Nothing is connected to.
func (s *Service) Add(ctx context.Context, srv model.Server, sec Secrets) (model.Server, error) {
	if !rulebook.IsName(srv.Name) {
		return srv, fault.New(fault.Usage, "bad-name", "%q cannot name a server", srv.Name).WithMend("Small letters, digits and dashes, at most 31, not a dash first.")
	}
	if err := s.check(ctx, &srv); err != nil {
		return srv, err
	}
	srv.SaysFacts(srv.Facts, s.Now())
	added, err := s.Records.AddServer(ctx, srv)
	if errors.Is(err, model.ErrConflict) {
		return srv, fault.New(fault.Conflict, "name-taken", "a server named %s is there already", srv.Name)
	}
	if err != nil {
		return srv, err
	}
	return added, s.keepSecrets(ctx, added.ID, sec)
}

// check completes and validates what a person said of a server.
func (s *Service) check(ctx context.Context, srv *model.Server) error {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	values, err := b.Values(srv.Variables)
	var bad *rulebook.ValueError
	switch {
	case err == nil:
		srv.Variables = values
	case srv.ID != 0 && errors.As(err, &bad) && len(bad.Wrong) == len(bad.Lacks):
		// A later revision asks for more than was said when the server was added: that is asked
		// for when something needs it, and does not keep a person from changing something else.
	default:
		return fault.From(fault.Usage, "bad-variables", err)
	}
	t := &srv.Transport
	switch t.Kind {
	case "folder":
		if t.Root == "" {
			return fault.New(fault.Usage, "bad-transport", "a folder server needs its root")
		}
		if err := s.ownFolder(t.Root); err != nil {
			return err
		}
	case "sftp", "ftp", "ftps":
		said := strings.ToUpper(t.Kind)
		if t.Host == "" || t.User == "" {
			return fault.New(fault.Usage, "bad-transport", "a server over %s needs a user and a host: USER@HOST[:PORT]", said)
		}
		if t.Port == 0 {
			t.Port = map[string]int{"sftp": 22}[t.Kind]
		}
		if t.Port == 0 {
			t.Port = 21
		}
		if t.Port < 1 || t.Port > 65535 {
			return fault.New(fault.Usage, "bad-transport", "%d is no port", t.Port)
		}
		if t.Root == "" {
			t.Root = "."
		}
		switch {
		case t.Auth == "password", t.Kind == "sftp" && (t.Auth == "key" || t.Auth == "agent"):
		case t.Kind == "sftp":
			return fault.New(fault.Usage, "bad-transport", "a server over SFTP signs in by key, agent or password, not %q", t.Auth)
		default:
			return fault.New(fault.Usage, "bad-transport", "a server over %s signs in by password, not %q", said, t.Auth)
		}
	default:
		return fault.New(fault.Usage, "bad-transport", "%q is no transport; there are folder, sftp, ftps and ftp", t.Kind)
	}
	return nil
}

// ownFolder refuses roots that no game server has: the whole machine, and what this
// service keeps its data in.
func (s *Service) ownFolder(root string) error {
	real := func(p string) string {
		abs, err := filepath.Abs(p)
		if err != nil {
			return p
		}
		if there, err := filepath.EvalSymlinks(abs); err == nil {
			return there
		}
		return abs
	}
	at := real(root)
	if at == filepath.Dir(at) {
		return fault.New(fault.Usage, "bad-transport", "%s is the whole machine, not a server's folder", root).WithMend("Give the folder that the game server runs in.")
	}
	if s.Data == "" {
		return nil
	}
	data := real(s.Data)
	inside := func(p, folder string) bool {
		rel, err := filepath.Rel(folder, p)
		return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
	}
	if inside(at, data) || inside(data, at) {
		return fault.New(fault.Usage, "bad-transport", "%s and this service's own data folder lie in one another", root).WithMend("Give the folder that the game server runs in, or start the service with another data folder.").By(finding.StartService.With("data"))
	}
	return nil
}

func (s *Service) keepSecrets(ctx context.Context, id int64, sec Secrets) error {
	for name, plain := range map[string]string{keySecret: sec.Key, passphraseSecret: sec.Passphrase, passwordSecret: sec.Password} {
		if plain == "" {
			continue
		}
		sealed, err := s.Sealer.Seal([]byte(plain))
		if err != nil {
			return err
		}
		if err := s.Records.PutSecret(ctx, id, name, sealed); err != nil {
			return err
		}
	}
	return nil
}

// Find gives a server by name.
func (s *Service) Find(ctx context.Context, name string) (model.Server, error) {
	srv, err := s.Records.Server(ctx, name)
	if errors.Is(err, model.ErrNotFound) {
		return srv, fault.New(fault.Unknown, "server-unknown", "there is no server named %q", name).By(finding.ShowServers.With())
	}
	return srv, err
}

// List gives all servers by name.
func (s *Service) List(ctx context.Context) ([]model.Server, error) { return s.Records.Servers(ctx) }

// tries is how often an edit is made again where another one came in between: what is
// named in it is put onto what there is then.
const tries = 20

// Edit changes a server. A new address or root forgets what was found out of
// the old host; a new host also forgets its key.
func (s *Service) Edit(ctx context.Context, name string, e Edit) (srv model.Server, err error) {
	for range tries {
		if srv, err = s.edit(ctx, name, e); !errors.Is(err, model.ErrConflict) {
			return srv, err
		}
		if e.Version != 0 {
			break
		}
	}
	return srv, fault.New(fault.Conflict, "edited-meanwhile", "%s was edited meanwhile, so this was not done", name).WithMend("Look at it as it is, and edit it again.").By(finding.ShowServer.On(name), finding.EditServer.On(name))
}

// Drop forgets a server. Its files are not touched.
func (s *Service) Drop(ctx context.Context, name string) error {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return err
	}
	list, err := s.Records.Deployments(ctx, name, 0, 1000)
	if err != nil {
		return err
	}
	for _, d := range list {
		if d.State == model.Queued || d.State.Open() {
			return fault.New(fault.Conflict, "slot-taken", "%s is %s", d.Name(), d.State).WithMend("Resume or undo it first.")
		}
	}
	s.lines.drop(srv.ID)
	return s.Records.DropServer(ctx, srv.ID)
}

// Fingerprint is what people compare a host's key by; empty where there is none.
func Fingerprint(key string) string {
	print, err := remote.Fingerprint(key)
	if err != nil {
		return ""
	}
	return print
}

// Trust confirms the host key that was offered last. The fingerprint must be
// the one that was shown.
func (s *Service) Trust(ctx context.Context, name, fingerprint string) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	if srv.SeenKey == "" {
		return srv, fault.New(fault.Conflict, "no-key-seen", "%s has offered no key that waits for a person's word", name).WithMend("Test the server: that connects and shows it.").By(finding.TestServer.On(name))
	}
	seen, err := remote.Fingerprint(srv.SeenKey)
	if err != nil {
		return srv, err
	}
	if strings.TrimSpace(fingerprint) != seen {
		return srv, fault.New(fault.Usage, "fingerprint-differs", "%s offered %s, not %s", name, seen, fingerprint).WithMend("Compare it with what the host's owner tells you.")
	}
	offered := srv.SeenKey
	srv.HostKey, srv.SeenKey = offered, ""
	if err := s.Records.SaveKeys(ctx, srv, offered); errors.Is(err, model.ErrConflict) {
		return srv, fault.New(fault.Conflict, "other-key-seen", "%s has offered another key meanwhile", name).WithMend("Test the server: that shows it.").By(finding.TestServer.On(name))
	} else if err != nil {
		return srv, err
	}
	return srv, nil
}
