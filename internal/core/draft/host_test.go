package draft

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// found gives the finding of a code, or none.
func found(d *Draft, code string) (finding.Finding, bool) {
	for _, f := range d.Findings {
		if f.Code == code {
			return f, true
		}
	}
	return finding.Finding{}, false
}

func TestAFileThatTheWayInDoesNotTakeIsABlock(t *testing.T) {
	w := newWorld()
	req := w.request()
	req.Host.UploadLimit = 4
	req.Wanted = []Wanted{w.wanted("lamps", "1", map[tree.Path]string{"a": "four", "b": "fives"})}
	d := Make(req, w.observe())
	f, ok := found(d, "over-upload-limit")
	require.True(t, ok)
	require.Equal(t, tree.Path("b"), f.Path)
	require.True(t, f.Final)
	require.Equal(t, "b is 5 bytes long, and this way into the server takes 4 at most.", f.What)
	require.Equal(t, []finding.Remedy{finding.EditServer.With(), finding.EditServer.With("upload-limit")}, f.Remedies)
	n := 0
	for _, f := range d.Findings {
		if f.Level == finding.Block {
			n++
		}
	}
	require.Equal(t, 1, n)
}

// A swap is told where it takes more than a moment, and what it takes is no
// part of what the draft is.
func TestHowLongASwapTakes(t *testing.T) {
	w := newWorld()
	w.beside = true // every file by itself
	old, now := map[tree.Path]string{}, map[tree.Path]string{}
	for i := range 100 {
		p := tree.Path(fmt.Sprintf("f%02d", i))
		old[p], now[p] = "old", "new"
	}
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1", old)}
	w.run(t, req)
	req = w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "2", now)}
	req.Host.SideBySide = 256
	req.Host.RenameMS = 40
	quick := Make(req, w.observe())
	_, ok := found(quick, "swap-time")
	require.False(t, ok, "two round trips are a moment")
	req.Host.SideBySide, req.Host.RenameMS = 4, 120
	slow := Make(req, w.observe())
	f, ok := found(slow, "swap-time")
	require.True(t, ok)
	require.Equal(t, "The swap changes 200 names, which takes about 6 s on this host; everything else is done before it.", f.What)
	require.Equal(t, quick.Digest(), slow.Digest())
}

// A rollback brings a folder back with the permission bits that it had.
func TestAFolderComesBackWithItsPermissionBits(t *testing.T) {
	w := newWorld()
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1", map[tree.Path]string{"f/g/a": "a", "f/b": "b"})}
	w.run(t, req)
	w.files["f/g"] = tree.State{Being: tree.Folder, Mode: 0o700}
	w.ledger["f/g"] = Row{State: w.files["f/g"]}
	req = w.request()
	req.Remove = []Removal{{Addon: "lamps", Name: "lamps"}}
	w.run(t, req)
	require.Empty(t, w.files)
	w.rollback(t, 2)
	require.Equal(t, uint32(0o700), w.files["f/g"].Mode)
	require.Equal(t, uint32(0o755), w.files["f"].Mode)
	require.Equal(t, content("a"), w.files["f/g/a"])
}

// Of every twenty files the smallest is read back, and a large one that comes
// alone is not.
func TestWhichFilesAreReadBack(t *testing.T) {
	w := newWorld()
	host, thorough := w.request().Host, false
	proved := func(files []Target) (out []tree.Path) {
		req := w.request()
		req.Host, req.Thorough = host, thorough
		for i := range files {
			files[i].Digest = tree.Sum([]byte(files[i].Path))
			w.held[files[i].Digest] = true
		}
		req.Wanted = []Wanted{{Addon: "lamps", Name: "lamps", Version: "1", Files: files}}
		for m := range Make(req, w.observe()).Motions.All() {
			if m.Proved {
				out = append(out, m.Path)
			}
		}
		return out
	}
	require.Equal(t, []tree.Path{"a"}, proved([]Target{{Path: "a", Size: 1 << 20}}))
	require.Empty(t, proved([]Target{{Path: "a", Size: 1<<20 + 1}}))
	require.Equal(t, []tree.Path{"b"}, proved([]Target{{Path: "a", Size: 300 << 20}, {Path: "b", Size: 5}, {Path: "c", Size: 5}}))
	var many []Target
	for i := range 41 {
		size := int64(2 << 20)
		if i == 7 || i == 33 {
			size = 1<<20 + 7
		}
		many = append(many, Target{Path: tree.Path(fmt.Sprintf("f%02d", i)), Size: size})
	}
	require.Equal(t, []tree.Path{"f07", "f33"}, proved(many))
	mixed := []Target{{Path: "a", Size: 64<<10 - 1}, {Path: "b", Size: 64 << 10}, {Path: "c", Size: 2 << 20}, {Path: "d", Size: 9}}
	require.Equal(t, []tree.Path{"d"}, proved(mixed))
	host.Plain = true
	require.Equal(t, []tree.Path{"a", "d"}, proved(mixed), "every small one over plain FTP")
	host.Plain, host.Unclean = false, true
	require.Equal(t, []tree.Path{"a", "b", "c", "d"}, proved(mixed), "all where bytes do not come back as they were sent")
	host.Unclean, thorough = false, true
	require.Equal(t, []tree.Path{"a", "b", "c", "d"}, proved(mixed))
}
