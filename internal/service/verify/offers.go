package verify

import (
	"context"
	"fmt"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Offer says how a server gets what an add-on that failed there needs.
type Offer struct {
	Crates []string // staged, as a draft names them
	Stage  []string // not staged yet
}

// addTo says in a finding what a person can do.
func (o Offer) addTo(f *finding.Finding, server string) {
	if len(o.Crates) > 0 {
		f.Mend = "What it needs is staged."
		f.By(finding.Deploy.On(server, strings.Join(o.Crates, " ")))
	}
	if len(o.Stage) > 0 {
		f.Mend = strings.TrimSpace(f.Mend + " Stage " + strings.Join(o.Stage, ", ") + " and deploy that too.")
	}
}

// Offers says for each failed add-on of a roll, by its name there, what brings what
// it needs.
func (s *Verifier) Offers(ctx context.Context, srv model.Server, roll rollcall.Roll) (out map[string]Offer, err error) {
	out = map[string]Offer{}
	for _, e := range roll.Entries {
		if e.Standing != rollcall.Failed {
			continue
		}
		if out[e.Addon], err = s.offer(ctx, srv, e.Needs); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (s *Verifier) offer(ctx context.Context, srv model.Server, needs []string) (o Offer, err error) {
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return o, err
	}
	for _, need := range needs {
		c, err := s.Catalog.FindCrateFor(ctx, b, need, srv.Known())
		switch {
		case err == nil:
			o.Crates = append(o.Crates, c.Body.Label())
		case fault.As(err).Kind == fault.Unknown:
			o.Stage = append(o.Stage, need)
		default:
			return o, fmt.Errorf("look for %s among the crates: %w", need, err)
		}
	}
	return o, nil
}
