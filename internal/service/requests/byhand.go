package requests

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// byHand asks for what only a person can do, and for what they can take back.
type byHand struct{ *Maker }

// hands are what a person has to do for what comes, and to take back for what goes. What has
// been done already is not asked again.
func (s byHand) hands(ctx context.Context, srv model.Server, b *rulebook.Book, req *draft.Request) error {
	if len(b.ByHand) == 0 {
		return nil
	}
	done, err := s.Records.DoneByHand(ctx, srv.ID)
	if err != nil {
		return err
	}
	var there, gone []model.Crate
	add := func(to *[]model.Crate, d tree.Digest) error {
		c, err := s.Records.CrateByDigest(ctx, d)
		if errors.Is(err, model.ErrNotFound) {
			return nil // nothing is known of it that a text could hold
		}
		*to = append(*to, c)
		return err
	}
	for _, w := range req.Wanted {
		if err := add(&there, w.Crate); err != nil {
			return err
		}
	}
	for _, t := range req.Touched {
		to := &there
		if t.Gone {
			to = &gone
		}
		if t.Addon == "" {
			continue
		}
		if err := add(to, t.Crate); err != nil {
			return err
		}
	}
	for _, h := range b.ByHand {
		asked := map[string]bool{}
		for _, c := range there {
			if hand, ok, err := handFor(b, h, c, srv, done); err != nil {
				return err
			} else if ok && !asked[hand.Words()] {
				asked[hand.Words()] = true
				req.Hands = append(req.Hands, hand)
			}
		}
		for _, c := range gone {
			back, ok, err := s.handBack(ctx, b, h, c, srv, done, req)
			if err != nil {
				return err
			}
			if ok && !asked[back.Words()] {
				asked[back.Words()] = true
				req.Hands = append(req.Hands, back)
			}
		}
	}
	return nil
}

// handFor is what a person does for an add-on that comes; ok is false where that is done.
func handFor(b *rulebook.Book, h rulebook.ByHand, c model.Crate, srv model.Server, done map[model.HandKey]string) (hand draft.Hand, ok bool, err error) {
	k := kindOf(b, c)
	if k == nil || !h.GoesWith(k.Name) {
		return hand, false, nil
	}
	hand = draft.Hand{Why: "no file reaches it; " + c.Body.Label() + " needs it", Rule: h.What}
	if h.PerAddon(k) {
		hand.Addon = c.Key
	}
	if hand.What, err = worded(b, h.What, c, srv); err == nil {
		hand.Text, err = worded(b, h.Text, c, srv)
	}
	if err != nil {
		return hand, false, err
	}
	if !h.Stays {
		if hand.Back, err = backWords(b, h, hand, c, srv); err != nil {
			return hand, false, err
		}
	}
	hand.Was = done[model.HandKey{Addon: hand.Addon, What: h.What}]
	if hand.Was == hand.Words() {
		return hand, false, nil
	}
	hand.HandCheck, err = checkOf(b, h.Check, srv.Variables)
	return hand, true, err
}

// handBack is what a person takes back for an add-on that goes. What was done once for all
// is taken back with the last one.
func (s byHand) handBack(ctx context.Context, b *rulebook.Book, h rulebook.ByHand, c model.Crate, srv model.Server, done map[model.HandKey]string, req *draft.Request) (hand draft.Hand, ok bool, err error) {
	k := kindOf(b, c)
	if k == nil || !h.GoesWith(k.Name) || h.Stays {
		return hand, false, nil
	}
	key := model.HandKey{What: h.What}
	if h.PerAddon(k) {
		key.Addon = c.Key
	}
	words, did := done[key]
	if !did {
		return hand, false, nil
	}
	if key.Addon == "" {
		others, err := s.othersNeed(ctx, b, h, srv, req)
		if err != nil || others {
			return hand, false, err
		}
	}
	did1 := draft.Hand{What: words}
	if what, text, two := strings.Cut(words, "\n"); two {
		did1 = draft.Hand{What: what, Text: text}
	}
	back, err := backWords(b, h, did1, c, srv)
	if err != nil {
		return hand, false, err
	}
	what, text, _ := strings.Cut(back, "\n")
	return draft.Hand{What: what, Text: text, Why: "it was done for " + c.Body.Label() + ", which goes", Back: words, Rule: h.What, Addon: key.Addon, Was: words, Undoes: true}, true, nil
}

// othersNeed tells whether another add-on that stays on the server needs what was done once
// for all.
func (s byHand) othersNeed(ctx context.Context, b *rulebook.Book, h rulebook.ByHand, srv model.Server, req *draft.Request) (bool, error) {
	sums, err := s.Records.Sums(ctx, srv.ID)
	if err != nil {
		return false, err
	}
	for _, sum := range sums {
		if slices.ContainsFunc(req.Touched, func(t draft.Touched) bool { return t.Gone && t.Addon == sum.Addon }) {
			continue
		}
		c, err := s.Records.CrateByDigest(ctx, sum.Crate)
		if errors.Is(err, model.ErrNotFound) {
			continue
		}
		if err != nil {
			return false, err
		}
		if k := kindOf(b, c); k != nil && h.GoesWith(k.Name) {
			return true, nil
		}
	}
	return false, nil
}

func kindOf(b *rulebook.Book, c model.Crate) *rulebook.Kind {
	i := slices.IndexFunc(b.Kinds, func(k rulebook.Kind) bool { return k.Name == c.Body.Kind })
	if i < 0 {
		return nil
	}
	return &b.Kinds[i]
}

// backWords are the words in which a person is asked to take a thing back.
func backWords(b *rulebook.Book, h rulebook.ByHand, did draft.Hand, c model.Crate, srv model.Server) (string, error) {
	if h.Back != "" {
		return worded(b, h.Back, c, srv)
	}
	return draft.Hand{What: "Take this back: " + did.What, Text: did.Text}.Words(), nil
}

// worded fills what a thing to do by hand says for one add-on.
func worded(b *rulebook.Book, text string, c model.Crate, srv model.Server) (string, error) {
	out, err := rulebook.Fill(text, func(word string) (string, bool) {
		switch word {
		case "name":
			return c.Body.Name, true
		case "version":
			return c.Body.Version, true
		case "id":
			return cmp.Or(c.Body.ID, c.Body.Name), true
		}
		if told := c.Body.Tells[word]; len(told) > 0 {
			return strings.Join(told, ", "), true
		}
		if v := ValueOf(b, srv, word); v != "" {
			return v, true
		}
		return "", false
	})
	if err != nil {
		return "", fault.New(fault.Conflict, "by-hand-text", "rulebook %s: %s: %v", b.Name, c.Body.Label(), err).WithMend("Say in the rulebook where that is written, or stage the archive again.")
	}
	return out, nil
}

// checkOf is a check on a server with these values.
func checkOf(b *rulebook.Book, c rulebook.Check, values map[string]string) (out draft.HandCheck, err error) {
	out = draft.HandCheck{Match: c.Match, Log: c.Log}
	if c.File == "" {
		return out, nil
	}
	file, err := rulebook.Fill(c.File, func(name string) (string, bool) { v, ok := values[name]; return v, ok })
	if err == nil {
		out.File, err = tree.ParsePath(file)
	}
	if err != nil {
		return out, fault.New(fault.Conflict, "by-hand-file", "rulebook %s: %v", b.Name, err)
	}
	return out, nil
}
