package out

import (
	"bytes"
	"encoding/csv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
)

func TestTable(t *testing.T) {
	var b bytes.Buffer
	s, err := New("csv", &b)
	require.NoError(t, err)
	for _, e := range []event.Event{
		&event.RunStarted{},
		&event.ScenarioStarted{ID: 1, File: "a.upath", Line: 3, Title: "=1+1, \"quoted\"\nand long"},
		&event.ScenarioFinished{Scenario: 1, Verdict: event.Held, Steps: 2, Requests: 3, Took: 1500 * time.Microsecond},
		&event.ScenarioStarted{ID: 2, File: "a.upath", Line: 9, Title: "boats lifecycle/deleted-is-gone", Check: &event.Check{ID: "lifecycle/deleted-is-gone", Level: "must", Resource: "boats", Operation: "delete"}},
		&event.StepFinished{Scenario: 2, Title: "it is gone", Verdict: event.Failed, Findings: []event.Finding{{Verdict: event.Failed, Expected: "status 404", Observed: []string{"200 OK"}, Sent: -1}}},
		&event.ScenarioFinished{Scenario: 2, Verdict: event.Failed, Steps: 1},
		&event.RunFinished{},
	} {
		s.Event(e)
	}
	require.NoError(t, s.Close())
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 3)
	assert.Equal(t, []string{"a.upath", "3", "'=1+1, \"quoted\"\\nand long", "", "", "", "", "held", "2", "3", "1.500", ""}, rows[1])
	assert.Equal(t, []string{"boats", "delete", "lifecycle/deleted-is-gone", "must", "failed"}, rows[2][3:8])
	assert.Equal(t, "expected status 404, found 200 OK", rows[2][11])
}
