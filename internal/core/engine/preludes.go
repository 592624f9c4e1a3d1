package engine

import (
	"slices"
	"sync"
	"time"

	"usualpath/internal/core/project"
	"usualpath/internal/core/value"
)

// once is what `before all` and `after all` of a run have come to. What hands out the scenarios
// uses it, and steps whose credentials have ended.
type once struct {
	mu sync.Mutex
	// done are the preludes that have run.
	done map[*project.Prelude]*prelude
	next int
	// ran are the files of which something has run.
	ran []*project.File
}

// of is what a prelude has come to, nil for one that has not run.
func (o *once) of(one *project.Prelude) *prelude {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.done[one]
}

func (o *once) set(one *project.Prelude, have *prelude) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.done[one] = have
}

// number is that of the next scenario that runs once.
func (o *once) number() int {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.next++
	return firstOnce + o.next
}

// prelude is a `before all` that has run.
type prelude struct {
	values map[string]*value.Value
	at     time.Time
	// failed says why its names have no values, "" when they have.
	failed string
}

// began notes that something of a file runs.
func (o *once) began(f *project.File) {
	if !slices.Contains(o.ran, f) {
		o.ran = append(o.ran, f)
	}
}
