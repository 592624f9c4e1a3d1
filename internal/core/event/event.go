// Package event is what a run says of itself while it happens. The engine
// emits events, and every output reads them: neither knows the other.
package event

import (
	"strings"
	"time"

	"usualpath/internal/core/exchange"
)

// Verdict is what became of a step or scenario.
type Verdict string

// The verdicts.
const (
	Held    Verdict = "held"
	Failed  Verdict = "failed"
	Warned  Verdict = "warned"
	Blocked Verdict = "blocked"
	// Skipped is a step whose `when` did not hold, or an `afterwards` step that
	// had nothing to clean up.
	Skipped Verdict = "skipped"
	// NotReached is a step that a stopped run did not come to.
	NotReached Verdict = "not reached"
)

// rank orders verdicts by how much they count.
func (v Verdict) rank() int {
	switch v {
	case Skipped:
		return 0
	case Held:
		return 1
	case Warned:
		return 2
	case NotReached:
		return 3
	case Blocked:
		return 4
	}
	return 5
}

// Worse is the verdict that counts more.
func Worse(a, b Verdict) Verdict {
	if b.rank() > a.rank() {
		return b
	}
	return a
}

// Event is one of the types below.
type Event interface{ event() }

// RunStarted is the first event.
type RunStarted struct {
	Tool        string
	Seed        uint64
	Environment string
	Base        string
	Time        time.Time
	// Scenarios is how many will run, cases counted singly.
	Scenarios int
	// Shard is I/N when only a part of the suite is run.
	Shard string
	// Sources is a digest of the files that the scenarios are in.
	Sources string
}

// ScenarioStarted comes before a scenario's steps.
type ScenarioStarted struct {
	ID    int
	File  string
	Line  int
	Title string
	// Pattern is the title with its names, for --only.
	Pattern string
	About   string
	Tags    []string
	// Check is what the scenario proves of a resource, or nil.
	Check *Check
	// Found is set for one that roaming has brought back.
	Found *Found
}

// Check is a promise of a resource that a scenario proves.
type Check struct {
	// ID is family/name; Level is must, should or usual.
	ID, Level string
	// Resource and Operation are the row of the promise grid.
	Resource, Operation string
	// Column heads the check's family in the grid, "" where it has no place there;
	// Columns and rows are in the order of ColumnAt and RowAt.
	Column          string
	ColumnAt, RowAt int
	// Anyway marks a check that is judged although nothing tells which item a
	// create has made.
	Anyway bool
	// Causes are the checks whose failure explains that of this one.
	Causes []string
}

// Family is the part of the id before the slash.
func (c *Check) Family() string {
	family, _, _ := strings.Cut(c.ID, "/")
	return family
}

// Role tells why a request was sent.
type Role string

// The roles.
const (
	Main        Role = "request"
	Repeat      Role = "again"
	Copy        Role = "together"
	Retry       Role = "retry"
	Observation Role = "observation"
)

// Sent is one exchange of a step.
type Sent struct {
	Role Role
	// N numbers repeats and copies from 1.
	N int
	// Name is the observation's.
	Name string
	// Exchange is as it may be shown; Bare as it was, nil unless that was asked for.
	Exchange, Bare *exchange.Exchange
}

// Shown is the exchange as a terminal may show it: bare where that was asked for.
func (s *Sent) Shown() *exchange.Exchange {
	if s.Bare != nil {
		return s.Bare
	}
	return s.Exchange
}

// Finding is an expectation that was missed.
type Finding struct {
	// Verdict is Failed, Warned for `prefer`, or Blocked.
	Verdict  Verdict
	Line     int
	Expected string
	Observed []string
	Because  string
	// Sent is the index of the exchange it is about, -1 for none.
	Sent int
	// Look says where to look first, for a failed exchange.
	Look string
}

// StepFinished tells all about a step.
type StepFinished struct {
	Scenario int
	// Index counts the steps of a scenario from 1.
	Index      int
	Title      string
	File       string
	Line       int
	Verdict    Verdict
	Afterwards bool
	Took       time.Duration
	Sent       []Sent
	Findings   []Finding
	// Lacks are the names a blocked step needed, with who should have bound them.
	Lacks []string
	// Why says why a step was skipped.
	Why string
	// Requests is how many requests the step sent, observations not counted.
	Requests int
	// Judged is how many expectations were held against answers.
	Judged int
}

// ScenarioFinished comes after a scenario's last step.
type ScenarioFinished struct {
	Scenario int
	Verdict  Verdict
	Took     time.Duration
	Steps    int
	// Requests counts all that was sent, observations too.
	Requests int
	// Why says why a scenario was not run, or proved nothing.
	Why string
}

// Notice is something a user should know that is about no step: a service
// started, a run interrupted.
type Notice struct {
	Text string
	// Severe marks what explains failures, such as a service that died.
	Severe bool
}

// RunFinished is the last event.
type RunFinished struct {
	Took        time.Duration
	Counts      Counts
	Interrupted bool
	// Unreachable is set when not one request of the run was answered.
	Unreachable bool
	// ServiceDied is set when the service under test ended by itself.
	ServiceDied bool
}

func (*RunStarted) event()       {}
func (*ScenarioStarted) event()  {}
func (*StepFinished) event()     {}
func (*ScenarioFinished) event() {}
func (*Notice) event()           {}
func (*RunFinished) event()      {}
