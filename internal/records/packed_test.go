package records

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

func TestWhatIsPackedComesBackAsItWas(t *testing.T) {
	path := rapid.Custom(func(t *rapid.T) tree.Path {
		return tree.Path(rapid.SampledFrom([]string{"a/", "a/b/", "", "ö/"}).Draw(t, "dir") + rapid.StringN(0, 300, -1).Draw(t, "name"))
	})
	digest := rapid.Custom(func(t *rapid.T) tree.Digest { return tree.Sum(rapid.SliceOf(rapid.Byte()).Draw(t, "content")) })
	word := rapid.SampledFrom([]string{"", "stalls", "a reason", "another reason"})
	rapid.Check(t, func(t *rapid.T) {
		entries := rapid.SliceOf(rapid.Custom(func(t *rapid.T) tree.Entry {
			e := tree.Entry{Path: path.Draw(t, "path"), Dir: rapid.Bool().Draw(t, "dir"), Exec: rapid.Bool().Draw(t, "exec")}
			if !e.Dir {
				e.Size, e.Digest = rapid.Int64().Draw(t, "size"), digest.Draw(t, "digest")
			}
			return e
		})).Draw(t, "entries")
		got, err := unpackEntries(packEntries(entries))
		require.NoError(t, err)
		require.Equal(t, entries, got)

		want := layout.Crate{Name: "lamps", Files: rapid.SliceOf(rapid.Custom(func(t *rapid.T) layout.File {
			return layout.File{Source: path.Draw(t, "source"), Path: path.Draw(t, "target"), Place: word.Draw(t, "place"), Into: tree.Path(word.Draw(t, "into")), Reason: word.Draw(t, "reason"),
				Optional: word.Draw(t, "part"), Repack: tree.Path(word.Draw(t, "repack")), Line: rapid.Int().Draw(t, "line"), Size: rapid.Int64().Draw(t, "size"),
				Digest: digest.Draw(t, "digest"), Exec: rapid.Bool().Draw(t, "exec"), Settings: rapid.Bool().Draw(t, "settings")}
		})).Draw(t, "files"), Left: rapid.SliceOf(rapid.Custom(func(t *rapid.T) layout.Left {
			return layout.Left{Source: path.Draw(t, "source"), Reason: word.Draw(t, "reason"), Line: rapid.Int().Draw(t, "line"), Size: rapid.Int64().Draw(t, "size"), Settled: rapid.Bool().Draw(t, "settled")}
		})).Draw(t, "left")}
		// Some of the files are what the archive says, as nearly all are.
		from := listing{}
		if rapid.Bool().Draw(t, "from an archive") {
			for i, f := range want.Files {
				if rapid.Bool().Draw(t, "in its listing") {
					from.entries = append(from.entries, tree.Entry{Path: f.Source, Size: f.Size, Digest: f.Digest})
				} else if i > 0 && rapid.Bool().Draw(t, "as another") {
					want.Files[i].Source = want.Files[i-1].Source
				}
			}
			from.entries = append(from.entries, entries...)
			from.packed = packEntries(from.entries)
		}
		packed := packFiles(&want, from)
		back := layout.Crate{Name: "lamps"}
		require.NoError(t, unpackFiles(packed, from.packed, &back))
		require.Equal(t, want, back)

		cut := packed[:rapid.IntRange(0, len(packed)-1).Draw(t, "cut")]
		require.ErrorIs(t, unpackFiles(cut, from.packed, &layout.Crate{}), errPacked, "what is cut short is never taken for whole")
		if len(from.entries) > 0 {
			other := packEntries(append(from.entries, tree.Entry{Path: "another"}))
			require.ErrorIs(t, unpackFiles(packed, other, &layout.Crate{}), errPacked, "a listing that was changed is not believed")
			require.ErrorIs(t, unpackFiles(packed, nil, &layout.Crate{}), errPacked, "nor is one that is gone")
		}
	})
}

func TestDamagedListsAreToldNotBelieved(t *testing.T) {
	for name, raw := range map[string][]byte{
		"nothing":            nil,
		"another form":       {9, 0},
		"more than there is": {packedForm, 0xfe, 0xff, 0xff, 0x0f},
		"a negative number":  {packedForm, 0x01},
		"a path that shares too much with the one before": {packedForm, 0x02, 0x08, 0x02, 'a'},
	} {
		_, err := unpackEntries(raw)
		require.ErrorIs(t, err, errPacked, name)
	}
}
