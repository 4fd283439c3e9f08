package httpapi

import (
	"context"
	"strconv"
	"time"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/hosts"
	"restlesscrate/internal/service/insight"
)

// Everything below turns what the services know into what goes on the wire.

func page[T, W any](items []T, limit int, id func(T) int64, wire func(T) W) api.Page[W] {
	p := api.Page[W]{Items: make([]W, len(items))}
	for i, v := range items {
		p.Items[i] = wire(v)
	}
	if len(items) == limit {
		p.Next = strconv.FormatInt(id(items[len(items)-1]), 10)
	}
	return p
}

func when(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func wireServer(s model.Server) api.Server {
	w := api.Server{Name: s.Name, Rulebook: s.Rulebook, Learning: s.Learning, Variables: s.Variables, Facts: s.Facts, Version: s.Version, CreatedAt: s.CreatedAt,
		Transport: api.Transport{Kind: s.Transport.Kind, Root: s.Transport.Root, Host: s.Transport.Host, Port: s.Transport.Port, User: s.Transport.User, Auth: s.Transport.Auth, UploadLimit: s.Transport.UploadLimit}}
	w.HostKey = hosts.Fingerprint(s.HostKey)
	w.OfferedKey = hosts.Fingerprint(s.SeenKey)
	w.Known = []api.KnownFact{}
	for _, f := range s.FactList() {
		k := api.KnownFact{Name: f.Name, Value: f.Value, From: f.From, At: when(f.At), ByHand: f.ByHand, Before: f.Before}
		if f.Told != nil {
			k.Told, k.ToldBy = f.Told.Value, f.Told.From
		}
		w.Known = append(w.Known, k)
	}
	if a := s.Abilities; a != nil {
		w.Abilities = &api.Abilities{TestedAt: time.UnixMilli(a.TestedAt).UTC(), Modes: a.Modes, CaseBlind: a.CaseBlind, RenameFromWork: a.RenameFromWork,
			RenameOver: a.RenameOver, NoWork: a.NoWork, RenameFolders: a.RenameFolders, ResolutionMS: a.Resolution, Free: a.Free, Words: a.Words, Left: a.Left, Lock: a.Lock}
	}
	return w
}

func unwireTransport(t api.Transport) model.Transport {
	return model.Transport{Kind: t.Kind, Root: t.Root, Host: t.Host, Port: t.Port, User: t.User, Auth: t.Auth, UploadLimit: t.UploadLimit}
}

func wireRevision(r model.Revision) api.Rulebook {
	return api.Rulebook{Name: r.Name, Revision: r.Number, Title: r.Title, Actor: r.Actor, CreatedAt: r.CreatedAt}
}

func describeBook(w *api.Rulebook, b *rulebook.Book) {
	for _, k := range b.Kinds {
		w.Kinds = append(w.Kinds, api.Kind{Name: k.Name, About: k.About, Recognised: k.Recognised(), Files: k.Single})
	}
	for _, p := range b.Places {
		w.Places = append(w.Places, api.Place{Name: p.Name, Path: p.Path, About: p.About})
	}
	for _, v := range b.Variables {
		w.Variables = append(w.Variables, api.Asked{Name: v.Name, Ask: v.Ask, Default: v.Default})
	}
	for _, t := range b.Templates {
		w.Templates = append(w.Templates, api.Template{Name: t.Name, About: t.About, File: t.File, Words: t.Words()})
	}
}

func wireArchive(a model.Archive) api.Archive {
	return api.Archive{Digest: a.Digest.String(), Filename: a.Filename, Size: a.Size, Format: a.Format, Source: a.Source, Note: a.Note, Actor: a.Actor, Findings: findingsOrNone(a.Findings), StagedAt: a.CreatedAt}
}

func wireCrate(c model.Crate) api.Crate {
	w := api.Crate{Label: c.Body.Label(), Ref: c.Body.Label() + "~" + c.Digest.Short(), Digest: c.Digest.String(), Name: c.Body.Name, Version: c.Body.Version,
		Development: version.Development(c.Body.Version), Rulebook: c.Body.Rulebook, Revision: c.Revision, Kind: c.Body.Kind, Root: c.Body.Root.String(), Why: c.Body.Why, NameFrom: c.Body.NameFrom, VerFrom: c.Body.VersionFrom, Overlay: c.Body.Overlay, Base: c.Body.Base, Chosen: c.Body.Chosen, Corrected: c.Body.Corrected, Corrects: wordsOf(c.Body.Corrects), Findings: findings(c.Findings),
		Archives: []api.Archive{}, FileCount: len(c.Body.Files), LeftCount: len(c.Body.Left), StagedAt: c.CreatedAt}
	for _, a := range c.Archives {
		w.Archives = append(w.Archives, wireArchive(a))
	}
	for _, f := range c.Body.Files {
		w.Size += f.Size
	}
	for _, x := range c.Body.Says {
		w.Says = append(w.Says, api.Said{Source: string(x.Source), Line: x.Line, Text: x.Text})
	}
	for _, f := range c.Body.Facts {
		w.Facts = append(w.Facts, api.Fact{Kind: string(f.Kind), Name: f.Name, Range: f.Range, From: f.From})
	}
	return w
}

func wireHeld(held []insight.Held) []api.CrateTarget {
	out := make([]api.CrateTarget, len(held))
	for i, h := range held {
		out[i] = api.CrateTarget(h)
	}
	return out
}

func wireCrateWhole(c model.Crate) api.Crate {
	w := wireCrate(c)
	for _, f := range c.Body.Files {
		source := f.Source.String()
		if f.Source == tree.Root && len(c.Archives) > 0 {
			source = c.Archives[0].Filename
		}
		w.Files = append(w.Files, api.CrateFile{Source: source, Place: f.Place, Into: string(f.Into), Path: string(f.Path), Size: f.Size, Digest: f.Digest.String(), Exec: f.Exec, Reason: f.Reason, Line: f.Line, Optional: f.Optional, Settings: f.Settings})
	}
	for _, f := range c.Body.Folders {
		w.Folders = append(w.Folders, api.CrateFolder{Source: string(f.Source), Place: f.Place, Path: string(f.Path), Optional: f.Optional})
	}
	for _, l := range c.Body.Left {
		w.Left = append(w.Left, api.CrateLeft{Source: string(l.Source), Size: l.Size, Reason: l.Reason, Settled: l.Settled})
	}
	return w
}

// wireTried is a crate with what each reading found.
func wireTried(c model.Crate) api.Crate {
	w := wireCrateWhole(c)
	for _, t := range c.Body.Traces {
		w.Readings = append(w.Readings, api.Reading(t))
	}
	return w
}

func wirePallet(p model.Pallet) api.Pallet {
	w := api.Pallet{Label: p.Label(), Name: p.Name, Version: p.Version, Rulebook: p.Rulebook, Crates: []string{}, StagedAt: p.CreatedAt}
	for _, c := range p.Members {
		w.Crates = append(w.Crates, c.Body.Label())
	}
	return w
}

func wireComparison(old, now model.Crate) api.Comparison {
	w := api.Comparison{Old: old.Body.Label(), New: now.Body.Label(), Files: []api.Difference{}, Same: len(now.Body.Files)}
	for _, d := range layout.Compare(&old.Body, &now.Body) {
		w.Files = append(w.Files, api.Difference{Kind: string(d.Kind), Place: d.Place, Path: string(d.Path), FromPlace: d.FromPlace, From: string(d.From), Size: d.Size})
		if d.Kind != layout.Removed {
			w.Same--
		}
	}
	return w
}

// Staged is what came of an archive that nobody sent, as its job has it.
func (s *Server) Staged(ctx context.Context, st catalog.Staged) (any, error) {
	return s.staged(ctx, st)
}

// staged is what came of an archive, with how each crate fits the servers.
func (s *Server) staged(ctx context.Context, st catalog.Staged) (api.Staged, error) {
	fits, err := s.Insight.Fits(ctx)
	if err != nil {
		return api.Staged{}, err
	}
	return wireStaged(st, func(c model.Crate) api.Crate {
		w := wireCrate(c)
		w.Fits = wireFits(fits(c.Body.Rulebook, c.Body.Facts))
		return w
	}), nil
}

func wireStaged(st catalog.Staged, crate func(model.Crate) api.Crate) api.Staged {
	w := api.Staged{Archive: wireArchive(st.Archive), Known: st.Known, Before: st.Before, Renamed: st.Renamed, Reread: st.Reread, Back: st.Back, Mended: st.Mended, Rulebooks: []api.StagedByBook{}}
	for _, b := range st.Books {
		for i := range b.Crates {
			b.Crates[i].Archives = []model.Archive{st.Archive}
		}
		w.Rulebooks = append(w.Rulebooks, wireByBook(b, crate)) // the files are the crate's own to show
	}
	return w
}

func wireLoose(l catalog.Loose) api.Loose {
	w := api.Loose{Archive: wireArchive(l.Archive), Rulebooks: []api.SaidByBook{}}
	for _, b := range l.Said {
		w.Rulebooks = append(w.Rulebooks, api.SaidByBook{Rulebook: b.Rulebook, Choices: wireChoices(b.Choices), Crates: b.Crates})
	}
	return w
}

func wireChoices(choices []layout.Choice) (out []api.Choice) {
	for _, c := range choices {
		out = append(out, api.Choice{Kind: c.Kind, Root: c.Root.String(), Files: c.Files, Why: c.Why})
	}
	return out
}

func wireByBook(b catalog.BookResult, crate func(model.Crate) api.Crate) api.StagedByBook {
	wb := api.StagedByBook{Rulebook: b.Rulebook, Revision: b.Revision, Fresh: b.Fresh, Findings: findings(b.Findings), Crates: []api.Crate{}, Pallet: b.Pallet}
	for _, c := range b.Crates {
		wb.Crates = append(wb.Crates, crate(c))
	}
	wb.Choices = wireChoices(b.Choices)
	return wb
}

func wireState(s tree.State) api.State {
	return api.State{Being: s.Being.String(), Size: s.Size, Digest: s.Digest.String(), Mode: octal(s.Mode)}
}

func octal(mode uint32) string {
	if mode == 0 {
		return ""
	}
	return strconv.FormatUint(uint64(mode)|0o10000, 8)[1:] // with leading zeros
}

func crates(claims []draft.Claim) []string {
	out := []string{}
	for _, c := range claims {
		out = append(out, c.Label)
	}
	return out
}

func wireProgress(e model.JobEvent) api.JobEvent {
	p := e.Data
	return api.JobEvent{Number: e.Number, Kind: string(p.Kind), At: e.At, Data: api.Progress{Kind: string(p.Kind), Phase: p.Phase.String(), Step: p.Step,
		Done: p.Done, Total: p.Total, Sent: p.Sent, Path: string(p.Path), Text: p.Text}}
}

func wireEvent(e model.Event) api.Event {
	return api.Event{Seq: e.Seq, Path: string(e.Change.Path), Before: wireState(e.Change.Before), After: wireState(e.Change.After),
		CratesBefore: crates(e.Change.ClaimsBefore), CratesAfter: crates(e.Change.ClaimsAfter), Did: e.Change.Did(), Cause: e.Cause, Deployment: e.Deployment, Actor: e.Actor, At: e.At}
}

// orNone is a list that JSON writes as one where it is empty.
func orNone(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

func wireFile(f model.File) api.File {
	return api.File{Path: string(f.Path), Size: f.State.Size, Mode: octal(f.State.Mode), Digest: f.State.Digest.String(), Crates: crates(f.Claims),
		Archives: orNone(f.Archives), Deployment: f.Last.Deployment, Before: wireState(f.Before), Since: f.Last.At}
}

func wireFit(v fit.Verdict) api.Fit { return api.Fit{State: string(v.State), Why: v.String()} }

func wireFits(fits []insight.CrateFit) (out []api.CrateFit) {
	for _, f := range fits {
		out = append(out, api.CrateFit{Server: f.Server, Fit: wireFit(f.Verdict)})
	}
	return out
}

func (s *Server) wireStatus(st insight.Status) api.Status {
	w := api.Status{Server: wireServer(st.Server), Addons: []api.Addon{}, Files: st.Files, Settled: st.Settled, Queue: []api.Deployment{}, Drafts: []api.Deployment{}}
	for _, a := range st.Addons {
		w.Addons = append(w.Addons, api.Addon{Name: a.Name, Version: a.Version, Kind: a.Kind, Pallet: a.Pallet, Crate: a.Crate.String(), Files: a.Files, Size: a.Bytes,
			Rung: a.Rung, Listed: a.Listed, Disabled: a.Disabled, Evidence: a.Evidence, EvidenceAt: when(a.EvidenceAt), Note: a.Note, Oddities: append([]string{}, a.Oddities...), Trouble: a.Trouble, ChangedSince: a.ChangedSince, Others: append([]string{}, a.Others...), Newer: a.Newer, NewerUnfit: (*api.Unfit)(a.NewerUnfit), Fit: wireFit(a.Fit), Hold: wireHold(a.Hold), Deployment: a.Deployment, Since: a.Since})
	}
	w.Company = findings(st.Company)
	if st.Rhythm != (model.Rhythm{}) {
		r := s.looking().wireRhythm(st.Rhythm)
		w.Rhythm = &r
	}
	if st.Survey != nil {
		look := wireSurvey(*st.Survey)
		w.Survey = &look
	}
	if !st.LookedAt.IsZero() {
		w.Looked = &api.Look{At: st.LookedAt, Deployment: st.LookedBy}
	}
	if !st.Agree.At.IsZero() {
		w.Agree = &api.AgreeLook{At: st.Agree.At, By: st.Agree.By, Found: findings(st.Agree.Found)}
	}
	w.Pallets = []api.PalletOn{}
	for _, p := range st.Pallets {
		w.Pallets = append(w.Pallets, api.PalletOn{Label: p.Label, Of: p.Of, Missing: append([]string{}, p.Missing...)})
	}
	for _, d := range st.Queue {
		w.Queue = append(w.Queue, wireDeployment(d))
	}
	for _, d := range st.Drafts {
		w.Drafts = append(w.Drafts, wireDeployment(d))
	}
	if st.Open != nil {
		d := wireDeployment(*st.Open)
		w.Open = &d
	}
	if st.Last != nil {
		d := wireDeployment(*st.Last)
		w.Last = &d
	}
	return w
}

// wordsOf gives names of ours as the texts that they are.
func wordsOf[T ~string](names []T) (out []string) {
	for _, n := range names {
		out = append(out, string(n))
	}
	return out
}
