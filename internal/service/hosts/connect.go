package hosts

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/observe"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/words"
)

// dial opens a server's tree on a connection of its own.
func (s dialer) dial(ctx context.Context, srv model.Server) (remote.Host, error) {
	switch t := srv.Transport; t.Kind {
	case "folder":
		h, err := remote.OpenLocal(t.Root)
		if err != nil {
			return nil, s.explain(ctx, srv, err)
		}
		return h, nil
	case "ftp", "ftps":
		password, err := s.secret(ctx, srv.ID, passwordSecret)
		if err != nil {
			return nil, err
		}
		h, err := remote.OpenFTP(ctx, remote.FTPTarget{Host: t.Host, Port: t.Port, User: t.User, Password: string(password), Root: t.Root, TLS: t.Kind == "ftps", Cert: srv.HostKey,
			Ahead: sentAhead(srv)})
		if err != nil {
			return nil, s.explain(ctx, srv, err)
		}
		return h, nil
	}
	return s.connectSFTP(ctx, srv)
}

func (s dialer) connectSFTP(ctx context.Context, srv model.Server) (remote.Host, error) {
	t := srv.Transport
	target := remote.SFTPTarget{Host: t.Host, Port: t.Port, User: t.User, Root: t.Root, HostKey: srv.HostKey}
	var err error
	switch t.Auth {
	case "key":
		if target.Key, err = s.secret(ctx, srv.ID, keySecret); err == nil {
			target.Passphrase, err = s.secret(ctx, srv.ID, passphraseSecret)
		}
	case "password":
		var pw []byte
		pw, err = s.secret(ctx, srv.ID, passwordSecret)
		target.Password = string(pw)
	case "agent":
		if target.Agent = s.Agent; target.Agent == "" {
			return nil, fault.New(fault.Failed, "no-agent", "%s signs in by the service's agent, and the service has none", srv.Name).WithMend("Start the service with SSH_AUTH_SOCK set, or use a key.").By(finding.EditServer.On(srv.Name, "key"))
		}
	}
	if err != nil {
		return nil, err
	}
	h, err := remote.OpenSFTP(ctx, target)
	if err != nil {
		return nil, s.explain(ctx, srv, err)
	}
	return h, nil
}

func (s dialer) secret(ctx context.Context, id int64, name string) ([]byte, error) {
	sealed, err := s.Records.Secret(ctx, id, name)
	if err != nil || sealed == nil {
		return nil, err
	}
	return s.Sealer.Unseal(sealed)
}

// explain turns a transport's error into what a person should read, and keeps
// an offered key for [Service.Trust].
func (s dialer) explain(ctx context.Context, srv model.Server, err error) error {
	where := srv.Transport.Root
	if srv.Transport.Kind != "folder" {
		where = fmt.Sprintf("%s:%d", srv.Transport.Host, srv.Transport.Port)
	}
	var key *remote.HostKeyError
	var signIn *remote.SignInError
	var root *remote.RootError
	switch {
	case errors.As(err, &key) && key.Changed:
		return fault.New(fault.Failed, "host-key-changed", "the %s of %s has changed: it was %s and is now %s", key.What(), where, key.Expected, key.Fingerprint).
			WithMend("Nothing was sent. If the host's owner confirms the new key, forget the old one and test the server again.").By(finding.ForgetKey.On(srv.Name), finding.TestServer.On(srv.Name))
	case errors.As(err, &key):
		srv.SeenKey = key.Offered
		if e := s.Records.SaveSeenKey(ctx, srv); e != nil {
			return errors.Join(err, e)
		}
		return fault.New(fault.Failed, "host-key-unknown", "%s is a host whose %s nobody has confirmed: %s", where, key.What(), key.Fingerprint).
			WithMend("Trust it if that is the right one.").By(finding.TrustKey.On(srv.Name, key.Fingerprint))
	case errors.As(err, &signIn):
		return fault.New(fault.Failed, "sign-in-refused", "%s did not sign %q in: %v", where, signIn.User, signIn.Err).
			WithMend("Correct how it signs in.").By(finding.EditServer.On(srv.Name))
	case errors.As(err, &root):
		return fault.New(fault.Failed, "root-unusable", "%v", err).WithMend("Correct the root.").By(finding.EditServer.On(srv.Name, "root"))
	case errors.Is(err, remote.ErrLine):
		return fault.New(fault.Failed, "host-unreachable", "%s (%s) cannot be reached", srv.Name, where).Because(err).
			WithMend("Is the host up, and is this the right address?")
	}
	return fmt.Errorf("connect to %s: %w", srv.Name, err)
}

// ForgetKey takes back the confirmation of a host's key.
func (s *Service) ForgetKey(ctx context.Context, name string) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	seen := srv.SeenKey
	srv.HostKey, srv.SeenKey = "", ""
	return srv, s.Records.SaveKeys(ctx, srv, seen)
}

// Test connects, finds out what the host can do, and records it. What a lost
// service has left on the host is told, and taken away where unlock is set.
func (s *Service) Test(ctx context.Context, name string, unlock bool) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	done, err := s.dialing().testing(ctx, srv.ID)
	if err != nil {
		return srv, err
	}
	defer done()
	s.lines.drop(srv.ID) // what a test finds out is of now
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return srv, err
	}
	defer h.Close()
	f, err := s.dialing().probe(ctx, srv, h)
	if err != nil {
		return srv, fault.New(fault.Failed, "host-refuses", "%s was reached, but it cannot be worked on", name).Because(err).
			WithMend("Does this user have the right to write in the root?")
	}
	left, err := s.dialing().remains(ctx, srv, h, unlock)
	if err != nil {
		return srv, fmt.Errorf("look into the work folder of %s: %w", name, err)
	}
	srv.Abilities = &model.Abilities{Set: f.Set, TestedAt: s.Now().UnixMilli(), Unclean: !f.Clean, Words: slices.Concat(foundWords(f), openLine(srv.Transport), left.words), Left: left.stays, Lock: left.lock}
	if err := s.Records.SaveAbilities(ctx, srv); err != nil {
		return srv, err
	}
	return srv, s.readFacts(ctx, h, &srv)
}

// readFacts reads what a server's tree and log tell of it, and keeps that.
func (s *Service) readFacts(ctx context.Context, h remote.Host, srv *model.Server) error {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil || len(b.Facts) == 0 {
		return err
	}
	if err := observe.Tell(ctx, h, b, srv, s.Now(), true); err != nil {
		return err
	}
	return s.Records.SaveTold(ctx, srv.ID, srv.Told)
}

// Facts reads what a server's tree and log tell of it now.
func (s *Service) Facts(ctx context.Context, name string) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return srv, err
	}
	defer h.Close()
	return srv, s.readFacts(ctx, h, &srv)
}

// testing makes tests of one server wait for one another, until the function that
// it gives is called. Who stops waiting has no turn.
func (s dialer) testing(ctx context.Context, server int64) (done func(), err error) {
	s.mu.Lock()
	if s.tests == nil {
		s.tests = map[int64]chan struct{}{}
	}
	turn := s.tests[server]
	if turn == nil {
		turn = make(chan struct{}, 1)
		s.tests[server] = turn
	}
	s.mu.Unlock()
	select {
	case turn <- struct{}{}:
		return func() { <-turn }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// probe finds out what a host can do. What contradicts the test before is tried
// again, and what two of three tries agree on is kept: a host that is busy or changes
// under the probe does not make the next drafts weaker, or stronger than they are.
func (s dialer) probe(ctx context.Context, srv model.Server, h remote.Host) (remote.Found, error) {
	f, err := remote.Probe(ctx, h, draft.Work, s.Now)
	if err != nil || srv.Abilities == nil || f.Agrees(srv.Abilities.Set) {
		return f, err
	}
	again, err := remote.Probe(ctx, h, draft.Work, s.Now)
	if err != nil || again.Agrees(srv.Abilities.Set) || f.Agrees(again.Set) {
		return again, err
	}
	return remote.Probe(ctx, h, draft.Work, s.Now)
}

// NoWorkFolder notes what a run has found out: the host does not rename out of
// the work folder everywhere, so temporary files are to stand beside their
// targets. The next test asks the host anew.
func (s *Service) NoWorkFolder(ctx context.Context, srv model.Server) error {
	now := model.Abilities{Set: ability.Set{Modes: true, RenameOver: true, Free: -1}}
	if srv.Abilities != nil {
		now = *srv.Abilities
	}
	now.RenameFromWork, now.RenameFolders = false, false
	now.Words = append(slices.Clone(now.Words), "A run found a folder into which files cannot be renamed from the work folder: temporary files stand beside their targets.")
	srv.Abilities = &now
	return s.Records.SaveAbilities(ctx, srv)
}

// leavings are what the work folder holds that nobody here needs.
type leavings struct {
	words []string // for people
	lock  string   // what another service's lock says, where it stays
	stays bool     // whether there is something that can be cleared, and was not
}

// remains finds out what the work folder holds that nobody here needs, and clears it where
// that was asked for.
func (s dialer) remains(ctx context.Context, srv model.Server, h remote.Host, unlock bool) (out leavings, err error) {
	list, err := s.Records.Deployments(ctx, srv.Name, 0, 1000)
	if err != nil {
		return out, err
	}
	needed, open := map[string]bool{}, ""
	for _, d := range list {
		if d.State.Open() || d.State == model.Queued || d.Untidy {
			needed[strconv.Itoa(d.Number)] = true
		}
		if needed[strconv.Itoa(d.Number)] {
			open = d.Name()
		}
	}
	mine := func(number string) bool { return needed[number] }
	r, err := deploy.FindRemains(ctx, h, mine)
	if err != nil {
		return out, err
	}
	if r.Locked && r.Holder.Service == s.Self && open != "" {
		return leavings{words: []string{"It is locked for " + open + ", which is not finished."}}, nil
	}
	own := r.Locked && r.Holder.Service == s.Self
	if r.Unsigned() {
		if own, err = deploy.StillUnsigned(ctx, h); err != nil {
			return out, err
		}
	}
	if own && open == "" {
		if err := deploy.Unlock(ctx, h); err != nil {
			return out, err
		}
		out.words = append(out.words, "A lock that a run had left when it was cut off is taken away; no deployment was under way.")
		if r, err = deploy.FindRemains(ctx, h, mine); err != nil {
			return out, err
		}
	}
	if r.Locked || r.Empty() || len(r.Uploads)+len(r.Aside) > 0 {
		if r, err = deploy.StillRemains(ctx, h, r, mine); err != nil {
			return out, err
		}
	}
	if r.Empty() && open == "" {
		if err := r.ClearUploads(ctx, h, func(tree.Path) bool { return false }); err != nil {
			return out, err
		}
		out.words = append(out.words, "Empty work folders that a run had left when it was cut off are taken away.")
	}
	if r.Locked {
		out.lock = (&deploy.LockedError{Holder: r.Holder}).Error()
		out.words = append(out.words, fmt.Sprintf("The host says: %s.", out.lock))
	}
	if n := len(r.Uploads); n > 0 {
		out.words = append(out.words, fmt.Sprintf("The work folder holds %s that were uploaded and never put in place.", words.Count(n, "file")))
	}
	for _, p := range r.Aside {
		out.words = append(out.words, fmt.Sprintf("%s was set aside and not put back; it stays, since it may be the only copy.", p))
	}
	out.stays = r.Locked || len(r.Uploads) > 0
	switch {
	case !out.stays:
		return out, nil
	case !unlock:
		out.words = append(out.words, "If the service that left this is lost for good, it can be cleared.")
		return out, nil
	}
	out.words = append(out.words, "That is cleared now.")
	out.lock, out.stays = "", false
	return out, r.Clear(ctx, h)
}

// openLine says where what is sent can be read on the way.
func openLine(t model.Transport) []string {
	if t.Kind != "ftp" {
		return nil
	}
	return []string{"Plain FTP: the password and every file cross the line where others can read them. Use FTPS or SFTP if the host offers it."}
}

// words says what was found in sentences.
func foundWords(f remote.Found) []string {
	out := []string{fmt.Sprintf("Connected; the root holds %s.", things(f.Entries))}
	say := func(yes bool, can, cannot string) {
		if yes {
			out = append(out, can)
		} else {
			out = append(out, cannot)
		}
	}
	if f.NoWork {
		out = append(out, "Nothing can be made at the root itself, so no lock there keeps another service away.")
	}
	say(f.RenameFromWork, "Files can be renamed from the work folder into the tree: they appear whole or not at all.",
		"Files cannot be renamed from the work folder: temporary files will stand beside their targets.")
	say(f.RenameFolders, "A new folder appears at once, with everything in it.", "Folders cannot be renamed with what is in them: new ones are filled file by file.")
	if f.Copies {
		out = append(out, "The host copies folders itself: the data that a server writes is kept without crossing the line.")
	}
	say(f.RenameOver, "A rename can replace a file in one act.", "A rename cannot replace a file; that is not needed.")
	say(f.Clean, "A file of every byte and every line end came back as it was sent.", "A file of every byte and every line end came back CHANGED, or in another size: this way in is not fit for anything but text. Every file that is sent is read back.")
	if f.Ahead {
		out = append(out, "It takes what is sent ahead of its answers, so fewer of them are waited for.")
	}
	say(f.Modes, "Permission bits are kept.", "Permission bits are not kept, so rolling back cannot restore them.")
	say(f.CaseBlind, "Names that differ only in case are the same file here.", "Names are exact in case.")
	say(f.Resolution < 1000, "File times are finer than a second.", fmt.Sprintf("File times are counted in steps of up to %d s; a file changed just after an upload is read again to be sure.", f.Resolution/1000))
	if f.Free >= 0 {
		out = append(out, fmt.Sprintf("%.1f GB are free.", float64(f.Free)/1e9))
	} else {
		out = append(out, "The host does not tell how much space is free.")
	}
	return out
}

func things(n int) string {
	if n == 0 {
		return "nothing"
	}
	return words.Count(n, "thing")
}

// What the use cases have in common, by what it is about.
type (
	// dialer connects to hosts and tries what they can do.
	dialer struct{ *Service }
)

func (s *Service) dialing() dialer { return dialer{s} }
