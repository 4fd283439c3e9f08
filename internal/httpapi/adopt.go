package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/service/adopt"
	"restlesscrate/internal/service/requests"
)

// adoptOps are about add-ons that lie on servers and were not deployed.
func (s looking) adoptOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/servers/{server}/adoptable", "find-adoptable", "Find the add-ons that lie on a server and were not deployed; a job, which changes nothing", "surveys"), func(ctx context.Context, in *OnServer) (*accepted, error) {
		if _, err := s.Hosts.Find(ctx, in.Server); err != nil {
			return nil, s.fail(ctx, err)
		}
		return s.jobs().cancellable(ctx, "adopt", in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
			look, err := s.Adopting.Look(ctx, in.Server, tell)
			return wireAdoptable(look), err
		})
	})
}

// adopted makes an ask of the paths of add-ons that are to be taken in.
func (s *Server) adopted(ctx context.Context, server string, paths []string, ask *requests.Ask, actor string, tell progress.Tell) error {
	var at []tree.Path
	for _, p := range paths {
		parsed, err := parsePath(p)
		if err != nil {
			return err
		}
		at = append(at, parsed)
	}
	choices, err := s.Adopting.Make(ctx, server, at, actor, tell)
	if err != nil {
		return err
	}
	ask.Adopt = true
	for _, c := range choices {
		ask.Crates = append(ask.Crates, c.Ref)
		ask.With = append(ask.With, c.Parts...)
	}
	return nil
}

func wireAdoptable(l adopt.Look) api.Adoptable {
	w := api.Adoptable{Found: []api.AddonFound{}, Strays: pathTexts(l.Strays), Nowhere: findings(l.Nowhere)}
	for _, f := range l.Found {
		w.Found = append(w.Found, api.AddonFound{Path: string(f.Path), Kind: f.Kind, Name: f.Name, Version: f.Version, From: f.From, Files: f.Files, Bytes: f.Bytes, Crate: f.Crate,
			Missing: pathTexts(f.Missing), Differs: pathTexts(f.Differs), Beside: pathTexts(f.Beside), Copies: f.Copies, Deep: string(f.Deep), Listed: f.Listed, Loaded: f.Loaded})
	}
	return w
}

func pathTexts(paths []tree.Path) []string {
	out := []string{}
	for _, p := range paths {
		out = append(out, string(p))
	}
	return out
}
