package cli

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
)

// While files are read nearly all that is made stays, and it is cheaper to let the heap
// grow. What is made while steps run does not: then the heap may double, and grow by no
// more than spare bytes where a large suite's tree lives as long as the run.
const (
	readingPercent            = 200
	mostPercent, leastPercent = 100, 40
	spare                     = 48 << 20
)

// spendMemory is for reading files. What the environment says (GOGC) holds in its place.
func spendMemory() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(readingPercent)
	}
}

// saveMemory is for running steps: how far the heap grows between collections, set anew
// after each of them.
func saveMemory() {
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
