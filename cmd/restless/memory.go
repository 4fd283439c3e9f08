package main

import (
	"context"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// The service shares its machine with game servers, so little garbage lies about in it:
// twice what is in use while that is little, and never much over the ceiling. Where what is in
// use comes near the ceiling, the ceiling gives way: with a fixed one, a deployment of very
// many files would spend its time on collecting what is in use.
const (
	ceiling = 145 << 20 // bytes of the Go runtime; the database and the program come on top
	ample   = 200       // percent of what is in use that may be garbage below the ceiling
	tight   = 12        // percent of it that may be garbage above
)

// frugal keeps the garbage small until ctx ends, unless the environment says how.
func frugal(ctx context.Context) {
	if os.Getenv("GOGC") != "" || os.Getenv("GOMEMLIMIT") != "" {
		return
	}
	debug.SetGCPercent(ample)
	limit := int64(ceiling)
	debug.SetMemoryLimit(limit)
	go func() {
		tick := time.NewTicker(200 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-tick.C:
				// Setting it stops the whole program for a moment, so it is set only where
				// it is to be another one.
				if now := limitFor(inUse()); now != limit {
					debug.SetMemoryLimit(now)
					limit = now
				}
			case <-ctx.Done():
				return
			}
		}
	}()
}

// limitFor is how much memory the runtime may take, given what was in use at the last
// collection and what it needs beside the heap, both in bytes.
func limitFor(live, rest int64) int64 {
	return max(ceiling, live+live*tight/100+rest)
}

// inUse asks the runtime how much was in use at the last collection, and how much it needs
// beside the heap, both in bytes.
func inUse() (live, rest int64) {
	samples := []metrics.Sample{{Name: "/gc/heap/live:bytes"}, {Name: "/memory/classes/total:bytes"}, {Name: "/memory/classes/heap/objects:bytes"},
		{Name: "/memory/classes/heap/unused:bytes"}, {Name: "/memory/classes/heap/free:bytes"}, {Name: "/memory/classes/heap/released:bytes"}}
	metrics.Read(samples)
	n := make([]int64, len(samples))
	for i, s := range samples {
		if s.Value.Kind() == metrics.KindUint64 {
			n[i] = int64(s.Value.Uint64())
		}
	}
	return n[0], n[1] - n[2] - n[3] - n[4] - n[5]
}
