// Package insight answers questions about servers out of the records: what is
// on them, where each file came from, and what happened to a path. It changes
// nothing and connects to nothing.
package insight

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/timeline"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// Records is what this service reads.
type Records interface {
	Server(ctx context.Context, name string) (model.Server, error)
	Servers(ctx context.Context) ([]model.Server, error)
	Sums(ctx context.Context, server int64) ([]model.Sum, error)
	FileCount(ctx context.Context, server int64) (int, error)
	Texts(ctx context.Context, server int64) (map[tree.Path]model.Event, map[tree.Path]draft.Row, error)
	FilesOf(ctx context.Context, server int64, below, after tree.Path, limit int) ([]model.File, error)
	EachFiles(ctx context.Context, server int64, below, after tree.Path, each func([]model.File) error) error
	// ArchivesOf names the archives of the crates that have files on a server.
	ArchivesOf(ctx context.Context, server int64) (map[tree.Digest][]string, error)
	Events(ctx context.Context, server int64) ([]model.Event, error)
	EventsOf(ctx context.Context, server int64, addon string) ([]model.Event, error)
	EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
	CrateFacts(ctx context.Context, rulebook string) ([]model.CrateFacts, error)
	Deployment(ctx context.Context, server string, number int) (model.Deployment, error)
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
	DeploymentsOf(ctx context.Context, server int64, f model.TimelineFilter, before int64, limit int) ([]model.Deployment, error)
	DoneOf(ctx context.Context, server int64) ([]timeline.Done, error)
	Holdings(ctx context.Context) ([]model.Holding, error)
	LastRollCall(ctx context.Context, server int64) (model.RollCall, error)
	RollCallOf(ctx context.Context, deployment int64) (model.RollCall, error)
	Confirmations(ctx context.Context, server int64) ([]model.Confirmation, error)
	PalletMembers(ctx context.Context, rulebook string) ([]model.PalletMember, error)
	Choices(ctx context.Context, server int64) (map[string][]string, error)
	LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error)
	Oddities(ctx context.Context, rulebook string) ([]model.Oddity, error)
	SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error)
	Holds(ctx context.Context, server int64) (map[string]model.Hold, error)
	SetHold(ctx context.Context, server int64, h model.Hold) error
	LastLook(ctx context.Context, server int64) (model.Survey, error)
	Rhythm(ctx context.Context, server int64) (model.Rhythm, error)
	AgreementsSeen(ctx context.Context, server int64) (model.AgreeLook, error)
	LastJob(ctx context.Context, kind, subject string) (model.Job, error)
}

// Service answers.
type Service struct {
	Records Records
	Books   interface {
		Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
		AddonKey(ctx context.Context, rulebook, name string) (string, error)
	}
}

// Addon is one add-on on a server.
type Addon struct {
	Name, Version, Key, Kind string
	Crate                    tree.Digest
	Files                    int
	Bytes                    int64
	Deployment               string // the last one that changed it
	Since                    time.Time
	Rung                     string // placed, listed, loaded, confirmed
	Listed                   bool   // a load list names it, disabled or not
	Disabled                 bool
	Pallet                   string // name@version of the one with which this very crate came, if it is there
	Evidence                 string // of the rung, where it is loaded or confirmed
	EvidenceAt               time.Time
	Note                     string   // of whoever confirmed it
	Oddities                 []string // what looks wrong in it and is harmless
	Trouble                  string   // why it did not load at the last start
	TroubleLine              string   // of the log, that says so
	Asked                    bool     // the last roll call can say whether it loaded
	Silent                   bool     // a load list names it, and the last roll call heard nothing of it
	ChangedSince             bool     // since the last roll call
	Others                   []string // labels that still claim some of its paths, after a rollback of single files
	Newer                    string   // a newer version that is staged, and not known to be wrong for the server
	NewerUnfit               *Unfit   // one that is newer still, and is
	Fit                      fit.Verdict
	Hold                     model.Hold  // what people say of its updates; the zero value where they say nothing
	newest                   tree.Digest // the crate of Newer
}

// Status is what is on one server.
type Status struct {
	Server  model.Server
	Addons  []Addon // by name
	Files   int
	Open    *model.Deployment  // the deployment that keeps the server's slot
	Queue   []model.Deployment // that wait for it, in their order
	Drafts  []model.Deployment
	Last    *model.Deployment // the last that is over
	Settled int               // the number of the last that is over and was about files
	Pallets []PalletOn
	// LookedAt is when a deployment last looked at what it is about, and LookedBy its name.
	LookedAt time.Time
	LookedBy string
	Rhythm   model.Rhythm
	Survey   *model.Survey     // the last one, without what differs; nil where there was none
	Company  []finding.Finding // what is wrong between the add-ons
	RolledAt time.Time         // when the last roll call was; zero where there was none
	RolledBy string            // the deployment that called it; empty where none did
	Agree    model.AgreeLook   // what was last seen of the values that must go together
}

func (s *Service) server(ctx context.Context, name string) (model.Server, error) {
	srv, err := s.Records.Server(ctx, name)
	if errors.Is(err, model.ErrNotFound) {
		return srv, fault.New(fault.Unknown, "server-unknown", "there is no server named %q", name).By(finding.ShowServers.With())
	}
	return srv, err
}

// recent is how many deployments a status looks back over.
const recent = 200

// Status tells what is on a server.
func (s *Service) Status(ctx context.Context, name string) (Status, error) {
	return s.status(ctx, name, s.known)
}

// status is Status; known gives what is known of a rulebook's crates.
func (s *Service) status(ctx context.Context, name string, known func(context.Context, string) (known, error)) (st Status, err error) {
	if st.Server, err = s.server(ctx, name); err != nil {
		return st, err
	}
	sums, err := s.Records.Sums(ctx, st.Server.ID)
	if err != nil {
		return st, err
	}
	last, texts, err := s.Records.Texts(ctx, st.Server.ID)
	if err != nil {
		return st, err
	}
	if st.Files, err = s.Records.FileCount(ctx, st.Server.ID); err != nil {
		return st, err
	}
	var newest map[string]int64
	st.Addons, newest = addons(sums, texts, last)
	call, err := s.climb(ctx, st.Server, st.Addons, newest)
	if err != nil {
		return st, err
	}
	st.RolledAt, st.RolledBy = call.At, call.Deployment
	k, err := known(ctx, st.Server.Rulebook)
	if err != nil {
		return st, err
	}
	b, told := k.book, k.told
	for i := range st.Addons {
		if c := told.crates[st.Addons[i].Crate]; c != nil {
			st.Addons[i].Kind = c.Kind
		}
	}
	if err := s.odd(ctx, st.Server, b, st.Addons); err != nil {
		return st, err
	}
	if st.Company, err = s.suits(ctx, st.Server, b, told, st.Addons); err != nil {
		return st, err
	}
	st.Pallets = pallets(k.members, st.Addons)
	if st.Rhythm, err = s.Records.Rhythm(ctx, st.Server.ID); err != nil {
		return st, err
	}
	switch look, err := s.Records.LastLook(ctx, st.Server.ID); {
	case err == nil:
		st.Survey = &look
	case !errors.Is(err, model.ErrNotFound):
		return st, err
	}
	if st.Agree, err = s.Records.AgreementsSeen(ctx, st.Server.ID); err != nil {
		return st, err
	}
	list, err := s.Records.Deployments(ctx, name, 0, recent)
	for _, d := range list {
		for _, at := range []time.Time{d.CreatedAt, d.EndedAt} { // it looks before it is drafted, and again once it has run
			if at.After(st.LookedAt) && d.Kind != "tweak" {
				st.LookedAt, st.LookedBy = at, d.Name()
			}
		}
		switch {
		case d.State.Open() && st.Open == nil:
			st.Open = &d
		case d.State == model.Queued:
			st.Queue = append(st.Queue, d)
		case d.State == model.Draft:
			st.Drafts = append(st.Drafts, d)
		case st.Last == nil && (d.State == model.Done || d.State == model.UndoneAll):
			st.Last = &d
		}
		// One that changes a value of a text says nothing of the files that others found changed.
		if (d.State == model.Done || d.State == model.UndoneAll) && d.Kind != "tweak" {
			st.Settled = max(st.Settled, d.Number)
		}
	}
	slices.SortStableFunc(st.Queue, func(a, b model.Deployment) int { return a.StartedAt.Compare(b.StartedAt) })
	return st, err
}

// addons puts together what versions of add-ons claim and what texts name. Where
// paths claim different crates of one add-on, the one deployed last names the version.
func addons(sums []model.Sum, texts map[tree.Path]draft.Row, last map[tree.Path]model.Event) (out []Addon, newest map[string]int64) {
	byKey := map[string]*Addon{}
	newest = map[string]int64{}
	labels := map[string]map[string]bool{}
	best := map[string]*model.Sum{}
	files := map[string]int{} // by version
	for _, sum := range sums {
		a := byKey[sum.Addon]
		if a == nil {
			a = &Addon{Key: sum.Addon, Rung: "placed"}
			byKey[sum.Addon], labels[sum.Addon] = a, map[string]bool{}
		}
		a.Files += sum.Files
		a.Bytes += sum.Bytes
		labels[sum.Addon][sum.Label] = true
		newest[sum.Addon] = max(newest[sum.Addon], sum.Seq)
		// What most of its files are says the version: one path may have gone back by itself.
		if most := best[sum.Addon]; most == nil || sum.Files > most.Files || sum.Files == most.Files && sum.Seq > most.Seq {
			best[sum.Addon] = &sum
			a.Name, a.Version, _ = cutLast(sum.Label)
			a.Crate, a.Deployment, a.Since = sum.Crate, sum.Deployment, sum.At
		}
		files[sum.Label] += sum.Files
	}
	for p, row := range texts {
		for _, l := range row.Listed {
			a := byKey[l.Addon]
			if a == nil { // without files: it is nothing but an entry
				a = &Addon{Key: l.Addon, Crate: l.Crate, Deployment: last[p].Deployment, Since: last[p].At}
				a.Name, a.Version, _ = cutLast(l.Label)
				byKey[l.Addon], labels[l.Addon] = a, map[string]bool{}
			}
			a.Listed = true
			if a.Disabled = a.Disabled || l.Off; !l.Off {
				a.Rung = ListedNow
			}
			newest[l.Addon] = max(newest[l.Addon], listedSince(l, last[p]))
		}
	}
	for _, a := range byKey {
		if a.Disabled {
			a.Rung = "placed"
		}
	}
	for key, a := range byKey {
		delete(labels[key], a.Name+"@"+a.Version)
		for l := range labels[key] {
			a.Others = append(a.Others, fmt.Sprintf("%s (%s)", l, words.Count(files[l], "file")))
		}
		slices.Sort(a.Others)
		out = append(out, *a)
	}
	slices.SortFunc(out, func(a, b Addon) int { return strings.Compare(a.Key, b.Key) })
	return out, newest
}

// Held is a version of an add-on on a server.
type Held struct{ Server, Version, Crate string }

// Holders tells which servers hold which versions of an add-on; its argument
// is the add-on's rulebook and key.
func (s *Service) Holders(ctx context.Context) (func(rulebook, key string) []Held, error) {
	type addon struct{ rulebook, key string }
	holdings, err := s.Records.Holdings(ctx)
	held := map[addon][]Held{}
	for _, h := range holdings {
		_, ver, _ := cutLast(h.Label)
		a := addon{h.Rulebook, h.Addon}
		held[a] = append(held[a], Held{h.Server, ver, h.Crate.String()})
	}
	return func(rulebook, key string) []Held { return held[addon{rulebook, key}] }, err
}

func cutLast(label string) (name, ver string, ok bool) {
	i := strings.LastIndexByte(label, '@')
	if i < 0 {
		return label, "", false
	}
	return label[:i], label[i+1:], true
}

// Files lists what the ledger holds at or below a path, behind the path after, at most
// limit of them.
func (s *Service) Files(ctx context.Context, name string, below, after tree.Path, limit int) ([]model.File, error) {
	srv, err := s.server(ctx, name)
	if err != nil {
		return nil, err
	}
	files, err := s.Records.FilesOf(ctx, srv.ID, below, after, limit)
	if err != nil {
		return nil, err
	}
	archives, err := s.Records.ArchivesOf(ctx, srv.ID)
	withArchives(files, archives)
	return files, err
}

// EachFiles gives all that the ledger holds at or below a path, behind the path after, some
// at a time.
func (s *Service) EachFiles(ctx context.Context, name string, below, after tree.Path, each func([]model.File) error) error {
	srv, err := s.server(ctx, name)
	if err != nil {
		return err
	}
	archives, err := s.Records.ArchivesOf(ctx, srv.ID)
	if err != nil {
		return err
	}
	return s.Records.EachFiles(ctx, srv.ID, below, after, func(files []model.File) error {
		withArchives(files, archives)
		return each(files)
	})
}

// withArchives notes the archives that files came from.
func withArchives(files []model.File, archives map[tree.Digest][]string) {
	for i := range files {
		f := &files[i]
		for _, c := range f.Claims {
			names := archives[c.Crate]
			if f.Archives == nil {
				f.Archives = names[:len(names):len(names)] // one list for all that come alone
			} else {
				f.Archives = append(f.Archives, names...)
			}
		}
	}
}

func orText(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// LastRun gives the newest job that ran, resumed or undid a deployment;
// [model.ErrNotFound] where there was none.
func (s *Service) LastRun(ctx context.Context, deployment string) (model.Job, error) {
	return s.Records.LastJob(ctx, "run", deployment)
}
