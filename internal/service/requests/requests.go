// Package requests turns what a person asks for into a request for a draft: it reads the
// ledger, crates, rulebooks and what people chose. It looks at no server and changes
// nothing.
package requests

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// Records is what has to be known for a request.
type Records interface {
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error)
	Sums(ctx context.Context, server int64) ([]model.Sum, error)
	Events(ctx context.Context, server int64) ([]model.Event, error)
	CrateFacts(ctx context.Context, rulebook string) ([]model.CrateFacts, error)
	LastRollCall(ctx context.Context, server int64) (model.RollCall, error)
	LastSeq(ctx context.Context, server int64, number int) (int64, error)
	Deployment(ctx context.Context, server string, number int) (model.Deployment, error)
	DeploymentByID(ctx context.Context, id int64) (model.Deployment, error)
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
	Marks(ctx context.Context, deployment int64) (deploy.Marks, error)
	Choices(ctx context.Context, server int64) (map[string][]string, error)
	// Moves are the names that files and folders of a server got, as far as they hold still.
	Moves(ctx context.Context, server int64) (draft.Moves, error)
	SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error)
	MarkSecret(ctx context.Context, server int64, p tree.Path, at, actor string) error
	KeptSides(ctx context.Context, server int64) (map[string]merge.Side, error)
	DoneByHand(ctx context.Context, server int64) (map[model.HandKey]string, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
}

// Catalog gives crates and rulebooks.
type Catalog interface {
	FindCrate(ctx context.Context, rulebook, ref string) (model.Crate, error)
	AddonKey(ctx context.Context, rulebook, name string) (string, error)
	FindCrateFor(ctx context.Context, b *rulebook.Book, ref string, facts map[string]string) (model.Crate, error)
	Pallets(ctx context.Context, rulebook, name string) ([]model.Pallet, error)
	PalletMembers(ctx context.Context, rulebook string) ([]model.PalletMember, error)
	Merge(ctx context.Context, b *rulebook.Book, base tree.Digest, name string, parts []model.MergePart) (model.Merged, error)
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
}

// Maker makes requests.
type Maker struct {
	Records Records
	Catalog Catalog
	// Bytes gives a content that the stockroom holds, as long as most bytes; ok is false where
	// it does not, or where the content is longer.
	Bytes func(ctx context.Context, d tree.Digest, most int64) (raw []byte, ok bool, err error)
}

// Ask is what a person wants. Exactly one of Crates, Remove, Enable with Disable, and
// Back is set.
// It is kept with the deployment, so that it can be drafted again.
type Ask struct {
	Crates  []string `json:"crates,omitempty"`  // name@version; kept with their digests once resolved
	With    []string `json:"with,omitempty"`    // parts by choice that are taken: PART or ADDON:PART
	Without []string `json:"without,omitempty"` // and that are left
	// Set are values of the server that are changed, as NAME=VALUE.
	Set []string `json:"set,omitempty"`
	// Parts are the parts taken, by the add-on's key, once resolved.
	Parts map[string][]string `json:"parts,omitempty"`
	// Retire are add-ons that an older version of a pallet brought and that
	// the one that is deployed does not hold, once resolved.
	Retire []string `json:"retire,omitempty"`
	// Kept says why members of a pallet are not deployed, once resolved.
	Kept   []string `json:"kept,omitempty"`
	Remove []string `json:"remove,omitempty"` // add-on names
	// Adopt has the ledger take the crates in as they lie on the server already.
	Adopt bool `json:"adopt,omitempty"`
	// InsteadOf are names of add-ons that go, because what is deployed takes their place.
	InsteadOf []string `json:"insteadOf,omitempty"`
	// Renamed are names that are changed in texts along with it; Tweaks change them.
	Renamed []draft.Renamed `json:"renamed,omitempty"`
	// TakeNeeds has what the crates need of what is staged come along; Along are the keys of what
	// does, once resolved.
	TakeNeeds bool     `json:"takeNeeds,omitempty"`
	Along     []string `json:"along,omitempty"`
	// Enable and Disable are add-on names.
	Enable  []string `json:"enable,omitempty"`
	Disable []string `json:"disable,omitempty"`
	// Thorough has every file read back and hashed once it is sent.
	Thorough bool `json:"thorough,omitempty"`
	// Leave has the server not stopped, Restart has it stopped where a reload would
	// do, and OrUndo has all taken back where it does not come up or what was
	// deployed does not load.
	Data    bool     `json:"data,omitempty"`   // every data folder is copied first
	NoData  bool     `json:"noData,omitempty"` // none is
	Renew   []string `json:"renew,omitempty"`  // data places that the server makes anew
	Leave   bool     `json:"leave,omitempty"`
	Restart bool     `json:"restart,omitempty"`
	OrUndo  bool     `json:"orUndo,omitempty"`
	// OrUndoEach is OrUndo, but what did not load goes back alone while the rest stays.
	OrUndoEach bool `json:"orUndoEach,omitempty"`
	// Trial has the server started to see whether it comes up; that it does not halts nothing.
	Trial bool  `json:"trial,omitempty"`
	Back  *Back `json:"back,omitempty"`
	// Tweaks are changes of texts that shall hold, alone or along with the rest; Untweak are
	// the IDs of those that are taken back.
	Tweaks  []AskTweak `json:"tweaks,omitempty"`
	Untweak []string   `json:"untweak,omitempty"`
	// Texts are texts that a person has edited as a whole.
	Texts []AskText `json:"texts,omitempty"`
	// Moves are files and folders that get other names; what else is asked for names them as
	// they are called before.
	Moves draft.Moves `json:"moves,omitempty"`
	// Settle says what is done about what a survey found to differ.
	Settle []Settling `json:"settle,omitempty"`
	// Swaps are files of a person's own that take the places of others.
	Swaps []AskSwap `json:"swaps,omitempty"`
	// Keep says, by PATH:KEY, whose value stays where both the server and a new version
	// changed it.
	Keep map[string]merge.Side `json:"keep,omitempty"`
}

// Back is a rollback. Deployment alone is that deployment's inverse; Path and
// Addon go back one change unless To is given; To alone is the whole server.
type Back struct {
	Deployment int         `json:"deployment,omitempty"`
	Path       tree.Path   `json:"path,omitempty"`
	Addon      string      `json:"addon,omitempty"`
	Good       bool        `json:"good,omitempty"` // as they stood after the last that is called good; becomes To
	AsOf       time.Time   `json:"asOf,omitzero"`  // as they stood at that moment; becomes To
	To         *int        `json:"to,omitempty"`   // as things stood after that deployment; 0: before the first
	Data       bool        `json:"data,omitempty"` // with Deployment: the data folders that it copied too
	Leave      []tree.Path `json:"leave,omitempty"`
}

// Make turns an ask into a deployment to be and a request for the core.
func (s *Maker) Make(ctx context.Context, srv model.Server, ask Ask) (model.Deployment, *draft.Request, error) {
	d := model.Deployment{ServerID: srv.ID, Server: srv.Name}
	req := &draft.Request{Host: HostOf(srv), Thorough: ask.Thorough}
	// Nothing on the way of plain FTP tells that bytes were changed, unless a test has
	// proved once that they are not.
	req.Host.Plain = srv.Transport.Kind == "ftp" && (srv.Abilities == nil || !srv.Abilities.Clean)
	req.Host.Unclean = srv.Abilities != nil && srv.Abilities.Unclean
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return d, nil, err
	}
	marks, err := s.Records.SecretMarks(ctx, srv.ID)
	if err != nil {
		return d, nil, err
	}
	req.Secret = func(p tree.Path, at string) bool { return b.Secret(p, at) || marks.Has(p, at) }
	mark := func(p tree.Path, at string) error {
		marks[p] = append(marks[p], at)
		return s.Records.MarkSecret(ctx, srv.ID, p, at, "drawn from a secret")
	}
	req.Format = func(p tree.Path) text.Format { r, _ := b.TextRule(p); return r.Format }
	if b.Agreeing() && ask.Back == nil {
		req.AgreeFiles = agree.Files(b, srv.Variables)
		req.Agree = func(s agree.Seen) []agree.Broken { return agree.Check(b, srv.Variables, s) }
	}
	req.Protected, req.CaseBlind, req.FirstRun = b.Protected, b.CaseBlind, b.FirstRun
	if err := s.addressed(ctx, srv, &ask); err != nil {
		return d, nil, err
	}
	ofServer(b, &ask)
	part := false
	if req.Ledger, req.Present, part, err = s.ledgerFor(ctx, srv, b, ask); err != nil {
		return d, nil, err
	}
	if err := renaming(&ask, req); err != nil {
		return d, nil, err
	}
	Lists(b, srv, req)
	now := srv // with its variables as they are
	if srv, err = s.renewals(b, srv, ask, req); err != nil {
		return d, nil, err
	}
	if srv, err = values(b, srv, &ask, req); err != nil {
		return d, nil, err
	}
	var crates []model.Crate // that are wanted
	wants := 0
	for _, set := range []bool{len(ask.Crates) > 0, len(ask.Remove) > 0, len(ask.Enable)+len(ask.Disable) > 0, ask.Back != nil} {
		if set {
			wants++
		}
	}
	switch {
	case wants == 0 && len(ask.Tweaks)+len(ask.Untweak)+len(ask.Texts)+len(ask.Swaps)+len(ask.Moves) > 0:
		d.Kind = "tweak"
	case wants == 0 && len(ask.Settle) > 0:
		d.Kind = "settle"
		d.Title, err = s.settles(ctx, ask.Settle, false, req)
	case wants == 0 && len(ask.Set) > 0:
		d.Kind, d.Title = "deploy", "set "+words.Few(ask.Set)
	case wants == 0 && len(ask.Renew) > 0:
		d.Kind, d.Title = "deploy", "renew "+words.Few(ask.Renew)
	case wants == 0 && len(ask.With) > 0:
		err = ofNone(b, ask.With)
	case wants != 1:
		err = fault.New(fault.Usage, "bad-request", "a draft needs exactly one of: crates, add-ons to remove, to enable or to disable, something to roll back")
	case len(ask.Crates) > 0:
		d.Kind = "deploy"
		if d.Title, crates, err = s.wanted(ctx, srv, b, &ask, req); err == nil {
			err = s.moved(ctx, srv, req)
		}
		if err == nil && len(ask.Settle) > 0 { // copies that are replaced
			_, err = s.settles(ctx, ask.Settle, true, req)
		}
		req.Copies, req.Recognise = copiesOf(b, srv), recognised(b, srv)
		if ask.Adopt {
			d.Kind, d.Title = "adopt", "take in "+d.Title
		}
	case len(ask.Remove) > 0:
		d.Kind = "remove"
		d.Title, err = s.removals(ctx, srv, b, ask.Remove, req)
		if err == nil && len(ask.Settle) > 0 { // what the server made for them goes too
			_, err = s.settles(ctx, ask.Settle, true, req)
		}
	case len(ask.Enable) > 0 && len(ask.Disable) > 0:
		d.Kind = "disable"
		var on, off string
		if on, err = s.toggles(ctx, srv, b, ask.Enable, false, req); err == nil {
			off, err = s.toggles(ctx, srv, b, ask.Disable, true, req)
		}
		d.Title = on + ", " + off
	case len(ask.Enable) > 0:
		d.Kind = "enable"
		d.Title, err = s.toggles(ctx, srv, b, ask.Enable, false, req)
	case len(ask.Disable) > 0:
		d.Kind = "disable"
		d.Title, err = s.toggles(ctx, srv, b, ask.Disable, true, req)
	default:
		d.Kind = "rollback"
		d.Title, err = s.back(ctx, srv, b, ask.Back, req)
	}
	if err == nil {
		var title string
		if title, err = s.tweaks(ctx, b, now, &ask, req, mark); d.Kind == "tweak" {
			d.Title = title
		}
	}
	if err == nil {
		err = s.kept(ctx, srv, ask.Keep, req)
	}
	if err == nil && ask.Back == nil {
		err = s.renewed(ctx, b, srv, req)
	}
	if err == nil && part {
		err = s.targets(ctx, srv, req)
	}
	if err == nil {
		err = s.touched(ctx, b, req)
		s.counts(b, req)
	}
	if err == nil && wants == 1 && !ask.Adopt {
		err = s.company(ctx, srv, b, crates, ask, req)
	}
	if err == nil && !ask.Adopt { // which does nothing to the server
		err = s.atTheServer(ctx, b, srv, now, ask, req)
	}
	if err != nil {
		return d, nil, err
	}
	d.Delicate = len(req.Puts) > 0 || slices.ContainsFunc(req.Tweaks, func(w draft.TweakWish) bool { return w.Tweaked.Tweak.Hidden })
	d.Ask, err = json.Marshal(ask)
	return d, req, err
}

// atTheServer adds what is done besides to the files: starts, what a person does, copies of data.
func (s *Maker) atTheServer(ctx context.Context, b *rulebook.Book, srv, now model.Server, ask Ask, req *draft.Request) error {
	if err := launches(b, now, req); err != nil {
		return err
	}
	if err := (byHand{s}).hands(ctx, srv, b, req); err != nil {
		return err
	}
	return worlds{s}.data(b, now, ask, req)
}

// Settling is what is done about one path.
type Settling struct {
	Path   tree.Path      `json:"path"`
	Do     draft.Settling `json:"do"`
	Folder bool           `json:"folder,omitempty"` // that is removed, once what is in it is known
}

// addressed replaces names of add-ons that are not their keys by these: people write what
// the manifest calls an add-on, and its key may be the manifest's id.
func (s *Maker) addressed(ctx context.Context, srv model.Server, ask *Ask) error {
	names := []*string{}
	for _, list := range [][]string{ask.Remove, ask.Enable, ask.Disable, ask.InsteadOf} {
		for i := range list {
			names = append(names, &list[i])
		}
	}
	if ask.Back != nil && ask.Back.Addon != "" {
		names = append(names, &ask.Back.Addon)
	}
	for _, name := range names {
		key, err := s.Catalog.AddonKey(ctx, srv.Rulebook, *name)
		if err != nil {
			return err
		}
		if key != layout.Key(*name) {
			*name = key
		}
	}
	return nil
}

// HostOf is what a draft has to know of a host, as far as a test has found it out.
func HostOf(srv model.Server) draft.Host {
	a := srv.Abilities
	if a == nil {
		return draft.Host{Set: ability.Set{Modes: true, RenameFromWork: true, Free: -1}, UploadLimit: srv.Transport.UploadLimit}
	}
	h := draft.Host{Set: a.Set, Tested: true, UploadLimit: srv.Transport.UploadLimit}
	h.Free = -1 // what was free at the test says nothing of now
	return h
}

// Find gives a deployment by server and number, without what is long in its draft.
func Find(ctx context.Context, records interface {
	Deployment(ctx context.Context, server string, number int) (model.Deployment, error)
}, server string, number int) (model.Deployment, error) {
	d, err := records.Deployment(ctx, server, number)
	if errors.Is(err, model.ErrNotFound) {
		return d, fault.New(fault.Unknown, "deployment-unknown", "there is no deployment %s#%d", server, number).By(finding.ShowDeployments.On(server))
	}
	return d, err
}

// Read gives what was asked for as it is kept with a deployment.
func Read(raw json.RawMessage) (ask Ask, err error) {
	if err := json.Unmarshal(raw, &ask); err != nil {
		return ask, fmt.Errorf("the recorded ask cannot be read: %w", err)
	}
	return ask, nil
}
