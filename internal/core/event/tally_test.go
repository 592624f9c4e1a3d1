package event

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTallyCountsFromEventsAlone(t *testing.T) {
	check := &Check{ID: "lifecycle/deleted-is-gone", Resource: "boats"}
	events := []Event{
		&RunStarted{},
		&ScenarioStarted{ID: 1, File: "a"},
		&StepFinished{Scenario: 1, Verdict: Held, Requests: 1, Judged: 3, Sent: make([]Sent, 3)},
		&StepFinished{Scenario: 1, Verdict: Skipped},
		&ScenarioFinished{Scenario: 1, Verdict: Held},
		&ScenarioStarted{ID: 2, File: "a", Check: check},
		&ScenarioStarted{ID: 3, File: "a", Check: check},
		&ScenarioStarted{ID: 4, File: "b", Check: check},
		&StepFinished{Scenario: 2, Verdict: Failed, Requests: 2, Judged: 1, Sent: make([]Sent, 1)},
		&ScenarioFinished{Scenario: 2, Verdict: Failed},
		&ScenarioFinished{Scenario: 3, Verdict: Skipped},
		&Notice{Text: "a word"},
		&ScenarioFinished{Scenario: 4, Verdict: NotReached},
		&RunFinished{},
	}
	var tally Tally
	for _, e := range events {
		tally.Add(e)
	}
	c := tally.Counts()
	assert.Equal(t, Counts{
		Scenarios:    Verdicts{All: 1, Held: 1},
		Checks:       Verdicts{All: 3, Failed: 1, Skipped: 1, NotReached: 1},
		Steps:        Verdicts{All: 3, Held: 1, Failed: 1, Skipped: 1},
		Expectations: 4, Requests: 3, Observations: 2, Resources: 2,
	}, c)
	assert.Equal(t, 2, c.Steps.Ran())
	assert.Equal(t, 4, c.Both().All)
}

func TestWorse(t *testing.T) {
	order := []Verdict{Skipped, Held, Warned, NotReached, Blocked, Failed}
	for i, a := range order {
		for j, b := range order {
			assert.Equal(t, order[max(i, j)], Worse(a, b), "%s and %s", a, b)
		}
	}
}
