package cli

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
)

// The tree of a large suite lives as long as the run, and most of what is made beside it
// does not: a heap may grow to five times what is in use, which is cheaper than to look
// through the tree again and again, but not by more than spare bytes.
const (
	mostPercent, leastPercent = 400, 40
	spare                     = 48 << 20
)

// tuneMemory sets how far the heap grows between collections, anew after each of them. What
// the environment says (GOGC) holds in its place.
func tuneMemory() {
	if os.Getenv("GOGC") != "" {
		return
	}
	debug.SetGCPercent(mostPercent)
	type mark struct{ _ [16]byte }
	var after func(*mark)
	was := mostPercent
	after = func(*mark) {
		sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		metrics.Read(sample)
		if live := sample[0].Value.Uint64(); live > 0 {
			if now := min(mostPercent, max(leastPercent, int(spare*100/live))); now != was {
				was = now
				debug.SetGCPercent(now)
			}
		}
		runtime.SetFinalizer(&mark{}, after)
	}
	runtime.SetFinalizer(&mark{}, after)
}
