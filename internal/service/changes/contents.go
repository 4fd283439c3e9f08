package changes

import (
	"context"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// Contents gives what the stockroom holds of a content, as long as most bytes. ok is false
// where it holds no sound copy of it, or where the content is longer.
func (s *Service) Contents(ctx context.Context, d tree.Digest, most int64) (raw []byte, ok bool, err error) {
	f, err := s.Room.Open(ctx, d)
	if err == nil {
		raw, err = io.ReadAll(io.LimitReader(f, most+1))
		err = errors.Join(err, f.Close())
	}
	var damaged *stockroom.DamagedError
	switch {
	case errors.Is(err, stockroom.ErrNotHeld), errors.As(err, &damaged):
		return nil, false, nil
	case err != nil:
		return nil, false, fmt.Errorf("read %s in the stockroom: %w", d.Short(), err)
	}
	return raw, int64(len(raw)) <= most, nil
}
