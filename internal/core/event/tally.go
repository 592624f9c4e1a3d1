package event

// Verdicts counts things by what became of them.
type Verdicts struct {
	All     int `json:"all"`
	Held    int `json:"held"`
	Failed  int `json:"failed"`
	Blocked int `json:"blocked"`
	Warned  int `json:"warned"`
	// Skipped did not apply; NotReached were cut off by an interrupt.
	Skipped    int `json:"skipped"`
	NotReached int `json:"not_reached"`
}

func (v *Verdicts) add(is Verdict) {
	v.All++
	switch is {
	case Failed:
		v.Failed++
	case Blocked:
		v.Blocked++
	case Warned:
		v.Warned++
	case Skipped:
		v.Skipped++
	case NotReached:
		v.NotReached++
	default:
		v.Held++
	}
}

// Ran are those that were carried out: all but the skipped and the not reached.
func (v Verdicts) Ran() int { return v.All - v.Skipped - v.NotReached }

// Plus adds two counts up.
func (v Verdicts) Plus(w Verdicts) Verdicts {
	return Verdicts{v.All + w.All, v.Held + w.Held, v.Failed + w.Failed, v.Blocked + w.Blocked, v.Warned + w.Warned, v.Skipped + w.Skipped, v.NotReached + w.NotReached}
}

// Counts are the figures of a run.
type Counts struct {
	// Scenarios are those written by hand, cases singly; Checks those that prove
	// a promise of a resource.
	Scenarios Verdicts `json:"scenarios"`
	Checks    Verdicts `json:"checks"`
	Steps     Verdicts `json:"steps"`
	// Expectations are those held against an answer, Requests what steps sent,
	// Observations the requests that only looked.
	Expectations int `json:"expectations"`
	Requests     int `json:"requests"`
	Observations int `json:"observations"`
	// Resources are how many resources the checks are about.
	Resources int `json:"resources"`
}

// Both are scenarios and checks together.
func (c Counts) Both() Verdicts { return c.Scenarios.Plus(c.Checks) }

// Tally counts a run from its events alone: the only place that does. The zero
// value is ready; events come one at a time.
type Tally struct {
	counts Counts
	// checks are the scenarios under way that prove something, by number.
	checks    map[int]*Check
	resources map[resourceKey]bool
}

type resourceKey struct{ file, name string }

// Add takes the next event in.
func (t *Tally) Add(e Event) {
	c := &t.counts
	switch e := e.(type) {
	case *ScenarioStarted:
		if e.Check == nil {
			return
		}
		if t.checks == nil {
			t.checks, t.resources = map[int]*Check{}, map[resourceKey]bool{}
		}
		t.checks[e.ID] = e.Check
		t.resources[resourceKey{e.File, e.Check.Resource}] = true
		c.Resources = len(t.resources)
	case *StepFinished:
		c.Steps.add(e.Verdict)
		c.Expectations += e.Judged
		c.Requests += e.Requests
		c.Observations += max(0, len(e.Sent)-e.Requests)
	case *ScenarioFinished:
		if t.checks[e.Scenario] != nil {
			delete(t.checks, e.Scenario)
			c.Checks.add(e.Verdict)
			return
		}
		c.Scenarios.add(e.Verdict)
	}
}

// Counts are the figures so far.
func (t *Tally) Counts() Counts { return t.counts }
