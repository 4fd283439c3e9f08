package verify

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// heldEdits reads every edited text again after the start: a server may have
// dropped or written over what it did not like.
func heldEdits(ctx context.Context, h remote.Host, d *model.Deployment) (out []finding.Finding, err error) {
	for _, c := range d.Draft.Changes {
		if len(c.Edits) == 0 || c.After.Being != tree.Content {
			continue
		}
		text, err := deploy.ReadText(ctx, h, c.Path)
		if errors.Is(err, fs.ErrNotExist) {
			out = append(out, finding.Finding{Level: finding.Warn, Code: "edit-not-held", Path: c.Path, What: fmt.Sprintf("%s was edited, and is gone since the start.", c.Path)})
			continue
		}
		if err != nil {
			return out, err
		}
		// Of two edits of one deployment the later may take the earlier back, as on the way to a moment
		// before both: what counts is what they come to.
		if after, _, err := draft.ApplyEdits(text, c.Edits); err == nil && bytes.Equal(after, text) {
			continue
		}
		for _, e := range c.Edits {
			_, again, err := settings.Apply(text, e.Op)
			if err == nil && again.Do == "" {
				continue
			}
			out = append(out, finding.Finding{Level: finding.Warn, Code: "edit-not-held", Path: c.Path,
				What: fmt.Sprintf("%s was edited (%s), and no longer says so since the start: the server or its host's panel has written over it.", c.Path, e.Op.What())})
		}
	}
	return out, nil
}

// lookAgain is what is done after a deployment that calls no roll. down says why a server that was
// started to see whether it comes up did not; empty where it did.
func (s *Verifier) lookAgain(ctx context.Context, srv model.Server, run *deploy.Run, d *model.Deployment, changes []draft.Change, down string) error {
	held, err := heldEdits(ctx, run.Host, d)
	if err != nil {
		return err
	}
	broken, err := s.agreements(ctx, run.Host, srv, d)
	if err != nil {
		return err
	}
	made, err := s.made(ctx, srv, run.Host, d, changes)
	d.Aftermath = slices.Concat(held, broken, made)
	if down != "" {
		d.Aftermath = append(d.Aftermath, finding.Finding{Level: finding.Warn, Code: model.NotUp, What: "The server did not come up: " + strings.TrimSuffix(down, ".") + "."})
	}
	return err
}

// agreements looks whether the values go together that the rulebook names, now that the server
// has had its say, and keeps what it saw. What cannot be read says nothing.
func (s *Verifier) agreements(ctx context.Context, h remote.Host, srv model.Server, d *model.Deployment) (out []finding.Finding, err error) {
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil || !b.Agreeing() {
		return nil, err
	}
	for _, x := range agree.Check(b, srv.Variables, deploy.Seeing(ctx, h)) {
		out = append(out, x.Finding)
	}
	return out, s.Records.SawAgreements(ctx, srv.ID, model.AgreeLook{By: d.Name(), Found: out})
}

// UnseenError is something that a person has done, and that the server's log says otherwise
// about.
type UnseenError struct{ What string }

func (e *UnseenError) Error() string { return e.What }

// seen tells whether what was done by hand shows in the log since the start, and by the roll
// call: an [UnseenError] where it does not.
func seen(d *model.Deployment, log string, roll rollcall.Roll) error {
	for i, h := range d.Draft.Checked {
		again := slices.ContainsFunc(d.Draft.Checked[i+1:], func(o draft.Hand) bool { return h.Rule == "" && o.What == h.What })
		if h.Undoes || again { // set anew for a later start
			continue
		}
		told, err := seenOne(h, log, roll)
		if err != nil {
			return err
		}
		if told != "" {
			what := strings.TrimSuffix(h.What, ".")
			if h.Text != "" {
				what += ": " + h.Text
			}
			return &UnseenError{fmt.Sprintf("looking whether this was done by hand: %s. %s", what, told)}
		}
	}
	return nil
}

// seenOne says what speaks against a thing having been done; nothing where it was, as far as
// can be told.
func seenOne(h draft.Hand, log string, roll rollcall.Roll) (string, error) {
	if h.Log != "" {
		ok, otherwise, err := h.Shows(h.Log, log)
		switch {
		case err != nil:
			return "", err
		case otherwise != "":
			return fmt.Sprintf("The log since the start says %s, not %s", otherwise, h.Value), nil
		case !ok:
			return fmt.Sprintf("The log since the start has no line like %s", h.Log), nil
		}
	}
	for _, e := range roll.Entries {
		if h.For == "" || e.Addon != h.For {
			continue
		}
		switch e.Standing {
		case rollcall.Failed:
			return fmt.Sprintf("%s needs it, and did not load: %s", e.Addon, e.Why), nil
		case rollcall.Silent:
			return fmt.Sprintf("%s needs it, and nothing says that it loaded", e.Addon), nil
		}
	}
	return "", nil
}
