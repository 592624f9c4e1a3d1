// Package history judges what several clients did to an item at the same time: is
// there an order of their calls, one after another, in which every answer and what
// is read in the end make sense, and which respects that a call that was answered
// before another one began came before it?
//
// What fails is decided by the writes that were acknowledged and by what is read
// when all is quiet. Refusals have no effect, and a call without an answer may have
// happened at any time after it began, or not at all. Reads in between are only held
// against each other.
package history

import (
	"time"

	"usualpath/internal/core/value"
)

// Kind is what a call does to an item.
type Kind int

// The kinds. A replace gives all members that are watched, a merge those that it
// names, and null removes (RFC 7396 §2).
const (
	Create Kind = iota
	Replace
	Merge
	Delete
	Read
)

// Outcome is what is known of a call's effect.
type Outcome int

// The outcomes: answered with a success; refused (4xx), so without an effect; no
// answer, or 5xx, so that nobody knows.
const (
	Taken Outcome = iota
	Refused
	Unknown
)

// Members are the watched members of an item by name. One that is absent and one
// that is null are the same.
type Members map[string]*value.Value

// Call is one request of one client to one item.
type Call struct {
	Client  int
	Kind    Kind
	Members Members
	// IfMatch is the strong entity tag without which the service must not act, ETag
	// the one that its answer shows (RFC 9110 §13.1.1); "" without one.
	IfMatch, ETag string
	// Made tells that a replace has made the item: 201.
	Made    bool
	Outcome Outcome
	Status  int
	// Begin and End are when it was sent and answered, since the first of all calls.
	Begin, End time.Duration
}

// Final is what is read of the item when all is quiet.
type Final struct {
	There   bool
	Members Members
}

// History is what became of one item.
type History struct {
	// Start is what it was before the first call.
	Start Final
	Calls []Call
	// Final is nil when it could not be read.
	Final *Final
}

// Finding names what no order explains.
type Finding struct {
	What What
	// Warns marks what may be legal: a cache may answer.
	Warns bool
	// Member is the one that it shows in, "" where it is about the item.
	Member string
	// Calls are those that contradict each other, in order of time.
	Calls []Call
}

// What is the name of a finding.
type What string

// The names.
const (
	LostUpdate What = "lost update"
	CameBack   What = "came back after a delete"
	Vanished   What = "gone without a delete"
	Torn       What = "torn"
	TwoOfOne   What = "two of one name"
	Nobodys    What = "written by nobody"
	Older      What = "older than what was already read"
	Broken     What = "5xx under load"
)

func same(a, b *value.Value) bool {
	if absent(a) || absent(b) {
		return absent(a) && absent(b)
	}
	return value.Equal(a, b)
}

func absent(v *value.Value) bool { return v == nil || v.Kind == value.Null }
