package record

import (
	"bytes"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// sent is an exchange with an answer.
func sent(status int, body string, total time.Duration, fields ...string) event.Sent {
	h := http.Header{"Content-Type": {"application/json"}}
	for i := 0; i < len(fields); i += 2 {
		h.Set(fields[i], fields[i+1])
	}
	return event.Sent{Role: event.Main, N: 1, Exchange: &exchange.Exchange{Request: &exchange.Request{Method: "GET", URL: "http://127.0.0.1/boats", Header: []exchange.Field{{Name: "Accept", Value: "*/*"}}},
		Answer: &exchange.Answer{Proto: "HTTP/1.1", Status: status, Reason: http.StatusText(status), Header: h, Body: []byte(body), Length: len(body)}, Start: time.Unix(1_800_000_000, 0).UTC(), Timing: exchange.Timing{Wait: total, Total: total}}}
}

// one is a run of scenarios, by title, with a verdict and the exchanges of its
// one step.
type one struct {
	title   string
	verdict event.Verdict
	sent    []event.Sent
}

func events(list ...one) []event.Event {
	out := []event.Event{&event.RunStarted{Tool: "usualpath/test", Seed: 7, Environment: "local", Base: "http://127.0.0.1", Time: time.Unix(1_800_000_000, 0).UTC(), Scenarios: len(list), Sources: "d1"}}
	for i, s := range list {
		id := i + 1
		out = append(out, &event.ScenarioStarted{ID: id, File: "a.upath", Line: 3, Title: s.title, Pattern: s.title, Tags: []string{"smoke"}},
			&event.StepFinished{Scenario: id, Index: 1, Title: "look", File: "a.upath", Line: 4, Verdict: s.verdict, Took: time.Millisecond, Sent: s.sent, Requests: len(s.sent),
				Findings: []event.Finding{{Verdict: s.verdict, Line: 5, Expected: "status 200", Observed: []string{"it"}, Because: "why", Sent: len(s.sent) - 1}}},
			&event.ScenarioFinished{Scenario: id, Verdict: s.verdict, Took: time.Millisecond, Steps: 1, Requests: len(s.sent)})
	}
	var tally event.Tally
	for _, e := range out {
		tally.Add(e)
	}
	return append(out, &event.Notice{Text: "a word", Severe: true}, &event.RunFinished{Took: time.Second, Counts: tally.Counts()})
}

func written(t *testing.T, list []event.Event) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "run.jsonl")
	w, err := Create(name)
	require.NoError(t, err)
	for _, e := range list {
		w.Event(e)
	}
	require.NoError(t, w.Close())
	return name
}

func read(t *testing.T, name string) []event.Event {
	t.Helper()
	var out []event.Event
	require.NoError(t, Read([]string{name}, func(e event.Event) { out = append(out, e) }))
	return out
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	hostile := sent(200, "\xff\x00\x1b[31m\u202e", 3*time.Millisecond, "X-Odd", "\x7f\xfe")
	failed := event.Sent{Role: event.Retry, N: 2, Exchange: &exchange.Exchange{Request: &exchange.Request{Method: "POST", URL: "http://127.0.0.1/x", Body: []byte("\x80")}, Failure: &exchange.Failure{Kind: exchange.Reset, Detail: "gone"}}}
	list := events(one{"first", event.Held, []event.Sent{hostile, failed}}, one{"second \"of\" two", event.Failed, nil})
	list[1].(*event.ScenarioStarted).Check = &event.Check{ID: "lifecycle/deleted-is-gone", Level: "must", Resource: "boats", Operation: "delete"}
	counts := &list[len(list)-1].(*event.RunFinished).Counts
	counts.Scenarios, counts.Checks, counts.Resources = event.Verdicts{All: 1, Failed: 1}, event.Verdicts{All: 1, Held: 1}, 1
	got := read(t, written(t, list))
	require.Len(t, got, len(list))
	for i, e := range list {
		assert.Equal(t, Recorded(e), got[i], "%T", e)
		assert.Equal(t, Recorded(e), Recorded(Recorded(e)), "%T: nothing is lost twice", e)
	}
	step := got[2].(*event.StepFinished)
	assert.Equal(t, "\xff\x00\x1b[31m\u202e", string(step.Sent[0].Exchange.Answer.Body), "bytes survive")
	assert.Equal(t, exchange.Reset, step.Sent[1].Exchange.Failure.Kind)
}

// A kill may cut a record anywhere: what is whole is read, the rest is told.
func TestACutRecordIsReadAsFarAsItGoes(t *testing.T) {
	data, err := os.ReadFile(written(t, events(one{"first", event.Held, []event.Sent{sent(200, "[]", time.Millisecond)}}, one{"second", event.Failed, nil})))
	require.NoError(t, err)
	name := filepath.Join(t.TempDir(), "cut.jsonl")
	firstLine := bytes.IndexByte(data, '\n')
	for n := 0; n < len(data); n += 3 {
		require.NoError(t, os.WriteFile(name, data[:n], 0o644))
		var got []event.Event
		err := Read([]string{name}, func(e event.Event) { got = append(got, e) })
		if n < firstLine {
			assert.ErrorContains(t, err, "is not a run record", "%d", n)
			continue
		}
		require.True(t, err == nil || Damaged(err), "%d: %v", n, err)
		require.Equal(t, n < len(data)-1, Damaged(err), "%d", n)
		end, ok := got[len(got)-1].(*event.RunFinished)
		require.True(t, ok, "%d", n)
		if n < len(data)-1 {
			assert.True(t, end.Interrupted, "%d", n)
		}
		whole := bytes.Count(data[:n], []byte("\n"))
		assert.GreaterOrEqual(t, len(got), whole, "%d: nothing whole is dropped", n)
	}
	for text, want := range map[string]string{"": "it is empty", "{}\n": "is not a run record", "[1]\n": "is not a run record", string(data[:firstLine+1]) + "{\"x\n{}\n": "line 2"} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		assert.ErrorContains(t, Read([]string{name}, func(event.Event) {}), want)
	}
}

func TestCompare(t *testing.T) {
	times := func(n int, d time.Duration) []event.Sent {
		var out []event.Sent
		for i := range n {
			out = append(out, sent(200, `{"id": 1}`, d+time.Duration(i)*50*time.Microsecond))
		}
		return out
	}
	is := func(v event.Verdict, list ...event.Sent) []one { return []one{{"s", v, list}} }
	for name, c := range map[string]struct {
		old, now []one
		want     string
	}{
		"nothing":                 {is(event.Held, sent(200, `{"id": 1}`, 1)), is(event.Held, sent(200, `{"id": 2}`, 1)), ""},
		"newly failing":           {is(event.Held), is(event.Failed), "failing"},
		"blocked is failing":      {is(event.Warned), is(event.Blocked), "failing"},
		"mended":                  {is(event.Failed), is(event.Held), "mended"},
		"still failing":           {is(event.Failed), is(event.Failed), ""},
		"new":                     {is(event.Held), []one{{"s", event.Held, nil}, {"t", event.Held, nil}}, "added"},
		"new and failing":         {is(event.Held), []one{{"s", event.Held, nil}, {"t", event.Failed, nil}}, "added failing"},
		"gone":                    {[]one{{"s", event.Held, nil}, {"t", event.Held, nil}}, is(event.Held), "gone"},
		"another status":          {is(event.Held, sent(200, `{}`, 1)), is(event.Held, sent(204, ``, 1)), "answered: status was 200 OK, is 204 No Content"},
		"a member less":           {is(event.Held, sent(200, `{"a": 1, "b": 2}`, 1)), is(event.Held, sent(200, `{"a": 1}`, 1)), "answered: $.b is gone, was number"},
		"another type":            {is(event.Held, sent(200, `{"a": 1}`, 1)), is(event.Held, sent(200, `{"a": "1"}`, 1)), "answered: $.a: number became text"},
		"a header less":           {is(event.Held, sent(200, `{}`, 1, "ETag", `"x"`)), is(event.Held, sent(200, `{}`, 1)), "answered: without header Etag"},
		"another header":          {is(event.Held, sent(200, `{}`, 1, "ETag", `"x"`)), is(event.Held, sent(200, `{}`, 1, "ETag", `"y"`)), ""},
		"a longer list":           {is(event.Held, sent(200, `[{"a": 1}]`, 1)), is(event.Held, sent(200, `[{"a": 2}, {"a": 3}]`, 1)), ""},
		"slower":                  {is(event.Held, times(20, 2*time.Millisecond)...), is(event.Held, times(20, 9*time.Millisecond)...), "slower"},
		"faster":                  {is(event.Held, times(20, 9*time.Millisecond)...), is(event.Held, times(20, 2*time.Millisecond)...), "faster"},
		"slower by a hair":        {is(event.Held, times(20, 20*time.Microsecond)...), is(event.Held, times(20, 90*time.Microsecond)...), ""},
		"slower, but told by one": {is(event.Held, times(1, 2*time.Millisecond)...), is(event.Held, times(1, 90*time.Millisecond)...), ""},
	} {
		old, err := Load(written(t, events(c.old...)))
		require.NoError(t, err)
		now, err := Load(written(t, events(c.now...)))
		require.NoError(t, err)
		got := Compare(old, now)
		var said []string
		for word, n := range map[string]int{"failing": len(got.Failing), "mended": len(got.Mended), "added": len(got.Added), "gone": len(got.Gone)} {
			if n > 0 {
				said = append(said, word)
			}
		}
		for _, a := range got.Answered {
			said = append(said, "answered: "+strings.Join(a.What, "; "))
		}
		for _, p := range got.Paces {
			said = append(said, map[bool]string{true: "slower", false: "faster"}[p.Slower])
		}
		assert.Equal(t, c.want == "", got.Equal(), "%s: %v", name, said)
		for _, w := range strings.SplitN(c.want, " ", 1) {
			if !strings.HasPrefix(w, "answered") {
				assert.ElementsMatch(t, strings.Fields(w), said, name)
			} else {
				assert.Contains(t, strings.Join(said, "\n"), w, name)
			}
		}
	}
}

// What is broken in a record is told; what is whole is counted, and passed on.
func TestDamage(t *testing.T) {
	whole, err := os.ReadFile(written(t, events(one{"first", event.Held, []event.Sent{sent(200, "[]", time.Millisecond)}}, one{"second", event.Failed, nil})))
	require.NoError(t, err)
	lines := strings.SplitAfter(string(whole), "\n")
	for name, c := range map[string]struct {
		text   string
		all    int
		failed int
		says   string
	}{
		"joined":              {string(whole) + string(whole), 4, 2, "line 10: another run begins here"},
		"joined to a cut one": {strings.Join(lines[:4], "") + string(whole), 3, 1, "the run was ended before it was done"},
		"exchanges that are none": {strings.Replace(string(whole), `"exchanges":[{`, `"exchanges":[null,{},{`, 1), 2, 1,
			"line 3: 2 of its exchanges cannot be read and were dropped"},
		"a foreign line":  {lines[0] + "{\"level\":\"info\"}\n" + strings.Join(lines[1:], ""), 2, 1, "line 2 cannot be read and was dropped: there is no event in it"},
		"null for a line": {lines[0] + "null\n" + strings.Join(lines[1:], ""), 2, 1, "line 2 cannot be read"},
	} {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "r.jsonl")
			require.NoError(t, os.WriteFile(file, []byte(c.text), 0o644))
			var last event.Event
			ids := map[int]int{}
			notices := ""
			err := Read([]string{file}, func(e event.Event) {
				last = e
				switch e := e.(type) {
				case *event.ScenarioStarted:
					ids[e.ID]++
				case *event.Notice:
					notices += e.Text + "\n"
				}
			})
			require.True(t, Damaged(err), "%v", err)
			assert.ErrorContains(t, err, c.says)
			assert.Contains(t, notices, c.says)
			counts := last.(*event.RunFinished).Counts
			assert.Equal(t, c.all, counts.Scenarios.All)
			assert.Equal(t, c.failed, counts.Scenarios.Failed)
			assert.Len(t, ids, c.all, "each scenario has a number of its own")
		})
	}
}

func TestMerge(t *testing.T) {
	part := func(shard, title string) string {
		list := events(one{title, event.Held, nil})
		list[0].(*event.RunStarted).Shard = shard
		return written(t, list)
	}
	a, b := part("1/3", "one"), part("3/3", "three")
	var ids []int
	var titles, notices []string
	var end *event.RunFinished
	err := Read([]string{a, b}, func(e event.Event) {
		switch e := e.(type) {
		case *event.ScenarioStarted:
			ids = append(ids, e.ID)
			titles = append(titles, e.Title)
		case *event.Notice:
			notices = append(notices, e.Text)
		case *event.RunFinished:
			end = e
		}
	})
	assert.True(t, Partial(err), "%v", err)
	assert.Equal(t, []int{1, 2}, ids)
	assert.Equal(t, []string{"one", "three"}, titles)
	assert.Equal(t, 2, end.Counts.Scenarios.All)
	assert.Contains(t, fmt.Sprint(notices), "shard 2 of 3 is missing")
}

func TestHistory(t *testing.T) {
	h := HistoryOf(t.TempDir())
	for i, v := range []event.Verdict{event.Held, event.Failed, event.Held, event.Failed, event.Failed} {
		name, err := h.Next(time.Unix(1_800_000_000+int64(i), 0))
		require.NoError(t, err)
		w, err := Create(name)
		require.NoError(t, err)
		for _, e := range events(one{"s", v, nil}) {
			w.Event(e)
		}
		require.NoError(t, w.Close())
	}
	require.Len(t, h.Records(), 5)
	p := h.Past()
	assert.Contains(t, p.Since("a.upath", "s"), "in the 2 runs before this too")
	assert.Empty(t, p.Since("a.upath", "other"))
	now, err := Load(h.Records()[4])
	require.NoError(t, err)
	assert.Len(t, p.Flickering(now), 1)
	weights, err := Weights(h.Records()[0])
	require.NoError(t, err)
	assert.Equal(t, map[string]time.Duration{"a.upath\x00s": time.Millisecond}, weights)
}

// Whatever a record holds, it is read or refused.
func FuzzRead(f *testing.F) {
	f.Add(`{"event":"run started","record":2,"tool":"t","seed":1,"time":"2026-01-01T00:00:00Z","scenarios":1}` + "\n" + `{"event":"step finished","exchanges":[null,{}],"findings":[{}]}` + "\n")
	f.Add("{}\n")
	dir := f.TempDir()
	f.Fuzz(func(t *testing.T, text string) {
		name := filepath.Join(dir, "r.jsonl")
		require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
		_ = Read([]string{name}, func(e event.Event) { _, _ = JSON(e) })
	})
}
