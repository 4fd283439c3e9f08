package catalog

import (
	"context"
	"errors"
	"io"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// reader reads what archives hold out of the stockroom, where everything lies by its
// digest.
func reader(ctx context.Context, room *stockroom.Room) layout.Reader {
	return func(e tree.Entry, most int64) ([]byte, error) {
		f, err := room.Open(ctx, e.Digest)
		if err != nil {
			return nil, err
		}
		raw, err := io.ReadAll(io.LimitReader(f, most))
		return raw, errors.Join(err, f.Close())
	}
}
