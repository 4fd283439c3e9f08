package version

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestSplit(t *testing.T) {
	for stem, want := range map[string][2]string{
		"tide-lamps-2.1.0":        {"tide-lamps", "2.1.0"},
		"tide-lamps-2.1.0 (1)":    {"tide-lamps", "2.1.0"},
		"tide-lamps 2.1.0 - Copy": {"tide-lamps", "2.1.0"},
		"pier_signs_v1.4":         {"pier_signs", "1.4"},
		"gull-flocks-0.8-beta.2":  {"gull-flocks", "0.8-beta.2"},
		"fog-horns-2.0-SNAPSHOT":  {"fog-horns", "2.0-SNAPSHOT"},
		"drum-tent":               {"drum-tent", ""},
		"drum-tent (2)":           {"drum-tent", ""},
		"pier2-signs":             {"pier2-signs", ""},
		"map-2-harbours":          {"map-2-harbours", ""},
		"3.1":                     {"3.1", ""},
		"reedbank 12":             {"reedbank", "12"},
		"a+1.0+build7":            {"a", "1.0+build7"},
		"x-1.2-":                  {"x", "1.2"},
	} {
		name, ver := Split(stem)
		require.Equal(t, want, [2]string{name, ver}, stem)
	}
}

func TestCompareOrdersWhatTheTradeWrites(t *testing.T) {
	ascending := []string{
		"0.8-alpha", "0.8-beta.2", "0.8-beta.11", "0.8-rc1", "0.8", "0.8-hotfix", "0.8.1", "0.10",
		"1.0-SNAPSHOT", "1.0", "1.2.3.4", "1.2.3.10", "v2.0-beta.3", "v2.0", "4.18.1", "2026-W14b",
	}
	for i, a := range ascending {
		for j, b := range ascending {
			switch c := Compare(a, b); {
			case i < j:
				require.Negative(t, c, "%s < %s", a, b)
			case i > j:
				require.Positive(t, c, "%s > %s", a, b)
			default:
				require.Zero(t, c)
			}
		}
	}
	for _, same := range [][2]string{{"1.0", "1.0.0"}, {"v1.2", "1.2"}, {"01.2", "1.2"}, {"1.0-final", "1.0"}} {
		require.Zero(t, Compare(same[0], same[1]), "%v", same)
	}
}

func TestCompareIsATotalOrder(t *testing.T) {
	text := rapid.StringMatching(`v?([0-9]{1,3}|alpha|beta|rc|x|patch|build)([.+_-]([0-9]{1,3}|alpha|beta|rc|zz|fix)){0,4}`)
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := text.Draw(t, "a"), text.Draw(t, "b"), text.Draw(t, "c")
		require.Zero(t, Compare(a, a))
		require.Equal(t, sign(Compare(a, b)), -sign(Compare(b, a)))
		if Compare(a, b) <= 0 && Compare(b, c) <= 0 {
			require.LessOrEqual(t, Compare(a, c), 0, "%s <= %s <= %s", a, b, c)
		}
	})
}

func sign(n int) int {
	switch {
	case n < 0:
		return -1
	case n > 0:
		return 1
	}
	return 0
}
