package hosts

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Edit is what may be changed on a server; nil leaves a thing as it is.
type Edit struct {
	Name      *string
	Rulebook  *string // only while nothing was deployed
	Transport *model.Transport
	Variables map[string]string // merged in
	Facts     map[string]string // merged in
	Secrets   Secrets
	// Version is that of the server on which the edit rests; 0: whichever it is.
	Version int64
}

func (s *Service) edit(ctx context.Context, name string, e Edit) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	if e.Version != 0 && e.Version != srv.Version {
		return srv, model.ErrConflict
	}
	if e.Name != nil && *e.Name != srv.Name {
		if !rulebook.IsName(*e.Name) {
			return srv, fault.New(fault.Usage, "bad-name", "%q cannot name a server", *e.Name)
		}
		if _, err := s.Records.Server(ctx, *e.Name); err == nil {
			return srv, fault.New(fault.Conflict, "name-taken", "a server named %s is there already", *e.Name)
		}
		srv.Name = *e.Name
	}
	otherWay, otherHost := false, false
	if e.Transport != nil {
		if otherHost = e.Transport.Host != srv.Transport.Host || e.Transport.Port != srv.Transport.Port; otherHost {
			srv.HostKey, srv.SeenKey = "", ""
		}
		if otherWay = !e.Transport.SameWay(srv.Transport); otherWay {
			srv.Abilities = nil
		}
		srv.Transport = *e.Transport
	}
	if e.Rulebook != nil && *e.Rulebook != srv.Rulebook {
		if err := s.changeRulebook(ctx, &srv, *e.Rulebook); err != nil {
			return srv, err
		}
	}
	recorded, err := s.asked(ctx, srv)
	if err != nil {
		return srv, err
	}
	if err := s.held(ctx, srv, recorded, e.Variables); err != nil {
		return srv, err
	}
	srv.Variables = merged(recorded, e.Variables)
	srv.SaysFacts(e.Facts, s.Now())
	if err := s.check(ctx, &srv); err != nil {
		return srv, err
	}
	if err := s.Records.EditServer(ctx, srv, otherWay, otherHost); err != nil {
		return srv, err
	}
	srv.Version++
	s.lines.drop(srv.ID)
	return srv, s.keepSecrets(ctx, srv.ID, e.Secrets)
}

// held refuses to change the record of a value that a text or a panel holds: the server would
// go on with the old one.
func (s *Service) held(ctx context.Context, srv model.Server, recorded, to map[string]string) error {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(to)) {
		v, _ := b.Variable(name)
		if was := cmp.Or(recorded[name], v.Default); to[name] == was || v.SetIn == nil && v.ByHand == "" {
			continue
		}
		where := "by hand"
		if v.SetIn != nil {
			where = "in " + v.SetIn.File
		}
		return fault.New(fault.Conflict, "value-held", "%s is held %s, so the record alone would not change it", name, where).
			WithMend("A deployment changes it there, and the record with it.").By(finding.SetValue.On(srv.Name, name+"="+to[name]))
	}
	return nil
}

// asked are a server's recorded variables that its rulebook still asks for.
func (s *Service) asked(ctx context.Context, srv model.Server) (map[string]string, error) {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, err
	}
	return b.Asked(srv.Variables), nil
}

// changeRulebook gives a server another rulebook. What was deployed belongs to
// the one it was deployed by, so a server that holds something keeps its own.
func (s *Service) changeRulebook(ctx context.Context, srv *model.Server, name string) error {
	list, err := s.Records.Deployments(ctx, srv.Name, 0, 1000)
	if err != nil {
		return err
	}
	for _, d := range list {
		if d.State == model.Done || d.State == model.Queued || d.State.Open() {
			return fault.New(fault.Conflict, "in-use", "%s was deployed by rulebook %s, so %s keeps it", d.Name(), srv.Rulebook, srv.Name).
				WithMend("A new revision of that rulebook changes how things are laid out; a server of its own can have another.")
		}
	}
	b, _, err := s.Books.Book(ctx, name)
	if err != nil {
		return err
	}
	srv.Rulebook = name
	maps.DeleteFunc(srv.Variables, func(v, _ string) bool { _, asked := b.Variable(v); return !asked })
	return nil
}

func merged(old, more map[string]string) map[string]string {
	out := map[string]string{}
	maps.Copy(out, old)
	maps.Copy(out, more)
	return out
}
