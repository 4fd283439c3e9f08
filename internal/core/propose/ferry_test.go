package propose

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// ferry is a server whose add-ons have names of two words, whose stamps lie among all others too,
// and whose start script names what it loads.
func ferry() Evidence {
	e := Evidence{Tree: entries("sail.sh", "harbour.ini", "ferry", "logs/sail.log", "stamps/house.stamp"), Texts: map[tree.Path]string{
		"sail.sh":       "#!/bin/sh\n# hulls are told below\nexec ./ferry --hulls \"stern watch;fog bell;far gull\" --port 5511 --log logs/sail.log\n",
		"logs/sail.log": "10:00 reading hulls\n10:00 hull \"stern watch\" 1.2 ready\n10:00 hull \"fog bell\" 1.2 ready\n10:00 hull \"far gull\" 1.2 ready\n10:01 harbour open on 5511\n",
	}}
	for name, file := range map[string]string{"stern watch": "sternwatch", "fog bell": "fogbell", "far gull": "fargull"} {
		e.Tree = append(e.Tree, entries("hulls/"+name+"/hull.info", "hulls/"+name+"/body/"+file+".hull", "hulls/"+name+"/stamps/"+file+".stamp", "stamps/"+file+".stamp")...)
	}
	e.Downloads = []Download{{Filename: "night-pilot-2.0.zip", Entries: entries("night-pilot-2.0/night pilot/hull.info", "night-pilot-2.0/night pilot/body/nightpilot.hull",
		"night-pilot-2.0/night pilot/stamps/nightpilot.stamp", "night-pilot-2.0/readme.txt"), Texts: map[tree.Path]string{"night-pilot-2.0/night pilot/hull.info": "title: night pilot\nrelease: 2.0\n"}}}
	return e
}

func TestAFileThatEveryAddonHasTwiceIsAskedAbout(t *testing.T) {
	e := ferry()
	l, err := Learn("gullport", "Gullport", e, nil)
	require.NoError(t, err)
	require.Equal(t, "folder hull.info in hulls", l.Open[0].Options[0].Value, "what others lie in comes first")
	for _, o := range l.Open[0].Options {
		require.NotContains(t, o.Value, "hulls/", "a part of an add-on is none")
		require.NotContains(t, o.Value, "fargull", "nor is one that has it alone")
	}

	a, err := l.Answers.With(Kind, "folder hull.info in hulls")
	require.NoError(t, err)
	l, err = Learn("gullport", "Gullport", e, a)
	require.NoError(t, err)
	byKey := map[string]Question{}
	for _, q := range l.Open {
		byKey[q.Key] = q
	}
	require.Equal(t, Copies, l.Open[0].Key, "where files go is asked before what names them")
	require.Equal(t, "stamps/*.stamp to stamps", byKey[Copies].Options[0].Value)
	require.Contains(t, byKey[Copies].Options[0].Why, "3 of the 3")
	require.Equal(t, "sail.sh", byKey[Lists].Options[0].Value)
	require.Contains(t, byKey[Lists].Options[0].Why, "3 of the 3")
	require.Equal(t, `logs/sail.log:  hull "(?P<name>.+?)"`, byKey[Log].Options[0].Value, "names have spaces")

	for key, value := range map[string]string{Copies: "stamps/*.stamp to stamps", Lists: "sail.sh", Log: byKey[Log].Options[0].Value} {
		a, err = l.Answers.With(key, value)
		require.NoError(t, err)
		l, err = Learn("gullport", "Gullport", e, a)
		require.NoError(t, err)
	}
	require.Empty(t, l.Open)
	b, err := rulebook.Parse(l.Text)
	require.NoError(t, err, "%s", l.Text)
	res, err := layout.Lay(b, layout.Archive{Filename: e.Downloads[0].Filename, Entries: e.Downloads[0].Entries, Read: func(x tree.Entry, _ int64) ([]byte, error) {
		return []byte(e.Downloads[0].Texts[x.Path]), nil
	}}, nil)
	require.NoError(t, err)
	require.Len(t, res.Crates, 1)
	require.Equal(t, []string{"2.0", "hull.info"}, []string{res.Crates[0].Version, res.Crates[0].VersionFrom})
	at := map[string]int{}
	for _, f := range res.Crates[0].Files {
		at[f.Place+": "+string(f.Path)]++
	}
	require.Equal(t, map[string]int{"hulls: night pilot/hull.info": 1, "hulls: night pilot/body/nightpilot.hull": 1, "hulls: night pilot/stamps/nightpilot.stamp": 1, "stamps: nightpilot.stamp": 1}, at)

	list, file, err := b.Lists[0].On(b, nil)
	require.NoError(t, err)
	require.Equal(t, tree.Path("sail.sh"), file)
	items, err := list.Read([]byte(e.Texts["sail.sh"]))
	require.NoError(t, err)
	var named []string
	for _, i := range items {
		named = append(named, i.Key)
	}
	require.Equal(t, []string{"stern watch", "fog bell", "far gull"}, named)
}

// A server on which no add-on has such a file yet, but a folder full of others like it.
func TestAFolderOfTheServersOwnWithSuchFilesIsAskedAbout(t *testing.T) {
	e := Evidence{Tree: entries("stamps/house.stamp", "stamps/harbour.stamp", "hulls/reed/hull.info", "hulls/tern/hull.info"), Downloads: ferry().Downloads}
	l, err := Learn("gullport", "Gullport", e, Answers{Kinds: "folder hull.info in hulls"})
	require.NoError(t, err)
	require.Equal(t, Copies, l.Open[0].Key)
	require.Equal(t, "stamps/*.stamp to stamps", l.Open[0].Options[0].Value)
	require.Contains(t, l.Open[0].Options[0].Why, "2 such files")

	// Nothing of the sort lies anywhere: nothing is asked.
	e.Tree = entries("hulls/reed/hull.info", "hulls/tern/hull.info")
	l, err = Learn("gullport", "Gullport", e, Answers{Kinds: "folder hull.info in hulls"})
	require.NoError(t, err)
	require.Empty(t, l.Open)
}
