// Package drafts looks at a server and makes the draft of a request. It changes nothing
// there.
package drafts

import (
	"context"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// Records is what has to be known for a look.
type Records interface {
	// Basis is a number that is another one once anything is written that a draft is
	// made from.
	Basis(ctx context.Context) (int64, error)
	// Lacking gives those of some contents, sorted, that the stockroom does not hold.
	Lacking(ctx context.Context, digests []tree.Digest) (map[tree.Digest]bool, error)
	ArchivesHolding(ctx context.Context, digests []tree.Digest) (map[tree.Digest][]string, error)
	// Refresh notes what the host reports of files whose bytes are known.
	Refresh(ctx context.Context, server int64, reported map[tree.Path]draft.Reported) error
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error)
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
}

// Drafter looks at servers and makes drafts.
type Drafter struct {
	Records  Records
	Requests *requests.Maker
	// Known is what is known of a server's running, over an open host; nil where the
	// server is not controlled.
	Known func(ctx context.Context, srv model.Server, h remote.Host) (*draft.Power, error)
	// Bytes gives a content that the stockroom holds, as long as most bytes; ok is false where
	// it does not, or where the content is longer.
	Bytes func(ctx context.Context, d tree.Digest, most int64) (raw []byte, ok bool, err error)
	// Free gives the bytes that are free on the service's own disk, -1 where that is not
	// known.
	Free   func() int64
	Now    func() time.Time
	Recall *Recall // the draft that was made last
}
