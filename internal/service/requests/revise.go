package requests

import (
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/words"
)

// Revise changes an ask for crates that was drafted before: what they need comes along, other
// add-ons go because they take their place, some of them are left out, and copies that nobody
// deployed are replaced.
func (a *Ask) Revise(takeNeeds bool, insteadOf, leaveOut, replace []string) error {
	if !takeNeeds && len(insteadOf)+len(leaveOut)+len(replace) == 0 {
		return nil
	}
	if len(a.Crates) == 0 && !(len(a.Remove) > 0 && len(replace) > 0) {
		return fault.New(fault.Usage, "bad-request", "this draft deploys no crates, so nothing can come along with them or be left out")
	}
	a.TakeNeeds = a.TakeNeeds || takeNeeds
	for _, name := range insteadOf {
		if !slices.Contains(a.InsteadOf, name) {
			a.InsteadOf = append(a.InsteadOf, name)
		}
	}
	for _, text := range replace {
		p, err := tree.ParsePath(text)
		if err != nil {
			return fault.New(fault.Usage, "bad-path", "%v", err)
		}
		if !slices.ContainsFunc(a.Settle, func(x Settling) bool { return x.Path == p }) {
			a.Settle = append(a.Settle, Settling{Path: p, Do: draft.RemoveIt})
		}
	}
	for _, name := range leaveOut {
		n := len(a.Crates)
		a.Crates = slices.DeleteFunc(a.Crates, func(ref string) bool {
			r, err := layout.ParseRef(ref)
			return err == nil && layout.Key(r.Name) == layout.Key(name)
		})
		if len(a.Crates) == n {
			return fault.New(fault.Usage, "bad-request", "this draft deploys no %s", name)
		}
	}
	if len(a.Crates)+len(a.Remove) == 0 {
		return fault.New(fault.Usage, "bad-request", "without %s this draft deploys nothing", words.Few(leaveOut)).WithMend("Discard it instead.")
	}
	return nil
}
