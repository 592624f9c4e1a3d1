package engine

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/leak"
	"usualpath/internal/core/value"
)

// leaksNothing is the check that asks for errors on purpose, and looks what they show. What the
// refusals of other checks show is looked at as it comes.
const leaksNothing = "representation/errors-leak-nothing"

// leaked is an answer that shows the inside of the service, as it was got first; of is the key of a
// resource, check the scenario that got it.
type leaked struct {
	of, resource, file, step, check string
	line                            int
	sent                            event.Sent
	what                            string
	times                           int
}

// mostLeaks bounds how many are told of a resource.
const mostLeaks = 5

// showsInside notes what an error answer to a derived check shows that a service keeps to itself, unless
// that is what was sent.
func (t *step) showsInside(sent event.Sent) {
	c, x := t.in.job.s.Check, sent.Exchange
	if c == nil || c.ID == leaksNothing || x.Answer == nil || x.Answer.Status < 400 || len(x.Answer.Body) == 0 {
		return
	}
	of := keyOf(t.in.job.s.File, c.Resource)
	t.env.mu.Lock()
	looks := t.env.looksForLeaks[of]
	t.env.mu.Unlock()
	if !looks {
		return
	}
	target, err := url.QueryUnescape(x.Request.URL)
	if err != nil {
		target = x.Request.URL
	}
	asked := target + string(x.Request.Body)
	for _, f := range leak.Find(string(x.Answer.Body)) {
		if strings.Contains(asked, f.Excerpt) {
			continue
		}
		key := of + "\x00" + f.What
		t.env.mu.Lock()
		if have := t.env.leaks[key]; have != nil {
			have.times++
		} else {
			t.env.leaks[key] = &leaked{of: of, resource: c.Resource, file: t.e.File, line: t.e.Line, step: t.e.Title, check: t.in.title, sent: sent, what: f.What + ": " + value.Quoted(value.Cut(f.Excerpt, 120)), times: 1}
		}
		t.env.mu.Unlock()
	}
}

// tellLeaks tells of each resource what its answers showed, where its own check has not told of it.
func (r *environment) tellLeaks() {
	r.mu.Lock()
	defer r.mu.Unlock()
	var names []string
	by := map[string][]*leaked{}
	for _, one := range r.leaks {
		if by[one.of] == nil {
			names = append(names, one.of)
		}
		by[one.of] = append(by[one.of], one)
	}
	slices.Sort(names)
	for i, name := range names {
		list := by[name]
		slices.SortFunc(list, func(a, b *leaked) int { return strings.Compare(a.what, b.what) })
		id := firstLeak + i
		st := &event.StepFinished{Scenario: id, Index: 1, Title: list[0].step, File: list[0].file, Line: list[0].line, Verdict: event.Failed}
		for _, one := range list[:min(len(list), mostLeaks)] {
			f := event.Finding{Verdict: event.Failed, Line: one.line, Expected: "body leaks nothing", Observed: []string{"the body holds " + one.what, fmt.Sprintf("in step %q of %q", one.step, one.check)},
				Because: "the details of an error are for whoever runs the service (RFC 9457 §5)", Sent: len(st.Sent)}
			if one.times > 1 {
				f.Observed = append(f.Observed, "and in "+event.Count(one.times-1, "more answer"))
			}
			st.Sent, st.Findings = append(st.Sent, one.sent), append(st.Findings, f)
		}
		r.failed = true
		r.found = append(r.found, &event.ScenarioStarted{ID: id, File: st.File, Line: st.Line, Title: list[0].resource + ": error answers reveal internals of the service", Pattern: list[0].check}, st, &event.ScenarioFinished{Scenario: id, Verdict: event.Failed, Steps: 1, Requests: len(st.Sent)})
	}
}

// firstLeak numbers them, beside what is found otherwise.
const firstLeak = 1_500_000

// leakChecks are the keys of the resources whose checks of a run look for leaks: one that skips that
// check has its reasons.
func leakChecks(list []planned) map[string]bool {
	out := map[string]bool{}
	for _, p := range list {
		if c := p.s.Check; c != nil && c.ID == leaksNothing {
			out[keyOf(p.s.File, c.Resource)] = true
		}
	}
	return out
}
