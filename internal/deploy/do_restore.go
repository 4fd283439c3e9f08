package deploy

import (
	"context"

	"restlesscrate/internal/core/draft"
)

// restorer makes a folder that the server writes hold what an earlier copy of it held.
type restorer struct{ dataFolders }

func (r restorer) forward(ctx context.Context, m draft.Motion, _ bool) (Result, error) {
	want, err := r.Draft.Returned(m.Path)
	if err != nil {
		return Result{}, err
	}
	if want.Copy != "" {
		return r.returnCopy(ctx, m, want.Copy)
	}
	return r.restore(ctx, m, want.Files)
}

// backward does nothing: the copy that was made before it goes back.
func (r restorer) backward(context.Context, draft.Motion, Marks) (Result, error) {
	return Result{}, nil
}
