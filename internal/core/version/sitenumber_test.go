package version

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTheNumberOfADownloadIsNoVersion(t *testing.T) {
	for stem, want := range map[string][2]string{
		"signs-48213":                {"signs", ""},
		"48213-signs-1.4":            {"signs", "1.4"},
		"48213_signs":                {"signs", ""},
		"signs_1.4_48213":            {"signs", "1.4"},
		"signs-1.4-48213-1764302400": {"signs", "1.4"},
		"signs-48213 (1)":            {"signs", ""},
		// What tells something stays.
		"signs-20241105":     {"signs", "20241105"},
		"signs-241105":       {"signs", "241105"},
		"signs-202411051230": {"signs", "202411051230"},
		"signs-4711":         {"signs", "4711"},
		"signs-1.4-b48213":   {"signs", "1.4-b48213"},
		"signs-1.48213":      {"signs", "1.48213"},
		"48213":              {"48213", ""},
		"7-lamps-2":          {"7-lamps", "2"},
		"20241105-lamps":     {"20241105-lamps", ""},
	} {
		name, ver := Split(stem)
		require.Equal(t, want, [2]string{name, ver}, stem)
	}
}
