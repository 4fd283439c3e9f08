package draft

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/asset"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

const lampPath = tree.Path("stalls/lamp/stall.lf")

func swapWish(p tree.Path, own string) SwapWish {
	d := tree.Sum([]byte(own))
	k := tweak.Tweak{Do: tweak.Swap, Value: d.String(), Count: len(own), Text: "own.png"}
	return SwapWish{Path: p, Bytes: Bytes{Digest: d, Size: int64(len(own))}, Tweaked: Tweaked{ID: TweakID(p, k), Tweak: k},
		Was: &asset.Asset{Type: "image/png", Width: 8, Height: 8, Size: 90}, Now: &asset.Asset{Type: "image/png", Width: 8, Height: 8, Size: 90}}
}

// swap asks for nothing but a swap.
func swap(own string, change func(*SwapWish)) scene {
	return func(_ *fair, r *Request) {
		w := swapWish(lampPath, own)
		change(&w)
		r.Wanted, r.Swaps = nil, []SwapWish{w}
	}
}

func sound(w *SwapWish)    { w.Now.Type = "audio/ogg" }
func sound2(*SwapWish)     {}
func wide(w *SwapWish)     { w.Now.Width = 16 }
func heavy(w *SwapWish)    { w.Now.Size = 1 << 20 }
func unlooked(w *SwapWish) { w.Was = nil }

func lamp2(*fair, *Request) {}

// swapHolds has a swap hold on the lamp already, and then something be asked for.
func swapHolds(more scene) scene {
	return func(f *fair, r *Request) {
		row := f.ledger[lampPath]
		row.State = content("own")
		row.Tweaks = []Tweaked{swapWish(lampPath, "own").Tweaked}
		f.ledger[lampPath], f.files[lampPath] = row, content("own")
		more(f, r)
	}
}

// owns has the stockroom hold the files of these tests.
func owns(f *fair) {
	for _, own := range []string{"own", "other", "theirs"} {
		f.held[tree.Sum([]byte(own))] = true
	}
}

func TestASwapIsKeptOverAnUpdateAndTakenBack(t *testing.T) {
	f := newFair("call lamp\n")
	owns(f)
	lamp := func(version string) {
		f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("lamp", version)} }))
	}
	lamp("1")
	w := swapWish(lampPath, "own")
	d := f.draft(func(r *Request) { r.Swaps = []SwapWish{w} })
	require.Equal(t, tree.Sum([]byte("own")), changeAt(d, lampPath).After.Digest)
	f.done(t, d)
	require.Equal(t, "lamp@1", f.ledger[lampPath].Claims[0].Label, "it stays the add-on's")

	lamp("2")
	require.Equal(t, tree.Sum([]byte("own")), f.files[lampPath].Digest)
	require.Equal(t, tree.Sum([]byte("lamp2")), f.ledger[lampPath].Claims[0].Brings.Digest)
	require.Len(t, f.ledger[lampPath].Tweaks, 1)

	// Another one takes its place, and its way back leads to the author's.
	other := swapWish(lampPath, "other")
	f.done(t, f.draft(func(r *Request) { r.Swaps = []SwapWish{other} }))
	require.Equal(t, tree.Sum([]byte("other")), f.files[lampPath].Digest)
	require.Len(t, f.ledger[lampPath].Tweaks, 1)
	f.done(t, f.draft(func(r *Request) { r.Untweak = []string{other.Tweaked.ID} }))
	require.Equal(t, tree.Sum([]byte("lamp2")), f.files[lampPath].Digest)
	require.Empty(t, f.ledger[lampPath].Tweaks)
}

func TestASwapBesideGoesWithItsAddOn(t *testing.T) {
	f := newFair("call lamp\n")
	owns(f)
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("lamp", "1")} }))
	w := swapWish("stalls/lamp/own.png", "own")
	w.Tweaked.Addon = "lamp"
	f.done(t, f.draft(func(r *Request) { r.Swaps = []SwapWish{w} }))
	require.Equal(t, tree.Sum([]byte("own")), f.files["stalls/lamp/own.png"].Digest)
	f.done(t, f.draft(func(r *Request) { r.Remove, r.Present = []Removal{{"lamp", "lamp"}}, map[string]bool{"lamp": true} }))
	require.NotContains(t, f.files, tree.Path("stalls/lamp/own.png"))
}

func TestWhatStoodThereByHandComesBack(t *testing.T) {
	f := newFair("")
	owns(f)
	f.write("art/door.png", "theirs")
	w := swapWish("art/door.png", "own")
	d := f.draft(func(r *Request) { r.Swaps = []SwapWish{w} })
	require.NotEmpty(t, saidOf(d, "unknown-file"), "a file that nobody knows is not written over unasked")
	f.done(t, d)
	f.done(t, f.draft(func(r *Request) { r.Untweak = []string{w.Tweaked.ID} }))
	require.Equal(t, tree.Sum([]byte("theirs")), f.files["art/door.png"].Digest)
}

func TestASwapSaysWhatItIs(t *testing.T) {
	require.Equal(t, "is swapped for own.png (3 B)", swapWish(lampPath, "own").Tweaked.Tweak.String())
	require.Equal(t, "3", strconv.Itoa(swapWish(lampPath, "own").Tweaked.Tweak.Count))
}
