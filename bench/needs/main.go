// Command needs measures how long it takes to find what add-ons need of one another: 500 add-ons in
// four staged versions each, every one of which needs up to three others, in ranges, and some of which do
// not go together. The peer, in the same run, is one look over the finished set, which every answer
// has to pass anyway.
package main

import (
	"fmt"
	"log"
	"math/rand/v2"
	"time"

	"restlesscrate/internal/core/needs"
)

const (
	addons   = 500
	versions = 4
	rounds   = 9
)

func main() {
	staged := world(rand.New(rand.NewPCG(17, 500)))
	var wanted, installed []*needs.Item
	for n := range addons {
		if n%10 == 9 {
			wanted = append(wanted, staged[n*versions+versions-1])
		}
		installed = append(installed, staged[n*versions])
	}
	if err := measure("50 wanted, nothing installed", needs.Change{Wanted: wanted}, staged); err != nil {
		log.Fatal(err)
	}
	if err := measure("50 updated, 500 installed", needs.Change{Installed: installed, Wanted: wanted}, staged); err != nil {
		log.Fatal(err)
	}
}

// world stages add-ons that need others of a lower number, so that no circle comes about.
func world(r *rand.Rand) (out []*needs.Item) {
	for n := range addons {
		for v := range versions {
			i := &needs.Item{ID: fmt.Sprintf("%d.%d", n, v), Key: fmt.Sprintf("addon-%d", n), Name: fmt.Sprintf("addon-%d", n), Version: fmt.Sprintf("%d.0", v+1)}
			for range min(n, r.IntN(4)) {
				i.Needs = append(i.Needs, needs.MakeWant(fmt.Sprintf("addon-%d", r.IntN(n)), fmt.Sprintf(">=%d.0", 1+r.IntN(v+1))))
			}
			if n > 10 && r.IntN(40) == 0 {
				i.Conflicts = append(i.Conflicts, needs.MakeWant(fmt.Sprintf("addon-%d", r.IntN(n)), "<2.0"))
			}
			out = append(out, i)
		}
	}
	return out
}

func measure(what string, c needs.Change, staged []*needs.Item) error {
	var solve, look time.Duration
	var plan needs.Plan
	for range rounds {
		began := time.Now()
		plan = c.Solve(staged)
		solved := time.Since(began)
		began = time.Now()
		left := c.Problems(plan.Take)
		looked := time.Since(began)
		for _, p := range left {
			if !p.Old && plan.Solved {
				return fmt.Errorf("%s: the answer is said to be complete, and %s is %s", what, p.Of.Label(), p.Sort)
			}
		}
		if solve == 0 || solved < solve {
			solve = solved
		}
		if look == 0 || looked < look {
			look = looked
		}
	}
	fmt.Printf("%-32s %4d come along, solved: %-5t  found in %s, %.1f times one look over the set (%s)\n",
		what, len(plan.Take), plan.Solved, solve.Round(10*time.Microsecond), float64(solve)/float64(look), look.Round(10*time.Microsecond))
	return nil
}
