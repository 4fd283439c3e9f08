package version

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWhichNumberIsWhose(t *testing.T) {
	k := Known{Games: []string{"9.2", "9.3"}, Loaders: []string{"keel", "mast"}}
	for stem, want := range map[string]Told{
		"lamps-9.3-keel-3.4":       {Name: "lamps", Version: "3.4", Game: "9.3", Loader: "keel"},
		"lamps-keel-9.3-3.4":       {Name: "lamps", Version: "3.4", Game: "9.3", Loader: "keel"},
		"lamps-3.4-9.3":            {Name: "lamps", Version: "3.4", Game: "9.3"},
		"lamps-3.4+g9.3":           {Name: "lamps", Version: "3.4", Game: "9.3"},
		"lamps [9.2] 3.4 (1)":      {Name: "lamps", Version: "3.4", Game: "9.2"},
		"lamps-3.4":                {Name: "lamps", Version: "3.4"},
		"lamps-9.3":                {Name: "lamps", Version: "9.3", Unsure: true},
		"keel-lamps-1.0":           {Name: "keel-lamps", Version: "1.0"},
		"lamps-MAST-1.0":           {Name: "lamps", Version: "1.0", Loader: "MAST"},
		"lamps":                    {Name: "lamps"},
		"tide_lamps_9.2_2026-W14b": {Name: "tide_lamps", Version: "2026-W14b", Game: "9.2"},
	} {
		require.Equal(t, want, k.Tell(stem), stem)
	}
}

func TestRanges(t *testing.T) {
	for text, c := range map[string]struct{ in, out []string }{
		">=1.2 <2":     {[]string{"1.2", "1.9.9", "1.2.0.1"}, []string{"1.1", "2", "2.0"}},
		">=1.2, <=2":   {[]string{"2", "2.0"}, []string{"2.0.1"}},
		"> 1.2":        {[]string{"1.2.1"}, []string{"1.2", "1.2.0"}},
		"1.2.x":        {[]string{"1.2", "1.2.7"}, []string{"1.3", "1.1.9"}},
		"1.9.*":        {[]string{"1.9.4"}, []string{"1.10"}},
		"[1.2,2.0)":    {[]string{"1.2", "1.99"}, []string{"2.0", "1.1"}},
		"(1.2,)":       {[]string{"1.3", "99"}, []string{"1.2"}},
		"(,1.2]":       {[]string{"0.1", "1.2"}, []string{"1.3"}},
		"[1.2]":        {[]string{"1.2"}, []string{"1.2.1"}},
		"[1,2),[3,4)":  {[]string{"1.5", "3"}, []string{"2.5", "4"}},
		"9.2, 9.3":     {[]string{"9.2", "9.3"}, []string{"9.2.1", "9.4"}},
		"1.2.x || >=3": {[]string{"1.2.5", "3", "4"}, []string{"2"}},
		"*":            {[]string{"0", "anything"}, nil},
		"":             {[]string{"1"}, nil},
		"= 1.4":        {[]string{"1.4"}, []string{"1.4.1"}},
		"2.0-beta.3":   {[]string{"2.0-beta.3"}, []string{"2.0"}},
		"^1.2.3":       {[]string{"1.2.3", "1.9", "1.99.9"}, []string{"1.2.2", "2.0.0", "2"}},
		"^0.2.3":       {[]string{"0.2.3", "0.2.9"}, []string{"0.3.0", "1"}},
		"^0.0.3":       {[]string{"0.0.3"}, []string{"0.0.4", "0.1"}},
		"^1.x":         {[]string{"1.0", "1.9"}, []string{"2"}},
		"^9":           {[]string{"9", "9.9"}, []string{"10"}},
		"~1.2.3":       {[]string{"1.2.3", "1.2.9"}, []string{"1.2.2", "1.3"}},
		"~1.2":         {[]string{"1.2", "1.2.9"}, []string{"1.3"}},
		"~1":           {[]string{"1", "1.9"}, []string{"2"}},
		"~> 1.2":       {[]string{"1.2", "1.9"}, []string{"2", "1.1"}},
		"~> 1.2.3":     {[]string{"1.2.3", "1.2.9"}, []string{"1.3"}},
		"~=2.4.1":      {[]string{"2.4.1", "2.4.9"}, []string{"2.5"}},
		"1.2 - 1.9":    {[]string{"1.2", "1.5", "1.9"}, []string{"1.1", "1.9.1"}},
		"^1.2 <1.9":    {[]string{"1.2", "1.8"}, []string{"1.9", "2"}},
		"^1.2 || ^3":   {[]string{"1.5", "3.9"}, []string{"2", "4"}},
		">=1.x":        {[]string{"1.0", "5"}, []string{"0.9"}},
		">1.2.x":       {[]string{"1.3"}, []string{"1.2.9"}},
		"<=1.2.x":      {[]string{"1.2.9", "1.1"}, []string{"1.3"}},
		">=1.4 >=1.2":  {[]string{"1.4"}, []string{"1.3"}},
	} {
		r, err := ParseRange(text)
		require.NoError(t, err, text)
		for _, v := range c.in {
			require.True(t, r.Contains(v), "%s holds %s", text, v)
		}
		for _, v := range c.out {
			require.False(t, r.Contains(v), "%s does not hold %s", text, v)
		}
	}
	for text, want := range map[string]string{
		">=":        `">=" is no range of versions: ">=" is not understood`,
		"[1.2":      `"[1.2" is not understood`,
		">=x":       `x cannot be compared with >=`,
		"^":         `"^" is not understood`,
		"^beta":     `does not end with a number`,
		">=1.2 1.4": `comparisons and plain versions are mixed`,
		"beta.x":    `does not end with a number`,
		"1.2 ; 1.3": `"; 1.3" is not understood`,
	} {
		_, err := ParseRange(text)
		require.ErrorContains(t, err, want, text)
	}
}

func TestAWildcardIsTheIntervalToTheNextNumber(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.StringMatching(`[1-9][0-9]{0,2}(\.[0-9]{1,3}){0,2}`).Draw(t, "v")
		r, err := ParseRange(v + ".x")
		require.NoError(t, err)
		next, err := after(v)
		require.NoError(t, err)
		other := rapid.StringMatching(`[0-9]{1,3}(\.[0-9]{1,3}){0,3}`).Draw(t, "other")
		require.Equal(t, Compare(other, v) >= 0 && Compare(other, next) < 0, r.Contains(other), "%s in %s", other, r)
	})
}

func TestNamesOfTheGameAndVersionsInFront(t *testing.T) {
	k := Known{Games: []string{"1.21.1", "9.3"}, Loaders: []string{"keel"}, Names: []string{"fernhollow"}}
	for stem, want := range map[string]Told{
		"3.4.2 pylon":                  {Name: "pylon", Version: "3.4.2"},
		"v3.4.2_pylon":                 {Name: "pylon", Version: "3.4.2"},
		"2024.10 pack":                 {Name: "pack", Version: "2024.10"},
		"01 first":                     {Name: "01 first"},
		"00-1.0":                       {Name: "00", Version: "1.0"},
		"lamps-fernhollow1.21.1-2.0":   {Name: "lamps", Version: "2.0", Game: "1.21.1"},
		"Fernhollow-lamps-2.0":         {Name: "lamps", Version: "2.0"},
		"lamps-2.0-fernhollow":         {Name: "lamps", Version: "2.0"},
		"LampsFernhollow-2.0":          {Name: "Lamps", Version: "2.0"},
		"fernhollowLamps-keel-9.3-2.0": {Name: "Lamps", Version: "2.0", Game: "9.3", Loader: "keel"},
		"fernhollow":                   {Name: "fernhollow"},
		"fernhollow-2.0":               {Name: "fernhollow", Version: "2.0"},
		"fernhollows-end-1.0":          {Name: "fernhollows-end", Version: "1.0"},
		"lamps":                        {Name: "lamps"},
	} {
		require.Equal(t, want, k.Tell(stem), stem)
	}
}
