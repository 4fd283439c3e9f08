package catalog

import (
	"context"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/tree"
)

// longestLint is the size in bytes of the longest settings text that is looked at when an
// archive is staged.
const longestLint = 256 << 10

// soundness are what lint finds that is wrong whoever looks: what is still to be filled in is
// no fault of a download.
var soundness = []string{"text-unreadable", "typographic-quotes", "open-quote"}

// lint looks whether the settings that a crate brings can be read.
func (s layer) lint(ctx context.Context, c *layout.Crate) error {
	read := reader(ctx, s.Room)
	for _, f := range c.Files {
		if !f.Settings || f.Size > longestLint {
			continue
		}
		raw, err := read(tree.Entry{Path: f.Path, Digest: f.Digest, Size: f.Size}, longestLint)
		if err != nil {
			return err
		}
		for _, x := range lint.Text(lint.Input{Path: f.Path, Raw: raw}) {
			if slices.Contains(soundness, x.Code) {
				c.Findings = append(c.Findings, x.Finding)
			}
		}
	}
	finding.Sort(c.Findings)
	return nil
}
