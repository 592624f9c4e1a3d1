package engine

import (
	"slices"
	"time"

	"usualpath/internal/core/project"
	"usualpath/internal/core/value"
)

// once is what `before all` and `after all` of a run have come to. Only what
// hands out the scenarios uses it, so it needs no lock.
type once struct {
	// done are the preludes that have run, ran the files of which something has.
	done map[*project.Prelude]*prelude
	ran  []*project.File
	next int
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
