// Package bound says how much work one claim or value may take. Each bound is
// generous for what people write, and small enough that no path, schema or
// document holds a run up.
package bound

import (
	"fmt"
	"sync/atomic"
	"time"
)

// Most is the widest that bounds can be made.
const Most = 100

// Hint is the end of every message about a bound.
const Hint = "--effort 10 allows ten times as much"

var times atomic.Int64

// Widen makes every bound of the process n times as wide as usual, 1 to Most.
func Widen(n int) { times.Store(int64(n)) }

func by() int { return max(1, int(times.Load())) }

// Nodes is how many nodes a JSONPath may look at, those of its filters among
// them.
func Nodes() int { return 4_000_000 * by() }

// Patience is how long an XPath or a schema may take on one body.
func Patience() time.Duration { return 3 * time.Second * time.Duration(by()) }

// Text is how long a text may become, in bytes.
func Text() int { return by() << 26 }

// Values is how many values an array or object may hold in all.
func Values() int { return 1_000_000 * by() }

// Millions writes a bound of whole millions: 4,000,000.
func Millions(n int) string { return fmt.Sprintf("%d,000,000", n/1_000_000) }

// MiB writes a bound of whole mebibytes: 64 MiB.
func MiB(n int) string { return fmt.Sprintf("%d MiB", n>>20) }
