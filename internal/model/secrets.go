package model

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// SecretMarks are the value paths of texts that are marked as secret on a server, by text.
type SecretMarks map[tree.Path][]string

// Has tells whether a value is marked, or stands in a group that is.
func (m SecretMarks) Has(p tree.Path, at string) bool {
	return slices.ContainsFunc(m[p], func(mark string) bool {
		return at == mark || strings.HasPrefix(at, mark+"/")
	})
}
