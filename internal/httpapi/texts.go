package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/texts"
)

// textOps are about the settings texts of servers.
func (s *Server) textOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/texts", "list-texts", "The settings texts of a server", "texts"), func(ctx context.Context, in *struct {
		OnServer
		All bool `query:"all" doc:"Every text of its tree"`
	}) (*body[api.Page[api.Text]], error) {
		all, err := s.Texts.List(ctx, in.Server, in.All)
		return &body[api.Page[api.Text]]{page(all, -1, func(texts.Text) int64 { return 0 }, wireText)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/text", "get-text", "One text of a server with its values; PACKED!/INNER is one inside a packed file", "texts"), func(ctx context.Context, in *struct {
		OnServer
		Path   string `query:"path" required:"true"`
		Reveal bool   `query:"reveal" doc:"Show secrets as they are"`
	}) (*body[api.TextShown], error) {
		p, err := parsePath(in.Path)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		t, err := s.Texts.Show(ctx, in.Server, p, in.Reveal)
		return &body[api.TextShown]{wireShown(t)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/text/elsewhere", "find-value-elsewhere", "Where else a value of a text stands, in the settings of its server", "texts"), func(ctx context.Context, in *struct {
		OnServer
		Path string `query:"path" required:"true"`
		At   string `query:"at" required:"true" doc:"The value path"`
	}) (*body[api.Elsewhere], error) {
		p, err := parsePath(in.Path)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		e, err := s.Texts.Elsewhere(ctx, in.Server, p, in.At)
		return &body[api.Elsewhere]{api.Elsewhere{Places: wirePlaces(e.Places), Texts: e.Texts, Common: e.Common}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/secrets", "mark-secret", "Have a value of a text be masked wherever it is shown", "texts"), func(ctx context.Context, in *struct {
		OnServer
		Body api.SecretMark
	}) (*struct{}, error) {
		p, err := parsePath(in.Body.Path)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return nil, s.fail(ctx, s.Texts.MarkSecret(ctx, in.Server, p, in.Body.At, in.Body.Off, actorOf(ctx)))
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/find", "find-in-texts", "Every line of a server's texts in which a word stands", "texts"), func(ctx context.Context, in *struct {
		OnServer
		Word  string `query:"word" required:"true"`
		Blind bool   `query:"blind" doc:"Small and capital letters are the same"`
	}) (*body[api.Found], error) {
		f, err := s.Texts.Find(ctx, in.Server, in.Word, in.Blind)
		out := api.Found{Lines: []api.FoundLine{}, Files: f.Files, Partial: f.Partial}
		for _, l := range f.Hits {
			out.Lines = append(out.Lines, api.FoundLine{Path: string(l.Path), Line: l.Line, Text: l.Text, At: l.At})
		}
		return &body[api.Found]{out}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/named", "find-name", "Every place of a server's texts in which a name stands as a whole, and what is called so", "texts"), func(ctx context.Context, in *struct {
		OnServer
		Name   string   `query:"name" required:"true"`
		To     string   `query:"to" doc:"Its new name, for what a draft takes that changes it"`
		Longer bool     `query:"longer" doc:"Within longer names too"`
		Leave  []string `query:"leave,explode" doc:"Files and folders that keep their names"`
	}) (*body[api.NamedIn], error) {
		f, err := s.Texts.Named(ctx, in.Server, in.Name, in.Longer)
		out := api.NamedIn{Places: []api.NamePlace{}, Binary: []string{}, Paths: []string{}, Texts: f.Files}
		out.Places = wirePlaces(f.Places)
		for _, p := range f.Binary {
			out.Binary = append(out.Binary, string(p))
		}
		for _, p := range f.Paths {
			out.Paths = append(out.Paths, string(p))
		}
		if in.To == "" || err != nil {
			return &body[api.NamedIn]{out}, s.fail(ctx, err)
		}
		for _, r := range f.Rewritings(in.Name, in.To, in.Longer, func(texts.Place) bool { return false }) {
			out.Tweaks = append(out.Tweaks, api.TweakWish{Path: string(r.Path), Note: renamedNote(in.Name, in.To), Tweak: r.Tweak})
		}
		var leave []tree.Path
		for _, p := range in.Leave { // only compared with what there is
			leave = append(leave, tree.Path(p))
		}
		for _, m := range draft.Renamings(f.Paths, in.Name, in.To, !in.Longer, leave) {
			out.Moves = append(out.Moves, api.Renaming{From: string(m.From), To: string(m.To)})
		}
		return &body[api.NamedIn]{out}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/lint", "lint-server", "What is wrong with a server's settings", "texts"), func(ctx context.Context, in *OnServer) (*body[api.Linted], error) {
		found, n, err := s.Texts.Check(ctx, in.Server, actorOf(ctx))
		return &body[api.Linted]{api.Linted{Findings: wireLint(found), Texts: n}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/crates/{crate}/lint", "lint-crate", "What is wrong with a crate's texts", "texts"), func(ctx context.Context, in *CrateRef) (*body[api.Linted], error) {
		found, n, err := s.Texts.CheckCrate(ctx, in.Rulebook, in.Ref)
		return &body[api.Linted]{api.Linted{Findings: wireLint(found), Texts: n}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/lint", "lint-text", "What is wrong with a text; keeps nothing", "texts"), func(ctx context.Context, in *body[api.LintText]) (*body[api.Linted], error) {
		p, err := parsePath(in.Body.Name)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &body[api.Linted]{api.Linted{Findings: wireLint(texts.CheckText(p, in.Body.Raw, text.Format(in.Body.Format))), Texts: 1}}, nil
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/tweaks", "list-tweaks", "The tweaks that hold on a server", "texts"), func(ctx context.Context, in *OnServer) (*body[api.Page[api.TweakOn]], error) {
		all, err := s.Insight.Tweaks(ctx, in.Server)
		p := api.Page[api.TweakOn]{Items: []api.TweakOn{}}
		for _, t := range all {
			p.Items = append(p.Items, wireTweak(t.Path, t.Tweaked))
		}
		return &body[api.Page[api.TweakOn]]{p}, s.fail(ctx, err)
	})
}

// renamedNote says why a text is changed.
func renamedNote(from, to string) string { return from + " is called " + to }

func wirePlaces(list []texts.Place) []api.NamePlace {
	out := []api.NamePlace{}
	for _, p := range list {
		out = append(out, api.NamePlace{Path: string(p.Path), Nth: p.Nth, Line: p.Line, Text: p.Text, At: p.At, Owners: append([]string{}, p.Owners...), Listed: p.Listed, Log: p.Log})
	}
	return out
}

func wireTweak(p tree.Path, k draft.Tweaked) api.TweakOn {
	w := api.TweakOn{ID: k.ID, Path: insideOf(p, k.Inside), Does: "it " + k.Tweak.String(), For: k.Addon, If: k.If, Off: k.Off, From: k.From, Note: k.Note, At: k.Tweak.At}
	if !k.Tweak.Hidden && !text.SecretPath(k.Tweak.At) {
		w.Value = k.Tweak.Value
	}
	return w
}

// insideOf is the path of a text, in a packed file too.
func insideOf(p tree.Path, inside string) string {
	if inside == "" {
		return string(p)
	}
	return string(p) + "!/" + inside
}

func wireLint(list []lint.Finding) []api.TextFinding {
	out := []api.TextFinding{}
	for _, f := range list {
		out = append(out, api.TextFinding{Finding: findings([]finding.Finding{f.Finding})[0], Line: f.Line, Column: f.Column, At: f.At, Tweak: f.Tweak})
	}
	return out
}

func wireText(t texts.Text) api.Text {
	w := api.Text{Path: string(t.Path), Size: t.Size, Format: string(t.Format), Encoding: string(t.Encoding), Owners: append([]string{}, t.Owners...), About: t.About, Made: t.Made,
		Settings: t.Settings, Changed: t.Changed, Tweaks: []api.TweakOn{}, Findings: wireLint(t.Findings)}
	if t.Modified != 0 {
		at := time.UnixMilli(t.Modified)
		w.Modified = &at
	}
	for _, k := range t.Tweaks {
		w.Tweaks = append(w.Tweaks, wireTweak(t.Path, k))
	}
	return w
}

func wireShown(t texts.Shown) api.TextShown {
	w := api.TextShown{Text: wireText(t.Text), Body: t.Body, Raw: t.Raw, Digest: t.Digest.String(), Masked: t.Masked, Ends: t.Ends, Values: []api.TextValue{}, Partial: t.Partial, Shipped: t.Shipped}
	for _, v := range t.Values {
		w.Values = append(w.Values, api.TextValue{Path: v.Path, Line: v.Line, Kind: v.Kind, Type: string(v.Type), Value: v.Value, Comment: v.Comment, Secret: v.Secret, Doubled: v.Doubled, Counts: v.Counts, Choices: v.Choices})
	}
	return w
}

// unwireTexts reads what is asked of texts.
func unwireTexts(in api.NewDraft, ask *requests.Ask) error {
	for _, t := range in.Tweaks {
		a := requests.AskTweak{Tweak: t.Tweak, For: t.For, If: t.If, From: t.From, Note: t.Note, Template: t.Template, With: t.With}
		if t.Template == "" {
			var err error
			if a.Path, err = parsePath(t.Path); err != nil {
				return err
			}
		}
		ask.Tweaks = append(ask.Tweaks, a)
	}
	for _, t := range in.Texts {
		p, err := parsePath(t.Path)
		if err != nil {
			return err
		}
		ask.Texts = append(ask.Texts, requests.AskText{Path: p, Was: t.Was, Now: t.Now, Note: t.Note})
	}
	for _, m := range in.Moves {
		from, err := parsePath(m.From)
		if err != nil {
			return err
		}
		to, err := parsePath(m.To)
		if err != nil {
			return err
		}
		ask.Moves = append(ask.Moves, draft.Renaming{From: from, To: to})
	}
	for _, w := range in.Swaps {
		a := requests.AskSwap{Bytes: draft.Bytes{Size: w.Size}, Name: w.Name, As: w.As, Note: w.Note}
		var err error
		if a.Path, err = parsePath(w.Path); err != nil {
			return err
		}
		if w.In != "" {
			if a.In, err = parsePath(w.In); err != nil {
				return err
			}
		}
		if err := a.Bytes.Digest.UnmarshalText([]byte(w.Digest)); err != nil {
			return fault.New(fault.Usage, "bad-request", "%q is no digest of a file that was sent", w.Digest)
		}
		ask.Swaps = append(ask.Swaps, a)
	}
	ask.Untweak, ask.Keep = in.Untweak, in.Keep
	return nil
}
