package requests

import (
	"context"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// hands are what a person has to do for the wanted add-ons, once on each server.
func (s *Maker) hands(ctx context.Context, srv model.Server, b *rulebook.Book, req *draft.Request) error {
	ticked, err := s.Records.Ticked(ctx, srv.ID)
	if err != nil {
		return err
	}
	for _, h := range b.ByHand {
		i := slices.IndexFunc(req.Wanted, func(w draft.Wanted) bool { return len(h.Kinds) == 0 || slices.Contains(h.Kinds, w.Effect.Kind) })
		if i < 0 {
			continue
		}
		text, err := rulebook.Fill(h.Text, func(name string) (string, bool) {
			switch name {
			case "name":
				return req.Wanted[i].Name, true
			case "version":
				return req.Wanted[i].Version, true
			}
			v, ok := srv.Variables[name]
			return v, ok
		})
		if err != nil {
			return fault.New(fault.Conflict, "by-hand-text", "rulebook %s: %v", b.Name, err)
		}
		hand := draft.Hand{What: h.What, Text: text, Why: "no file reaches it; " + req.Wanted[i].Label() + " needs it", Match: h.Match, Log: h.Log}
		if h.File != "" {
			file, err := rulebook.Fill(h.File, func(name string) (string, bool) { v, ok := srv.Variables[name]; return v, ok })
			if err == nil {
				hand.File, err = tree.ParsePath(file)
			}
			if err != nil {
				return fault.New(fault.Conflict, "by-hand-file", "rulebook %s: %v", b.Name, err)
			}
		}
		if !ticked[hand.Words()] {
			req.Hands = append(req.Hands, hand)
		}
	}
	return nil
}
