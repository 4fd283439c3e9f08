// Package findingtest checks of findings that each is said where it is so, and nowhere else.
package findingtest

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
)

// Said requires that a code is among the findings of a world in which it is so, and not among
// those of the nearest one in which it is not.
func Said(t testing.TB, code string, is, near []finding.Finding) {
	t.Helper()
	has := func(f finding.Finding) bool { return f.Code == code }
	require.True(t, slices.ContainsFunc(is, has), "it is so, and is not said: %v", is)
	require.False(t, slices.ContainsFunc(near, has), "it is not so, and is said: %v", near)
}

// Codes gives the codes that the sources of the package under test write, as the groups of an
// expression find them.
func Codes(t testing.TB, written *regexp.Regexp) (codes []string) {
	t.Helper()
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, m := range written.FindAllStringSubmatch(string(raw), -1) {
			codes = append(codes, strings.Join(m[1:], ""))
		}
	}
	slices.Sort(codes)
	return slices.Compact(codes)
}
