// Package timeline tells what became of a server's deployments afterwards: which of them are taken
// back, and by which.
package timeline

import "slices"

// Done is a deployment that is over.
type Done struct {
	Number int
	Back   int  // the deployment that it is the inverse of; 0 where it is none's
	Whole  bool // it brought the whole server back to how it stood after To
	To     int  // with Whole; 0: before the first
}

// TakenBack gives, for each deployment that is not in force any more, the one that took it back.
// One that took others back and is taken back itself takes nothing back any more. The list may
// have any order.
func TakenBack(list []Done) map[int]int {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b Done) int { return b.Number - a.Number })
	by := map[int]int{}
	// From the newest on: whether one is in force depends on later ones alone.
	for i, d := range list {
		if by[d.Number] != 0 {
			continue
		}
		for _, o := range list[i+1:] {
			if !d.Whole && d.Back == 0 || d.Whole && o.Number <= d.To || !d.Whole && o.Number < d.Back {
				break
			}
			if by[o.Number] == 0 && (d.Whole || o.Number == d.Back) {
				by[o.Number] = d.Number
			}
		}
	}
	return by
}
