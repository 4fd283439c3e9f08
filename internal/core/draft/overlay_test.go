package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

// night changes a file of lamps and brings one more.
func night(w *world) Wanted {
	n := w.wanted("night", "1", map[tree.Path]string{"f/lamps/a": "dark", "f/lamps/moon": "full"})
	for i := range n.Files {
		n.Files[i].Overlay = true
	}
	return n
}

func overlaid(t *testing.T) *world {
	w := deployed(t)
	req := w.request()
	req.Wanted = []Wanted{night(w)}
	d := w.run(t, req)
	require.Equal(t, []string{"put f/lamps/a", "put f/lamps/moon", "move 2 files into place", "tidy 1 old file set aside"}, lines(d))
	require.Equal(t, "a of lamps@1.0 is changed by night@1", d.Steps[0].Reason)
	require.Equal(t, []string{"warn laid-over f/lamps/a", "warn may-be-running "}, codes(d))
	require.Equal(t, "night@1 replaces f/lamps/a of lamps@1.0.", d.Findings[0].What)
	require.Equal(t, content("dark"), w.files["f/lamps/a"])
	require.Equal(t, []string{"lamps@1.0 owns", "night@1 overlays"}, claimed(w, "f/lamps/a"))
	require.Equal(t, []string{"night@1 owns"}, claimed(w, "f/lamps/moon"))
	return w
}

func claimed(w *world, p tree.Path) (out []string) {
	for _, c := range w.ledger[p].Claims {
		out = append(out, c.Label+" "+string(c.Role))
	}
	return out
}

func TestAnOverlayGoesAndTheOwnersBytesAreBack(t *testing.T) {
	w := overlaid(t)
	req := w.request()
	req.Remove = []Removal{{"night", "night"}}
	d := w.run(t, req)
	require.Equal(t, "the bytes of lamps@1.0 are back", d.Steps[0].Reason)
	require.Equal(t, content("a1"), w.files["f/lamps/a"])
	require.Equal(t, tree.Absent, w.being("f/lamps/moon"))
	require.Equal(t, []string{"lamps@1.0 owns"}, claimed(w, "f/lamps/a"))
}

func TestAnOverlaidAddOnIsUpdatedBelowItsOverlay(t *testing.T) {
	w := overlaid(t)
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2", "f/lamps/b": "b2"}), night(w)}
	d := w.run(t, req)
	require.Equal(t, []string{"put f/lamps/b", "move 1 file into place", "tidy 1 old file set aside"}, lines(d), "what overlays the file stays")
	require.Equal(t, content("dark"), w.files["f/lamps/a"])
	require.Equal(t, []string{"lamps@1.1 owns", "night@1 overlays"}, claimed(w, "f/lamps/a"))

	req = w.request()
	req.Remove = []Removal{{"night", "night"}}
	w.run(t, req)
	require.Equal(t, content("a2"), w.files["f/lamps/a"], "the bytes of the newer version, though they never stood there")
}

func TestAnOverlayAndItsOwnerInOneDeploymentAndBothGone(t *testing.T) {
	w := newWorld()
	req := w.request()
	req.Wanted = []Wanted{night(w), w.wanted("lamps", "1.0", map[tree.Path]string{"f/lamps/a": "a1"})} // in any order
	w.run(t, req)
	require.Equal(t, content("dark"), w.files["f/lamps/a"])
	require.Equal(t, []string{"lamps@1.0 owns", "night@1 overlays"}, claimed(w, "f/lamps/a"))
	req = w.request()
	req.Remove = []Removal{{"night", "night"}, {"lamps", "lamps"}}
	w.run(t, req)
	require.Empty(t, w.files)
}

func TestWhatWouldLoseAnOverlayOrItsGroundIsRefused(t *testing.T) {
	w := overlaid(t)
	req := w.request()
	req.Remove = []Removal{{"lamps", "lamps"}}
	require.Contains(t, codes(Make(req, w.observe())), "block overlaid f/lamps/a")
	req = w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2"})}
	require.Contains(t, codes(Make(req, w.observe())), "block overlaid f/lamps/a")

	fog := w.wanted("fog", "1", map[tree.Path]string{"f/lamps/a": "grey"})
	fog.Files[0].Overlay = true
	req = w.request()
	req.Wanted = []Wanted{fog}
	require.Contains(t, codes(Make(req, w.observe())), "block two-claims f/lamps/a", "two add-ons change one file")
}

func TestAMergedFileSaysWhatWasMerged(t *testing.T) {
	w := deployed(t)
	n := w.wanted("night", "1", map[tree.Path]string{"f/lamps/a": "dark"})
	n.Files[0].Overlay, n.Files[0].Merged = true, "2 files in it, of which moon.toml replaces one"
	req := w.request()
	req.Wanted = []Wanted{n}
	d := Make(req, w.observe())
	require.Equal(t, "lamps@1.0, merged with night@1: 2 files in it, of which moon.toml replaces one", d.Steps[0].Reason)
	require.Equal(t, "night@1 is merged into f/lamps/a of lamps@1.0: 2 files in it, of which moon.toml replaces one.", d.Findings[0].What)
}

func TestManyReplacedFilesAreSaidInOneSentence(t *testing.T) {
	w := newWorld()
	files := map[tree.Path]string{"f/a": "1", "f/b": "2", "f/c": "3", "f/d": "4"}
	dark := w.wanted("night", "1", map[tree.Path]string{"f/a": "x", "f/b": "x", "f/c": "x", "f/d": "x"})
	for i := range dark.Files {
		dark.Files[i].Overlay = true
	}
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.0", files), dark}
	d := Make(req, w.observe())
	require.Equal(t, []string{"warn laid-over f/a", "warn may-be-running "}, codes(d))
	require.Equal(t, "night@1 replaces 4 files of lamps@1.0: f/a, f/b, f/c and 1 more.", d.Findings[0].What)
}

func TestTwoVersionsOfAFileThatIsSharedNeverLieSideBySide(t *testing.T) {
	w := newWorld()
	profile := func(version, lamp string) Wanted {
		return w.wanted("profile", version, map[tree.Path]string{"fixtures/" + tree.Path(lamp): lamp, "fixtures/seal.key": "key"})
	}
	lamps := func(version string) Wanted {
		name := "lamps-" + version + ".tdx"
		return w.wanted("lamps", version, map[tree.Path]string{"fixtures/" + tree.Path(name): name, "fixtures/seal.key": "key"})
	}
	drafted := func(wanted ...Wanted) *Draft {
		req := w.request()
		req.Wanted = wanted
		return Make(req, w.observe())
	}
	req := w.request()
	req.Wanted = []Wanted{profile("1", "lamps-1.0.tdx"), lamps("1.0")}
	w.run(t, req)
	d := drafted(lamps("1.1"))
	require.Contains(t, said(t, d, "shared-goes"), "fixtures/lamps-1.0.tdx belongs to profile@1 too, and lamps@1.1 brings lamps-1.1.tdx, another version of the same.")
	for _, c := range d.Changes {
		if c.Path == "fixtures/lamps-1.0.tdx" {
			require.Equal(t, tree.Absent, c.After.Being)
		}
		if c.Path == "fixtures/seal.key" {
			require.True(t, c.Before.Same(c.After), "what is the same for both stays")
		}
	}
	d = drafted(profile("2", "lamps-1.1.tdx"))
	require.Contains(t, said(t, d, "shared-goes"), "belongs to lamps@1.0 too, and profile@2 brings lamps-1.1.tdx")
	d = drafted(profile("2", "lamps-1.1.tdx"), lamps("1.1"))
	require.NotContains(t, codes(d), "block shared-goes fixtures/lamps-1.0.tdx", "the two together")
}

func TestWhatIsNewBelowAPatchIsSaid(t *testing.T) {
	w := newWorld()
	base := func(version, text string) Wanted {
		return w.wanted("gate", version, map[tree.Path]string{"stalls/gate/prices.txt": text, "stalls/gate/a.txt": "a"})
	}
	patch := func() Wanted {
		p := w.wanted("cheap", "1", map[tree.Path]string{"stalls/gate/prices.txt": "half"})
		for i := range p.Files {
			p.Files[i].Overlay = true
		}
		return p
	}
	run := func(wanted ...Wanted) *Draft {
		req := w.request()
		req.Wanted = wanted
		return w.run(t, req)
	}
	run(base("1", "full"), patch())
	require.NotContains(t, codes(run(base("2", "full"), patch())), "warn base-changed stalls/gate/prices.txt")
	require.Equal(t, "stalls/gate/prices.txt of gate@3 is another one than that of gate@2, and cheap@1 replaces it still: what is new in it does not show.",
		said(t, run(base("3", "full and more"), patch()), "base-changed"))
}
