package drafts

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/observe"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// Actual gives a server as it is now: with the values that its own texts hold, where the rulebook
// says which text holds one, and what differs from the record; and with the facts that its tree
// tells. A person or the server may have changed them: what the server really uses counts. A
// text that is not there, or holds nothing of the kind, says nothing.
func Actual(ctx context.Context, h remote.Host, b *rulebook.Book, srv model.Server, now time.Time) (model.Server, []draft.Drift, error) {
	var drifts []draft.Drift
	if err := observe.Tell(ctx, h, b, &srv, now, false); err != nil {
		return srv, nil, err
	}
	recorded := srv
	srv.Variables = maps.Clone(srv.Variables)
	for _, v := range b.Variables {
		if v.SetIn == nil {
			continue
		}
		set := draft.Set{Variable: v.Name}
		if err := requests.Holder(b, recorded, &set); err != nil {
			return srv, nil, err
		}
		text, err := deploy.ReadText(ctx, h, set.Path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return srv, nil, err
		}
		items, err := set.List.Read(text)
		if err != nil || len(items) == 0 {
			continue // a draft that changes it says what is wrong with it
		}
		found, was := items[0].Key, requests.ValueOf(b, recorded, v.Name)
		if found == was {
			continue
		}
		drift := draft.Drift{Variable: v.Name, Recorded: was, Found: found, Path: set.Path}
		if drift.Unfit = b.CheckValue(v.Name, found) != nil; !drift.Unfit {
			if srv.Variables == nil {
				srv.Variables = map[string]string{}
			}
			srv.Variables[v.Name] = found
		}
		drifts = append(drifts, drift)
	}
	return srv, drifts, nil
}
