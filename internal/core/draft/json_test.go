package draft

import (
	"crypto/sha256"
	"encoding/json"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"testing/quick"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
)

// texts are what the texts of random entries are made of: what JSON escapes is among it.
var texts = []string{"", "a", "stalls/drum-tent", `"quoted"`, `back\slash`, "<b>&</b>", "two\nlines", "Läuten", "\u2028", "\x7f", "\xff", "\t"}

func somewhat[T any](r *rand.Rand, some T) T {
	if r.IntN(2) == 0 {
		var none T
		return none
	}
	return some
}

func anyState(r *rand.Rand) tree.State {
	return somewhat(r, tree.State{Being: tree.Being(r.IntN(6)), Digest: somewhat(r, tree.Sum([]byte{byte(r.Int())})), Size: somewhat(r, r.Int64()), Mode: somewhat(r, uint32(r.IntN(0o1000)))})
}

func anyClaims(r *rand.Rand) (out []Claim) {
	for range r.IntN(3) {
		out = append(out, Claim{Addon: word(r), Label: word(r), Crate: somewhat(r, tree.Sum(nil)), Role: Role(word(r)),
			Brings: Bytes{Digest: somewhat(r, tree.Sum([]byte{1})), Size: somewhat(r, r.Int64())}})
	}
	return out
}

func word(r *rand.Rand) string { return texts[r.IntN(len(texts))] }

// What is written by hand is what encoding/json writes.
func TestEntriesAreWrittenAsJSONIs(t *testing.T) {
	same := func(v any, got []byte) bool {
		want, err := json.Marshal(v)
		return err == nil && string(want) == string(got)
	}
	require.NoError(t, quick.Check(func(seed uint64) bool {
		r := rand.New(rand.NewPCG(seed, 0))
		c := Change{Path: tree.Path(word(r)), Before: anyState(r), After: anyState(r), ClaimsBefore: anyClaims(r), ClaimsAfter: anyClaims(r),
			ListedAfter: somewhat(r, somewhat(r, []Listing{{Name: word(r)}}))}
		s := Step{ID: r.IntN(9), Leg: r.IntN(3), Phase: Phase(r.IntN(4)), Verb: Verb(word(r)), Path: tree.Path(word(r)), What: word(r), Reason: word(r),
			Bytes: somewhat(r, r.Int64()), Diff: word(r), Motions: somewhat(r, []int{r.IntN(5), 7}[:r.IntN(3)])}
		m := Motion{ID: r.IntN(9), Leg: 1, Kind: MotionKind(r.IntN(12)), Phase: Phase(r.IntN(4)), Group: r.Int(), Step: r.IntN(9), Path: tree.Path(word(r)), Temp: word(r),
			Before: anyState(r), After: anyState(r), Proved: r.IntN(2) == 0, OnHost: r.IntN(9) == 0, Do: somewhat(r, somewhat(r, power.Stop)), Subject: somewhat(r, somewhat(r, word(r))),
			Back: somewhat(r, somewhat(r, word(r))), Ran: r.IntN(9) == 0, Seen: somewhat(r, r.Int64())}
		return same(&c, c.AppendJSON(nil)) && same(&s, s.AppendJSON(nil)) && same(&m, m.AppendJSON(nil))
	}, &quick.Config{MaxCount: 5000}))
}

// wholeDigest is what a digest is of, made in one piece.
func wholeDigest(t require.TestingT, d *Draft) tree.Digest {
	timeless := *d
	timeless.LookedAt = 0
	timeless.Findings = slices.DeleteFunc(slices.Clone(d.Findings), func(f finding.Finding) bool { return f.Code == swapTime || f.Code == OwnDisk || f.Code == "away" })
	timeless.Steps = slices.Clone(d.Steps)
	for i, s := range timeless.Steps {
		if s.Verb == CopyData {
			timeless.Counts.Keep -= s.Bytes
			timeless.Steps[i].What, timeless.Steps[i].Bytes = "", 0
		}
	}
	timeless.Counts.Copied = 0
	timeless.Motions = Motions{}
	for m := range d.Motions.All() {
		m.Seen = 0
		timeless.Motions.Add(m)
	}
	raw, err := json.Marshal(timeless)
	require.NoError(t, err)
	return sha256.Sum256(raw)
}

// Drafts that earlier versions have recorded keep their digests.
func TestADigestIsOfTheWholeDraftAsJSON(t *testing.T) {
	for _, d := range []*Draft{{}, {Changes: []Change{}, Steps: []Step{}, Motions: MotionsOf(nil)}, {
		Changes: []Change{{Path: "a"}, {Path: "b", Before: tree.Nothing}},
		Steps:   []Step{{ID: 1, Verb: CopyData, What: "3 files", Bytes: 3}, {ID: 2, Verb: Put}},
		Motions: MotionsOf(nil, Motion{ID: 1, Kind: AsideMotion, Seen: 5}, Motion{ID: 2, Kind: PowerMotion, Do: power.Stop, With: map[string]string{"b": "<", "a": ">"}}),
		Outline: Outline{LookedAt: 9, Counts: Counts{Keep: 5, Copied: 3}, Findings: []finding.Finding{{Code: OwnDisk}, {Code: "x", What: "<>"}}},
	}} {
		before := reflect.ValueOf(*d).Interface()
		require.Equal(t, wholeDigest(t, d), d.Digest())
		require.Equal(t, before, *d, "and it stays as it is")
	}
}

// A list gives back what was added to it, however it holds it.
func TestAListOfMotionsGivesBackWhatWasAdded(t *testing.T) {
	require.NoError(t, quick.Check(func(seed uint64) bool {
		r := rand.New(rand.NewPCG(seed, 1))
		changes := []Change{{Path: "a", Before: anyState(r), After: anyState(r)}, {Path: "a/b", Before: anyState(r), After: anyState(r)}, {Path: "c"}}
		var all []Motion
		for i := range r.IntN(9) {
			c := changes[r.IntN(3)]
			m := Motion{ID: i + 1, Leg: r.IntN(3), Kind: MotionKind(r.IntN(12)), Phase: Phase(r.IntN(4)), Group: r.IntN(4), Step: r.IntN(9), Path: c.Path,
				Before: []tree.State{c.Before, c.After, {}, anyState(r)}[r.IntN(4)], After: []tree.State{c.Before, c.After, {}, anyState(r)}[r.IntN(4)],
				Temp:   []string{"", "in-0/7", "out-0/256", "in-1/257", "in-9/1", "in-0/0", "in-0/07", "in-f1/deep/3", "out-0/x", "in-0/-1"}[r.IntN(10)],
				Proved: r.IntN(2) == 0, Seen: somewhat(r, r.Int64()), Subject: somewhat(r, somewhat(r, "x"))}
			if r.IntN(6) == 0 {
				m.ID, m.Path, m.Group = 99, "nowhere", 1<<40
			}
			all = append(all, m)
		}
		list := MotionsOf(changes, all...)
		same := func(l Motions) bool {
			i := 0
			for m := range l.All() {
				m.place = 0
				if !reflect.DeepEqual(m, all[i]) {
					return false
				}
				i++
			}
			return i == len(all)
		}
		raw, err := json.Marshal(list)
		var read Motions
		if err != nil || json.Unmarshal(raw, &read) != nil {
			return false
		}
		d := Draft{Changes: changes, Motions: read}
		d.Rebase()
		if len(all) > 0 {
			at := r.IntN(len(all))
			list.Alter(at, func(m *Motion) { m.Proved, m.Subject = !m.Proved, "other" })
			all[at].Proved, all[at].Subject = !all[at].Proved, "other"
			if !same(list) {
				return false
			}
			all[at].Proved, all[at].Subject = !all[at].Proved, d.Motions.At(at).Subject
		}
		return same(d.Motions)
	}, &quick.Config{MaxCount: 3000}))
}
