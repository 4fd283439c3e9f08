package requests

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"restlesscrate/internal/core/asset"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// AskSwap is a person's own file that shall stand in the place of another.
type AskSwap struct {
	Path  tree.Path   `json:"path"` // of what it takes the place of
	Bytes draft.Bytes `json:"bytes"`
	Name  string      `json:"name"` // of the person's file, as it is told
	// As is the name under which it stands beside the other one; empty for that one's own. In is
	// then a text in which the old name is written anew, if one is given.
	As   string    `json:"as,omitempty"`
	In   tree.Path `json:"in,omitempty"`
	Note string    `json:"note,omitempty"`
}

// longestLook is how much of a file is read to see what it is.
const longestLook = 64 << 20

// swaps reads which files take the places of others.
func (s *Maker) swaps(ctx context.Context, srv model.Server, ask *Ask, req *draft.Request) (titles []string, err error) {
	if len(ask.Swaps) == 0 {
		return nil, nil
	}
	paths := make([]tree.Path, 0, len(ask.Swaps))
	for _, w := range ask.Swaps {
		paths = append(paths, w.Path)
	}
	rows, err := s.Records.LedgerOf(ctx, srv.ID, nil, paths)
	if err != nil {
		return nil, err
	}
	for _, w := range ask.Swaps {
		now, held, err := s.Bytes(ctx, w.Bytes.Digest, longestLook)
		if err != nil {
			return nil, err
		}
		if !held || w.Path == tree.Root {
			return nil, fault.New(fault.Usage, "bad-request", "a swap needs the path of a file on the server, and a file that was sent before")
		}
		row, at := rows[w.Path], w.Path
		if w.As != "" {
			if strings.ContainsAny(w.As, "/\\") {
				return nil, fault.New(fault.Usage, "bad-request", "%q is not the name of a file", w.As)
			}
			at = w.Path.Dir().Join(tree.Path(w.As))
		}
		k := draft.Tweaked{Tweak: tweak.Tweak{Do: tweak.Swap, Value: w.Bytes.Digest.String(), Count: int(w.Bytes.Size), Text: w.Name}, Note: w.Note}
		if n := len(row.Claims); n > 0 {
			k.Addon = row.Claims[n-1].Addon
		}
		k.ID = draft.TweakID(at, k.Tweak)
		wish := draft.SwapWish{Path: at, Bytes: w.Bytes, Tweaked: k}
		is := asset.Of(now)
		wish.Now = &is
		if wish.Was, err = s.stands(ctx, row); err != nil {
			return nil, err
		}
		req.Swaps = append(req.Swaps, wish)
		titles = append(titles, fmt.Sprintf("%s: it %s", at, k.Tweak))
		if w.In != tree.Root {
			if w.As == "" {
				return nil, fault.New(fault.Usage, "bad-request", "a text is changed only where the file gets another name")
			}
			ask.Tweaks = withRename(ask.Tweaks, w, k.Addon)
		}
	}
	return titles, nil
}

// stands tells what a swap takes the place of, as far as its bytes are held: what the add-on
// brought, or what stands there.
func (s *Maker) stands(ctx context.Context, row draft.Row) (*asset.Asset, error) {
	d := row.State.Digest
	if n := len(row.Claims); n > 0 && !row.Claims[n-1].Brings.Digest.IsZero() {
		d = row.Claims[n-1].Brings.Digest
	}
	if d.IsZero() {
		return nil, nil
	}
	raw, held, err := s.Bytes(ctx, d, longestLook)
	if err != nil || !held {
		return nil, err
	}
	a := asset.Of(raw)
	return &a, nil
}

// withRename adds that a text names the new file where it named the old one. An ask is made into a
// request more than once.
func withRename(all []AskTweak, w AskSwap, addon string) []AskTweak {
	t := AskTweak{Path: w.In, For: addon, Note: cmp.Or(w.Note, "it names the file that takes the place"),
		Tweak: tweak.Tweak{Do: tweak.Replace, Text: w.Path.Base(), Value: w.As, Words: true}}
	for _, o := range all {
		if o.Path == t.Path && o.Tweak.Do == t.Tweak.Do && o.Tweak.Text == t.Tweak.Text {
			return all
		}
	}
	return append(all, t)
}
