package engine

import (
	"bytes"

	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// reading is what an observation read last: most requests change nothing, and
// what came as the same bytes need not be decoded again.
type reading struct {
	pages []page
	snap  *state.Snapshot
}

// page is the body of an answer, its content type, and the members in it, nil where they were not yet
// looked at; elements are the same as they stand in it, by which it is read when it comes again a
// little changed, nil where they are not an array of its own.
type page struct {
	body     []byte
	media    string
	members  []state.Entry
	elements *value.Elements
}

func samePages(a, b []page) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !bytes.Equal(a[i].body, b[i].body) {
			return false
		}
	}
	return true
}

// mostReadings bounds how many lists are remembered as they were last read.
const mostReadings = 500
