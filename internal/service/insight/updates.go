package insight

import (
	"context"
	"errors"
	"time"

	"restlesscrate/internal/core/feed"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Update is what there is to know of the next version of an add-on.
type Update struct {
	Addon            Addon
	Available        string // the newest that is staged and not known to be wrong; empty for none
	Crate            tree.Digest
	Channel          string // of that build
	StagedAt         time.Time
	In, Changed, Out int         // files
	Settings         []tree.Path // texts that people change, which it changes too
	Needs            []string    // what it needs in addition to what the installed version needs
}

// Updates compares what is on a server with what is staged, add-on by add-on, by name.
func (s *Service) Updates(ctx context.Context, server string) ([]Update, error) {
	st, err := s.Status(ctx, server)
	if err != nil {
		return nil, err
	}
	var out []Update
	for _, a := range st.Addons {
		u := Update{Addon: a, Available: a.Newer, Crate: a.newest}
		if a.Newer != "" {
			if err := s.changes(ctx, a, &u); err != nil {
				return nil, err
			}
		}
		out = append(out, u)
	}
	return out, nil
}

// changes says what a new version changes of the files of the installed one.
func (s *Service) changes(ctx context.Context, a Addon, u *Update) error {
	now, err := s.Records.CrateByDigest(ctx, a.newest)
	if err != nil {
		return err
	}
	u.StagedAt, u.Channel = now.CreatedAt, model.Stable
	if version.Development(now.Body.Version) {
		u.Channel = model.Development
	}
	was, err := s.Records.CrateByDigest(ctx, a.Crate)
	if errors.Is(err, model.ErrNotFound) { // what the installed one brought is not recorded any more
		return nil
	}
	if err != nil {
		return err
	}
	settings := map[tree.Path]bool{}
	for _, f := range now.Body.Files {
		settings[f.Target()] = f.Settings
	}
	for _, d := range layout.Compare(&was.Body, &now.Body) {
		switch d.Kind {
		case layout.Added:
			u.In++
		case layout.Removed:
			u.Out++
		case layout.Changed:
			if u.Changed++; settings[d.Path] {
				u.Settings = append(u.Settings, d.Path)
			}
		case layout.Moved:
			u.In++
			u.Out++
		}
	}
	needed := map[string]bool{}
	for _, f := range was.Body.Facts {
		needed[string(f.Kind)+f.Name+f.Range] = true
	}
	for _, f := range now.Body.Facts {
		if f.Kind == "needs" && !needed[string(f.Kind)+f.Name+f.Range] {
			u.Needs = append(u.Needs, f.Name+" "+f.Range)
		}
	}
	return nil
}

// Hold keeps how an add-on on a server is updated.
func (s *Service) Hold(ctx context.Context, server string, h model.Hold) error {
	srv, err := s.server(ctx, server)
	if err != nil {
		return err
	}
	key, err := s.Books.AddonKey(ctx, srv.Rulebook, h.Addon)
	if err != nil {
		return err
	}
	if h.Channel == "" {
		h.Channel = model.Stable
	}
	if h.Channel != model.Stable && h.Channel != model.Development {
		return fault.New(fault.Usage, "bad-channel", "%q is no channel of builds", h.Channel).WithMend("It is stable or development.")
	}
	st, err := s.Status(ctx, server)
	if err != nil {
		return err
	}
	for _, a := range st.Addons {
		if a.Key == key {
			h.Addon = key
			return s.Records.SetHold(ctx, srv.ID, h)
		}
	}
	return fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on this server", h.Addon).By(finding.ShowAddons.On(server))
}

// HaveOf is what there is of an add-on, as feeds are asked for what is newer: installed, or staged
// and fitting.
func HaveOf(a Addon) feed.Have {
	have := feed.Have{Key: a.Key, Newest: a.Version, Development: a.Hold.Channel == model.Development || version.Development(a.Version)}
	if a.Newer != "" {
		have.Newest = a.Newer
	}
	return have
}
