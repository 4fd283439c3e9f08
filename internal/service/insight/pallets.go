package insight

import (
	"slices"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// PalletOn is a pallet of which add-ons are on a server: of its versions the one of which the
// most are there as they came.
type PalletOn struct {
	Label   string
	Of      int      // how many add-ons it holds
	Missing []string // keys of those that are not there
}

// pallets finds the pallets of which at least two add-ons are there as they came, and tells
// each add-on with which it is there. all are the pallets of its rulebook.
func pallets(all []model.PalletMember, addons []Addon) (out []PalletOn) {
	if len(all) == 0 {
		return nil
	}
	there, crates := map[string]bool{}, map[tree.Digest]bool{}
	for _, a := range addons {
		there[a.Key], crates[a.Crate] = true, true
	}
	members := map[int64][]model.PalletMember{}
	var ids []int64 // the newest first
	for _, m := range all {
		if members[m.Pallet] == nil {
			ids = append(ids, m.Pallet)
		}
		members[m.Pallet] = append(members[m.Pallet], m)
	}
	same := func(id int64) (n int) {
		for _, m := range members[id] {
			if crates[m.Crate] {
				n++
			}
		}
		return n
	}
	best := map[string]int64{} // by the pallet's key
	for _, id := range ids {
		key := members[id][0].Key
		if now, ok := best[key]; same(id) >= 2 && (!ok || same(id) > same(now)) {
			best[key] = id
		}
	}
	for _, id := range ids {
		list := members[id]
		if best[list[0].Key] != id {
			continue
		}
		on := PalletOn{Label: list[0].Label, Of: len(list)}
		for _, m := range list {
			if !there[m.Addon] {
				on.Missing = append(on.Missing, m.Addon)
			}
			for i := range addons {
				if a := &addons[i]; a.Crate == m.Crate && a.Pallet == "" {
					a.Pallet = on.Label
				}
			}
		}
		slices.Sort(on.Missing)
		out = append(out, on)
	}
	return out
}
