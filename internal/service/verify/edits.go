package verify

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// heldEdits reads every edited text again after the start: a server may have
// dropped or written over what it did not like.
func heldEdits(ctx context.Context, h remote.Host, d *model.Deployment) (out []finding.Finding, err error) {
	for _, c := range d.Draft.Changes {
		if len(c.Edits) == 0 || c.After.Being != tree.Content {
			continue
		}
		text, err := deploy.ReadText(ctx, h, c.Path)
		if errors.Is(err, fs.ErrNotExist) {
			out = append(out, finding.Finding{Level: finding.Warn, Code: "edit-not-held", Path: c.Path, What: fmt.Sprintf("%s was edited, and is gone since the start.", c.Path)})
			continue
		}
		if err != nil {
			return out, err
		}
		for _, e := range c.Edits {
			_, again, err := settings.Apply(text, e.Op)
			if err == nil && again.Do == "" {
				continue
			}
			out = append(out, finding.Finding{Level: finding.Warn, Code: "edit-not-held", Path: c.Path,
				What: fmt.Sprintf("%s was edited (%s %s), and no longer says so since the start: the server or its host's panel has written over it.", c.Path, e.Op.Do, e.Op.Key)})
		}
	}
	return out, nil
}

// unseen tells which things done by hand do not show in the log since the start.
func unseen(d *model.Deployment, log string) (out []finding.Finding, err error) {
	for _, h := range d.Draft.Checked {
		if h.Log == "" {
			continue
		}
		re, err := regexp.Compile(h.Log)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(strings.Split(log, "\n"), func(line string) bool { return re.MatchString(strings.TrimSuffix(line, "\r")) }) {
			out = append(out, finding.Finding{Level: finding.Warn, Code: "by-hand-unseen", What: fmt.Sprintf("%s The log since the start has no line like %s, so it may not have been done right.", strings.Replace(h.Words(), "\n", " ", 1), h.Log)})
		}
	}
	return out, nil
}
