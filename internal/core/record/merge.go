package record

import (
	"fmt"
	"strings"

	"usualpath/internal/core/event"
)

// Merge reads several records as one run: those of the shards of a suite, or
// of several suites. A shard that is missing is told as a notice.
func Merge(names []string, take func(event.Event)) error {
	if len(names) == 1 {
		return Read(names[0], take)
	}
	m := &merger{take: take, shards: map[string]map[string]bool{}}
	for _, n := range names {
		m.base = m.top
		if err := Read(n, m.event); err != nil {
			return err
		}
	}
	m.missing()
	if m.finished == nil {
		m.finished = &event.RunFinished{}
	}
	m.finished.Counts.Resources = len(m.resources)
	take(m.finished)
	return nil
}

type merger struct {
	take func(event.Event)
	// base is added to the numbers of scenarios, top is the highest so far.
	base, top int
	started   bool
	finished  *event.RunFinished
	// shards are those seen, by how many there should be.
	shards    map[string]map[string]bool
	resources map[string]bool
}

func (m *merger) event(e event.Event) {
	switch e := e.(type) {
	case *event.RunStarted:
		if i, n, ok := strings.Cut(e.Shard, "/"); ok {
			if m.shards[n] == nil {
				m.shards[n] = map[string]bool{}
			}
			m.shards[n][i] = true
		}
		if m.started {
			return
		}
		m.started = true
		one := *e
		one.Shard = ""
		m.take(&one)
		return
	case *event.ScenarioStarted:
		e.ID += m.base
		m.top = max(m.top, e.ID)
		if e.Check != nil {
			if m.resources == nil {
				m.resources = map[string]bool{}
			}
			m.resources[e.File+"\x00"+e.Check.Resource] = true
		}
	case *event.StepFinished:
		e.Scenario += m.base
	case *event.ScenarioFinished:
		e.Scenario += m.base
	case *event.RunFinished:
		if m.finished == nil {
			m.finished = &event.RunFinished{}
		}
		// Shards run side by side: the longest is what it took.
		m.finished.Took = max(m.finished.Took, e.Took)
		m.finished.Counts = sum(m.finished.Counts, e.Counts)
		m.finished.Interrupted = m.finished.Interrupted || e.Interrupted
		m.finished.Unreachable = m.finished.Unreachable || e.Unreachable
		m.finished.ServiceDied = m.finished.ServiceDied || e.ServiceDied
		return
	}
	m.take(e)
}

// missing tells of shards that should be there and are not.
func (m *merger) missing() {
	for n, seen := range m.shards {
		var all int
		if _, err := fmt.Sscan(n, &all); err != nil {
			continue
		}
		for i := 1; i <= all && i <= 10_000; i++ {
			if !seen[fmt.Sprint(i)] {
				m.take(&event.Notice{Severe: true, Text: fmt.Sprintf("the record of shard %d of %d is missing", i, all)})
			}
		}
	}
}

func sum(a, b event.Counts) event.Counts {
	a.Scenarios += b.Scenarios
	a.Failed += b.Failed
	a.Blocked += b.Blocked
	a.Warned += b.Warned
	a.Unfinished += b.Unfinished
	a.Steps += b.Steps
	a.StepsHeld += b.StepsHeld
	a.StepsFailed += b.StepsFailed
	a.StepsBlocked += b.StepsBlocked
	a.StepsWarned += b.StepsWarned
	a.StepsLeftOut += b.StepsLeftOut
	a.NotReached += b.NotReached
	a.Expectations += b.Expectations
	a.Requests += b.Requests
	a.Observations += b.Observations
	a.Checks += b.Checks
	a.ChecksFailed += b.ChecksFailed
	a.ChecksWarned += b.ChecksWarned
	a.ChecksBlocked += b.ChecksBlocked
	a.ChecksLeftOut += b.ChecksLeftOut
	return a
}
