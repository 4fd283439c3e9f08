package deploy

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// placer renames a new file to its final name, or a new folder with everything in it, or
// makes a folder.
type placer struct{ site }

func (r placer) backward(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	if m.Whole() {
		return r.backWhole(ctx, m, marks)
	}
	v, res, err := r.back(ctx, m)
	if err == nil && v == draft.Occupied {
		var one bool
		if one, err = r.only(ctx, m, m.Path); one {
			v = draft.Done
		}
	}
	if err != nil || res.Left || m.After.Being != tree.Content || v != draft.Done && v != draft.NotYet {
		return res, err
	}
	mark := marks.At(KeyOf(m))
	// What the server wrote into our file in the meantime is kept; also where it
	// is an earlier undo, broken off since, that has taken the file back.
	at := r.Names.Temp(m)
	i, err := r.Host.Stat(ctx, at)
	if err != nil {
		return Result{}, err
	}
	if mark.State == Finished && i.Size == mark.Result.Size && i.Modified == mark.Result.Modified && r.tells(i.Modified, mark.Result.At) {
		return res, nil
	}
	expected := m.After.Digest
	if e := editedBy(r.Draft, marks)[m.Path]; e != nil {
		expected = e.Digest
	}
	err = r.keepIfOther(ctx, at, expected, &res, "%s was written to while it was in place; what it held is kept", m.Path)
	return res, err
}

func (r placer) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	if begun {
		if one, err := r.only(ctx, m, r.Names.Temp(m)); one || err != nil {
			return Result{}, err
		}
	}
	return r.site.forward(ctx, m, begun)
}

func (r placer) settles(draft.Motion) settling { return byMemory }

// settle takes over what the host said of the file when it was sent: a rename changes
// neither size nor time, and the look after the swap finds out if a host thinks otherwise.
func (r placer) settle(_ context.Context, m draft.Motion, _ remote.Info, began int64, res *Result) error {
	was := r.arrivedAs(m.Temp)
	res.Size, res.Modified, res.At = was.size, was.modified, began
	return nil
}
