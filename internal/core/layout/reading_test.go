package layout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// tides is a rulebook whose single files say what they need.
const tides = `format: 1
name: tides
title: Tides
places: {fixtures: {path: fixtures}}
kinds:
  fixture:
    several: true
    recognise: {single: "*.tdx"}
    version: {read: {file: "*.tdx", match: '^version (\S+)$'}}
    needs: {file: "*.tdx", match: '^needs (\S+)$'}
    put: [{take: "*.tdx", place: fixtures, as: "{file}"}]
`

// One element of a kind is as good as a list of one: XML has no lists.
func TestOneMappingIsAListOfOne(t *testing.T) {
	text := `format: 1
name: kiln
title: The Kiln
places: {shelf: {path: shelf}}
kinds:
  pot:
    recognise: {marker: pot.xml}
    needs: {file: pot.xml, at: /pot/asks/need, item: /@pot, range: /@from}
    called: {read: {file: pot.xml, at: "/pot/title/#text"}}
    put: [{take: "**", place: shelf}]
`
	for needs, want := range map[string][]string{
		`<need pot="clay" from="1.0"/>`:                   {"clay 1.0"},
		`<need pot="clay" from="1.0"/><need pot="sand"/>`: {"clay 1.0", "sand"},
	} {
		r := layOne(book(t, text), archive("blue-1.zip", map[string]string{"blue/pot.xml": `<pot><title lang="en">Blue Glaze</title><asks>` + needs + `</asks></pot>`}))
		var got []string
		for _, f := range r.Crate.Facts {
			got = append(got, strings.TrimSpace(f.Name+" "+f.Range))
		}
		require.Equal(t, want, got)
		require.Equal(t, "Blue Glaze", r.Crate.Called)
		for _, tr := range r.Crate.Traces {
			if tr.What == "needs" {
				require.Equal(t, strings.Join(want, ", "), tr.Value, "whoever writes a rulebook sees what is taken")
			}
		}
	}
}

func TestASingleFileSaysWhatItNeedsToo(t *testing.T) {
	plain := archive("lamps.tdx", nil)
	said := "version 2.1\nneeds wicks\n"
	plain.Whole.Digest, plain.Read = tree.Sum([]byte(said)), reading(map[string]string{"": said})
	r := layOne(book(t, tides), plain)
	require.Equal(t, "lamps@2.1", r.Crate.Label())
	require.Equal(t, []Fact{{Kind: rulebook.Needs, Name: "wicks", From: "lamps.tdx"}}, r.Crate.Facts)

	// Of several beside each other, each speaks for itself alone.
	res := lay(book(t, tides), archive("tides.zip", map[string]string{"a/lamps.tdx": "version 2.1\nneeds wicks\n", "a/wicks.tdx": "version 1.0\n"}), nil)
	labels := map[string]int{}
	for _, c := range res.Crates {
		labels[c.Label()] = len(c.Facts)
	}
	require.Equal(t, map[string]int{"lamps@2.1": 1, "wicks@1.0": 0}, labels)

	// What cannot be read is an error, and nothing is made of the rest.
	plain.Read = reading(nil)
	_, err := Lay(book(t, tides), plain, nil)
	require.ErrorIs(t, err, errGone)
	require.ErrorContains(t, err, "read lamps.tdx: ")
	pack := archive("pack.zip", map[string]string{"lamps.zip!/lamps.tdx": "version 2.1\n"})
	pack.Entries = append(pack.Entries, tree.Entry{Path: "lamps.zip", Digest: tree.Sum([]byte("zip"))})
	pack.Read = reading(nil)
	_, err = Lay(book(t, tides), pack, nil)
	require.ErrorIs(t, err, errGone, "also in an archive inside the archive")
}

// A manifest says what its add-on is called, and cannot make its files another add-on's.
func TestANameReachesNoFolderButTheAddOnsOwn(t *testing.T) {
	const sluices = `format: 1
name: sluices
title: Sluices
places: {gates: {path: gates}}
kinds:
  gate:
    recognise: {marker: gate.conf}
    id: {read: {file: gate.conf, match: '(?m)^id=(.*)$'}}
    name: {read: {file: gate.conf, match: '(?m)^name=(.*)$'}}
    version: {read: {file: gate.conf, match: '(?m)^version=(.*)$'}}
    put: [{take: "**", place: gates, as: "{name}/{path}"}]
`
	made := func(conf string) *Crate {
		return layOne(book(t, sluices), archive("weir-2.zip", map[string]string{"weir/gate.conf": conf, "weir/leaf.dat": "leaf"})).Crate
	}
	told := func(c *Crate) (out []string) {
		for _, f := range c.Findings {
			if f.Code == "reaches-out" {
				out = append(out, f.What)
			}
		}
		return out
	}
	for _, name := range []string{"weir/other", `weir\other`, "../other", "..", "/other"} {
		c := made("name=" + name + "\nversion=2\n")
		require.Equal(t, "weir@2", c.Label(), name)
		require.Len(t, told(c), 1, name)
		for _, f := range c.Files {
			require.True(t, f.Path.Within("weir"), "%s: %s", name, f.Path)
		}
	}
	c := made("name=weir\nversion=2/../../3\n")
	require.Equal(t, "weir@2", c.Label(), "the version of the file name is taken then")
	require.Len(t, told(c), 1)
	require.Empty(t, told(made("name=High Weir\nversion=2\n")))
	// An id may be of several parts; it is an identity, and no path.
	c = made("id=maker/weir\nversion=2\n")
	require.Equal(t, "maker/weir", c.Key())
	require.Empty(t, told(c))
}
