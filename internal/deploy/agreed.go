package deploy

import (
	"context"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// Seeing gives what agreements are looked at on a server that is open: its texts and folders.
// What may not be read is not known.
func Seeing(ctx context.Context, h remote.Host) agree.Seen {
	return agree.Seen{Text: func(p tree.Path) ([]byte, bool) {
		raw, err := ReadText(ctx, h, p)
		return raw, err == nil
	}, Folders: func(p tree.Path) (names []string, ok bool) {
		list, err := h.List(ctx, p)
		for _, i := range list {
			if i.Being == tree.Folder {
				names = append(names, i.Name)
			}
		}
		return names, err == nil
	}}
}
