package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// editor changes a text and writes the result under a temporary name.
type editor struct{ site }

func (r editor) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	if v, err := r.before(ctx, m, begun); err != nil || v == draft.Done {
		return Result{}, err
	}
	a := draft.Forward(m, r.Names)
	return r.edit(ctx, m, a.From, a.To)
}

func (r editor) settles(draft.Motion) settling { return byTemp }

func (r editor) settle(ctx context.Context, m draft.Motion, found remote.Info, _ int64, res *Result) error {
	m.After.Size = res.Edited.Size
	return r.arrive(ctx, m, found, res)
}

// LongestText is the size in bytes of the longest text that is edited.
const LongestText = 8 << 20

// ReadText reads a whole text of a host. A text that is not there gives an error
// that wraps [fs.ErrNotExist].
func ReadText(ctx context.Context, h remote.Host, p tree.Path) ([]byte, error) {
	f, err := h.Open(ctx, p)
	if err != nil {
		return nil, err
	}
	text, err := io.ReadAll(io.LimitReader(f, LongestText+1))
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	if len(text) > LongestText {
		return nil, fmt.Errorf("%s is longer than %d MiB; such a text is not edited", p, LongestText>>20)
	}
	return text, nil
}

// editedBy gives the final bytes of every edited text: the last write counts.
func editedBy(d *draft.Draft, marks Marks) map[tree.Path]*Edited {
	out := map[tree.Path]*Edited{}
	for m := range d.Motions.All() {
		if e := marks.At(KeyOf(m)).Result.Edited; e != nil {
			out[m.Path] = e
		}
	}
	return out
}

// editsOf are the edits that the draft holds for a text.
func (r editor) editsOf(p tree.Path) []draft.Edit {
	for _, c := range r.Draft.Changes {
		if c.Path == p {
			return c.Edits
		}
	}
	return nil
}

// edit reads a text as it is now, keeps it, does the edits to it, and writes what
// comes of them under a temporary name. An edit that no longer applies is an
// error, and the text is as it was.
func (r editor) edit(ctx context.Context, m draft.Motion, from, to tree.Path) (Result, error) {
	text, err := ReadText(ctx, r.Host, from)
	if errors.Is(err, fs.ErrNotExist) && m.Before.Being == tree.Absent {
		text, err = nil, nil
	}
	if err != nil {
		return Result{}, err
	}
	// A server writes to its texts as it pleases; where a person was asked to, it matters what
	// else is new.
	asked := slices.ContainsFunc(r.Draft.Checked, func(h draft.Hand) bool { return h.File == m.Path })
	if asked && !m.Before.Digest.IsZero() && tree.Sum(text) != m.Before.Digest {
		r.note("%s holds something else than when the draft was made; the change is done to what it holds now, and the rest of it stays", m.Path)
	}
	return r.compose(ctx, m.Path, text, to)
}

// compose does the edits of a path to a text, and writes the result.
func (r editor) compose(ctx context.Context, p tree.Path, text []byte, to tree.Path) (Result, error) {
	after, done, err := draft.ApplyEdits(text, r.editsOf(p))
	if err != nil {
		return Result{}, fmt.Errorf("it is another text than when the draft was made, and no longer takes the change: %w", err)
	}
	seg, err := r.openSegment()
	if err != nil {
		return Result{}, err
	}
	kept, err := seg.Append(ctx, bytes.NewReader(text))
	if err != nil {
		return Result{}, err
	}
	made, err := seg.Append(ctx, bytes.NewReader(after))
	if err != nil {
		return Result{}, err
	}
	if err := r.write(ctx, to, after); err != nil {
		return Result{}, err
	}
	back, err := ReadText(ctx, r.Host, to)
	if err != nil {
		return Result{}, fmt.Errorf("read it back: %w", err)
	}
	if !bytes.Equal(back, after) {
		return Result{}, errOther
	}
	e := &Edited{Was: kept.Digest, WasSize: int64(len(text)), Digest: tree.Sum(after), Size: int64(len(after)), Edits: done, Made: &made}
	r.mu.Lock()
	r.edited[p] = e
	r.sent += e.Size
	r.mu.Unlock()
	return Result{Bytes: Bytes{Digest: kept.Digest, Size: int64(len(text)), Proved: true}, Kept: &kept, Edited: e}, nil
}

func (r editor) write(ctx context.Context, to tree.Path, text []byte) error {
	w, err := r.Host.Create(ctx, to, 0)
	if err != nil {
		return err
	}
	_, err = w.Write(text)
	return errors.Join(err, w.Close())
}

// checkEdited compares a text that was set aside with the one that was edited.
// What somebody wrote into it in between is edited anew, so that it is not lost.
func (r editor) checkEdited(ctx context.Context, m draft.Motion, at tree.Path, i remote.Info, res *Result) error {
	if i.Being != tree.Content {
		return errors.New("it is not under its set-aside name")
	}
	text, err := ReadText(ctx, r.Host, at)
	if err != nil {
		return err
	}
	if tree.Sum(text) != r.editOf(m.Path).Was {
		for w := range r.Draft.Motions.OfKind(draft.EditMotion, m.Path) {
			if w.Path != m.Path {
				continue
			}
			if *res, err = r.compose(ctx, m.Path, text, r.Names.Temp(w)); err != nil {
				return err
			}
			to, err := r.Host.Stat(ctx, r.Names.Temp(w))
			if err != nil {
				return err
			}
			w.After.Size = res.Edited.Size
			var sent Result
			if err := r.arrive(ctx, w, to, &sent); err != nil {
				return err
			}
			r.note("%s was written to while it was being edited; the edit was done to what it holds now", m.Path)
		}
	}
	res.Size, res.Modified = i.Size, i.Modified
	return nil
}
