package records

import (
	"fmt"
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Folder by folder, a tree holds exactly what the whole list holds: whatever letters its names have.
func TestTheTreeFolderByFolderIsTheWholeList(t *testing.T) {
	part := rapid.SampledFrom([]string{"a", "b", "ä", "漢", "a b", "%", "_x", "a-b", "a.txt"})
	db, n := open(t), 0
	rapid.Check(t, func(rt *rapid.T) {
		n++
		s := server(t, db, fmt.Sprintf("saltpan-%d", n))
		files := map[tree.Path]bool{}
		var d draft.Draft
		for range rapid.IntRange(1, 12).Draw(rt, "files") {
			parts := rapid.SliceOfN(part, 1, 4).Draw(rt, "path")
			p := tree.Path(strings.Join(parts, "/"))
			clash := files[p]
			for q := range files { // a file is no folder
				clash = clash || strings.HasPrefix(string(q)+"/", string(p)+"/") || strings.HasPrefix(string(p)+"/", string(q)+"/")
			}
			if clash {
				continue
			}
			files[p] = true
			d.Changes = append(d.Changes, draft.Change{Path: p, Before: tree.Nothing, After: content(string(p)), ClaimsAfter: claims("lamps@1")})
		}
		recorded(t, db, s.ID, d, false)

		seen := map[tree.Path]bool{}
		var walk func(in tree.Path) (n int, bytes int64)
		walk = func(in tree.Path) (n int, bytes int64) {
			folders, here, err := db.FolderOf(t.Context(), s.ID, in)
			require.NoError(rt, err)
			for _, f := range here {
				require.Equal(rt, string(in), strings.TrimPrefix(path.Dir(string(f.Path)), "."), "it is directly there")
				seen[f.Path] = true
				n, bytes = n+1, bytes+f.State.Size
			}
			for _, f := range folders {
				inner := tree.Path(path.Join(string(in), f.Name))
				m, size := walk(inner)
				require.Equal(rt, m, f.Files, "%s", inner)
				require.Equal(rt, size, f.Bytes, "%s", inner)
				n, bytes = n+m, bytes+size
			}
			return n, bytes
		}
		walk(tree.Root)
		require.Equal(rt, files, seen)
	})
}

// A path is found by any of its words, to the letter; what is gone is told as that, and what never
// was a file is not found.
func TestPathsAreFoundByTheirWords(t *testing.T) {
	db := open(t)
	s, other := server(t, db, "saltpan"), server(t, db, "lantern")
	put := func(server int64, paths ...tree.Path) {
		var d draft.Draft
		for _, p := range paths {
			d.Changes = append(d.Changes, draft.Change{Path: p, Before: tree.Nothing, After: content("x"), ClaimsAfter: claims("lamps@1")})
		}
		recorded(t, db, server, d, false)
	}
	put(s.ID, "stalls/Drum/a_b.txt", "stalls/drum/axb.txt", "songs/100%.tune")
	put(other.ID, "stalls/drum/other.txt")
	recorded(t, db, s.ID, draft.Draft{Changes: []draft.Change{{Path: "songs/100%.tune", Before: content("x"), After: tree.Nothing, ClaimsBefore: claims("lamps@1")}}}, false)
	find := func(server int64, words ...string) (out []string) {
		list, err := db.FindPaths(t.Context(), server, words, 10)
		require.NoError(t, err)
		for _, f := range list {
			out = append(out, fmt.Sprintf("%s %s %v %v", f.Server, f.Path, f.There, f.Gone))
		}
		return out
	}
	require.Equal(t, []string{"saltpan stalls/Drum/a_b.txt true false"}, find(s.ID, "a_b"), "an underscore is no other letter")
	require.Len(t, find(s.ID, "drum", "TXT"), 2, "case is no matter, and every word counts")
	require.Equal(t, []string{"saltpan songs/100%.tune false true"}, find(0, "100%"))
	require.Len(t, find(0, "drum"), 3)
	require.Empty(t, find(s.ID, "other"))
}

// What was last found out about a host and its game outlives the service.
func TestWhatWasSeenIsKept(t *testing.T) {
	db := open(t)
	s := server(t, db, "saltpan")
	seen, err := db.Seen(t.Context(), s.ID)
	require.NoError(t, err)
	require.Equal(t, model.Seen{}, seen)
	require.NoError(t, db.SaveReach(t.Context(), s.ID, nil))
	require.NoError(t, db.SaveCondition(t.Context(), s.ID, "running", "port: it listens"))
	require.NoError(t, db.SaveMeant(t.Context(), s.ID, "running"))
	trouble := &finding.Finding{Level: finding.Block, Code: "host-unreachable", What: "no answer"}
	require.NoError(t, db.SaveReach(t.Context(), s.ID, trouble))
	seen, err = db.Seen(t.Context(), s.ID)
	require.NoError(t, err)
	require.Equal(t, trouble, seen.Trouble)
	require.False(t, seen.ReachedAt.IsZero(), "when it was last reached stays")
	require.Equal(t, "running", seen.Condition)
	require.Equal(t, "port: it listens", seen.Words)
	require.Equal(t, "running", seen.Meant)
}
