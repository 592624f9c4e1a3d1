package cli

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
)

// A heap may grow to three times what is in use: that is cheaper than to look through it
// again and again. While steps run, when nearly all that is made is soon done with, it grows
// by no more than spare bytes where a large suite's tree lives as long as the run.
const (
	usualPercent, leastPercent = 200, 40
	spare                      = 48 << 20
)

// spendMemory is for reading files. What the environment says (GOGC) holds in its place.
func spendMemory() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(usualPercent)
	}
}

// saveMemory is for running steps: how far the heap grows between collections, set anew
// after each of them.
var saveMemory = sync.OnceFunc(func() {
	if os.Getenv("GOGC") != "" {
		return
	}
	debug.SetGCPercent(usualPercent)
	type mark struct{ _ [16]byte }
	var after func(*mark)
	was := usualPercent
	after = func(*mark) {
		sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		metrics.Read(sample)
		if live := sample[0].Value.Uint64(); live > 0 {
			if now := min(usualPercent, max(leastPercent, int(spare*100/live))); now != was {
				was = now
				debug.SetGCPercent(now)
			}
		}
		runtime.SetFinalizer(&mark{}, after)
	}
	runtime.SetFinalizer(&mark{}, after)
})
