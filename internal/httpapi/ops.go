package httpapi

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/hosts"
)

// pageLimit is how many items a page of a list has.
const pageLimit = 100

// OnServer is the server that a call is about.
type OnServer struct {
	Server string `path:"server"`
}

// Paged is where a page of a list begins.
type Paged struct {
	Cursor string `query:"cursor" doc:"From an earlier page's next"`
}

func (p Paged) before() (int64, error) {
	if p.Cursor == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(p.Cursor, 10, 64)
	if err != nil {
		return 0, fault.New(fault.Usage, "bad-cursor", "%q is no cursor of this list", p.Cursor)
	}
	return n, nil
}

func (s *Server) serverOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers", "list-servers", "List the servers", "servers"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Server]], error) {
		all, err := s.Hosts.List(ctx)
		return &body[api.Page[api.Server]]{page(all, -1, func(v model.Server) int64 { return v.ID }, wireServer)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers", "add-server", "Add a server", "servers"), func(ctx context.Context, in *body[api.NewServer]) (*body[api.Server], error) {
		n := in.Body
		srv, err := s.lessons().add(ctx, model.Server{Name: n.Name, Rulebook: n.Rulebook, Transport: unwireTransport(n.Transport), Variables: n.Variables, Facts: orEmpty(n.Facts)}, hosts.Secrets(n.Secrets))
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}", "get-server", "Show a server", "servers"), func(ctx context.Context, in *OnServer) (*body[api.Server], error) {
		srv, err := s.Hosts.Find(ctx, in.Server)
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPatch, "/servers/{server}", "edit-server", "Change a server", "servers"), func(ctx context.Context, in *struct {
		OnServer
		Body api.ServerEdit
	}) (*body[api.Server], error) {
		e := hosts.Edit{Name: in.Body.Name, Rulebook: in.Body.Rulebook, Variables: in.Body.Variables, Facts: in.Body.Facts, Secrets: hosts.Secrets(in.Body.Secrets), Version: in.Body.Version}
		if in.Body.Transport != nil {
			t := unwireTransport(*in.Body.Transport)
			e.Transport = &t
		}
		srv, err := s.Hosts.Edit(ctx, in.Server, e)
		if err == nil && in.Body.ForgetKey {
			srv, err = s.Hosts.ForgetKey(ctx, srv.Name)
		}
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/servers/{server}", "drop-server", "Forget a server; its files are not touched", "servers"), func(ctx context.Context, in *OnServer) (*done, error) {
		return nil, s.fail(ctx, s.Hosts.Drop(ctx, in.Server))
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/test", "test-server", "Connect and find out what the host can do", "servers"), func(ctx context.Context, in *struct {
		OnServer
		Unlock bool `query:"unlock" doc:"Take away what a lost service has left on the host, its lock too"`
	}) (*body[api.Server], error) {
		srv, err := s.Hosts.Test(ctx, in.Server, in.Unlock)
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/facts", "read-facts", "Read what the server's tree and log tell of it", "servers"), func(ctx context.Context, in *OnServer) (*body[api.Server], error) {
		srv, err := s.Hosts.Facts(ctx, in.Server)
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/trust", "trust-server", "Confirm the host's key", "servers"), func(ctx context.Context, in *struct {
		OnServer
		Body api.TrustKey
	}) (*body[api.Server], error) {
		srv, err := s.Hosts.Trust(ctx, in.Server, in.Body.Fingerprint)
		return &body[api.Server]{wireServer(srv)}, s.fail(ctx, err)
	})
}

func orEmpty(m map[string]string) map[string]string {
	if m == nil {
		return map[string]string{}
	}
	return m
}

func (s *Server) catalogOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/rulebooks", "list-rulebooks", "List the rulebooks", "rulebooks"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Rulebook]], error) {
		all, err := s.Catalog.Rulebooks(ctx)
		return &body[api.Page[api.Rulebook]]{page(all, -1, func(v model.Revision) int64 { return v.ID }, wireRevision)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks", "add-rulebook", "Add a rulebook, or its next revision", "rulebooks"), func(ctx context.Context, in *body[api.RulebookText]) (*body[api.Rulebook], error) {
		rev, fresh, err := s.Catalog.AddRulebook(ctx, []byte(in.Body.Text), in.Body.Over, actorOf(ctx))
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w := wireRevision(rev)
		w.Fresh = fresh
		old, err := s.Catalog.Outdated(ctx, rev.Name)
		w.Outdated = len(old)
		return &body[api.Rulebook]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks/check", "check-rulebook", "Read a rulebook and keep nothing", "rulebooks"), func(ctx context.Context, in *body[api.RulebookText]) (*body[api.Rulebook], error) {
		b, err := catalog.CheckRulebook([]byte(in.Body.Text))
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w := api.Rulebook{Name: b.Name, Title: b.Title}
		describeBook(&w, b)
		return &body[api.Rulebook]{w}, nil
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks/try", "try-rulebook", "What a rulebook would make of an archive; keeps nothing", "rulebooks"), func(ctx context.Context, in *body[api.TryRulebook]) (*body[api.StagedByBook], error) {
		digest, err := tree.ParseDigest(in.Body.Archive)
		if err != nil {
			return nil, s.fail(ctx, fault.New(fault.Usage, "bad-digest", "%v", err))
		}
		br, err := s.Catalog.TryRulebook(ctx, []byte(in.Body.Text), digest)
		return &body[api.StagedByBook]{wireByBook(br, wireTried)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks/propose", "propose-rulebook", "Make a rulebook from a server's tree, downloads and answers; keeps nothing", "rulebooks"), func(ctx context.Context, in *body[api.Propose]) (*body[api.Proposed], error) {
		p, err := s.propose(ctx, in.Body)
		return &body[api.Proposed]{p}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks/read-tree", "read-tree", "What a rulebook makes of a server's tree; keeps nothing", "rulebooks"), func(ctx context.Context, in *body[api.ReadTree]) (*body[api.OnTree], error) {
		w, err := s.readTree(ctx, in.Body)
		return &body[api.OnTree]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/rulebook-starters", "list-starters", "Rulebooks named for a shape, to adapt", "rulebooks"), func(_ context.Context, _ *struct{}) (*body[api.Page[api.Starter]], error) {
		p := api.Page[api.Starter]{Items: []api.Starter{}}
		for _, st := range rulebook.Starters() {
			p.Items = append(p.Items, api.Starter{Name: st.Name, About: st.About, Text: string(st.Text)})
		}
		return &body[api.Page[api.Starter]]{p}, nil
	})
	huma.Register(h, op(http.MethodGet, "/rulebooks/{name}", "get-rulebook", "Show a rulebook", "rulebooks"), func(ctx context.Context, in *struct {
		Name     string `path:"name"`
		Revision int    `query:"revision" doc:"0: the newest"`
	}) (*body[api.Rulebook], error) {
		b, rev, err := s.Catalog.Revision(ctx, in.Name, in.Revision)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w := wireRevision(rev)
		w.Text = string(rev.Text)
		describeBook(&w, b)
		old, err := s.Catalog.Outdated(ctx, rev.Name)
		w.Outdated = len(old)
		return &body[api.Rulebook]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/rulebooks/{name}/turns", "compare-rulebook", "What changed in a rulebook between two of its revisions", "rulebooks"), func(ctx context.Context, in *struct {
		Name string `path:"name"`
		From int    `query:"from" required:"true" minimum:"1"`
		To   int    `query:"to" doc:"0: the newest"`
	}) (*body[api.RulebookTurn], error) {
		was, is, diff, err := s.Catalog.CompareRulebook(ctx, in.Name, in.From, in.To)
		return &body[api.RulebookTurn]{api.RulebookTurn{From: wireRevision(was), To: wireRevision(is), Diff: diff}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/rulebook-schema", "rulebook-schema", "The JSON Schema of rulebooks, for editors", "rulebooks"), func(context.Context, *struct{}) (*body[json.RawMessage], error) {
		return &body[json.RawMessage]{rulebook.Schema}, nil
	})
	huma.Register(h, op(http.MethodPost, "/rulebooks/{name}/again", "lay-out-again", "Lay out by the newest revision what only earlier ones laid out; a job", "rulebooks"), func(ctx context.Context, in *struct {
		Name string `path:"name"`
	}) (*accepted, error) {
		if _, _, err := s.Catalog.Book(ctx, in.Name); err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "again", in.Name, func(ctx context.Context, tell progress.Tell) (any, error) {
			all, err := s.Catalog.LayAgain(ctx, in.Name, actor, tell.Look)
			out := []api.StagedByBook{}
			for _, br := range all {
				out = append(out, wireByBook(br, wireCrate))
			}
			return out, err
		})
	})
	huma.Register(h, op(http.MethodDelete, "/rulebooks/{name}", "drop-rulebook", "Take a rulebook out of use", "rulebooks"), func(ctx context.Context, in *struct {
		Name string `path:"name"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Catalog.DropRulebook(ctx, in.Name))
	})
	s.crateOps(h)
}

// CrateRef is the crate that a call is about.
type CrateRef struct {
	Ref      string `path:"crate" doc:"name@version, name@version~digits, name, or the whole digest"`
	Rulebook string `query:"rulebook"`
}

func (s *Server) insightOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/statuses", "list-statuses", "What is on every server", "insight"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Status]], error) {
		all, err := s.Hosts.List(ctx)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		names := make([]string, len(all))
		for i, srv := range all {
			names[i] = srv.Name
		}
		list, err := s.Insight.Statuses(ctx, names)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		p := api.Page[api.Status]{Items: []api.Status{}}
		for _, st := range list {
			p.Items = append(p.Items, s.wireStatus(st))
		}
		return &body[api.Page[api.Status]]{p}, nil
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/status", "get-status", "What is on a server", "insight"), func(ctx context.Context, in *OnServer) (*body[api.Status], error) {
		st, err := s.Insight.Status(ctx, in.Server)
		return &body[api.Status]{s.wireStatus(st)}, s.fail(ctx, err)
	})
	huma.Register(h, listing[api.File](h, op(http.MethodGet, "/servers/{server}/files", "list-files", "Files with their provenance", "insight")), func(ctx context.Context, in *struct {
		OnServer
		Below  string `query:"below" doc:"A path; all where absent"`
		Cursor string `query:"cursor" doc:"From an earlier page's next"`
		Limit  int    `query:"limit" minimum:"0" maximum:"10000" doc:"Files of a page; 0: all at once"`
	}) (*huma.StreamResponse, error) {
		below, err := parsePath(in.Below)
		var after tree.Path
		if err == nil && in.Cursor != "" {
			if after, err = tree.ParsePath(in.Cursor); err != nil {
				err = fault.New(fault.Usage, "bad-cursor", "%q is no cursor of this list", in.Cursor)
			}
		}
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return streamed(s, func(ctx context.Context, put func([]api.File) error) (next string, err error) {
			wire := func(files []model.File) error {
				out := make([]api.File, len(files))
				for i, f := range files {
					out[i] = wireFile(f)
				}
				return put(out)
			}
			if in.Limit == 0 {
				return "", s.Insight.EachFiles(ctx, in.Server, below, after, wire)
			}
			files, err := s.Insight.Files(ctx, in.Server, below, after, in.Limit)
			if err != nil {
				return "", err
			}
			if len(files) == in.Limit {
				next = string(files[len(files)-1].Path)
			}
			return next, wire(files)
		}), nil
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/gone", "list-gone", "Files that deployments have taken away, by what took each away", "insight"), func(ctx context.Context, in *OnServer) (*body[api.Page[api.Event]], error) {
		events, err := s.Insight.Gone(ctx, in.Server)
		return &body[api.Page[api.Event]]{page(events, -1, func(e model.Event) int64 { return e.Seq }, wireEvent)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/history", "get-history", "What happened to a path or an add-on, the newest first", "insight"), func(ctx context.Context, in *struct {
		OnServer
		Path  string `query:"path"`
		Addon string `query:"addon"`
	}) (*body[api.Page[api.Event]], error) {
		p, err := parsePath(in.Path)
		if err == nil && (p == tree.Root) == (in.Addon == "") {
			err = fault.New(fault.Usage, "bad-request", "give one of path and addon")
		}
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		events, err := s.Insight.History(ctx, in.Server, p, in.Addon)
		return &body[api.Page[api.Event]]{page(events, -1, func(e model.Event) int64 { return e.Seq }, wireEvent)}, s.fail(ctx, err)
	})
}
