package engine

import (
	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
)

// harmed tells of harm as a scenario of its own; checks of the resources concerned are not run.
func (r *environment) harmed(h *custody.Harm) {
	id := firstHarm + h.Number
	f := event.Finding{Verdict: event.Failed, Line: h.Line, Expected: "what was there before stays as it is", Observed: h.Observed,
		Because: "a request changes what it names, and nothing else (RFC 9110 §9.3)", Sent: h.At}
	for _, by := range h.By {
		if j := by.Of.(job); j.s.Check != nil {
			r.shutOff(j.s.File, r.checkOf(j.s), h.Why())
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.failed = true
	r.found = append(r.found, &event.ScenarioStarted{ID: id, File: h.File, Line: h.Line, Title: h.List + ": what was there before is left alone", Pattern: h.Of},
		&event.StepFinished{Scenario: id, Index: 1, Title: h.Step, File: h.File, Line: h.Line, Verdict: event.Failed, Findings: []event.Finding{f}, Sent: h.Sent},
		&event.ScenarioFinished{Scenario: id, Verdict: event.Failed, Steps: 1, Requests: len(h.Sent)})
}

// tellFound passes on what was found beside the scenarios of the plan.
func (r *environment) tellFound(emit func(event.Event)) {
	r.mu.Lock()
	found := r.found
	r.found = nil
	r.mu.Unlock()
	for _, e := range found {
		emit(e)
	}
}

// firstHarm numbers what is found beside the scenarios of the plan.
const firstHarm = 1_000_000
