package roam

import (
	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// event is what reports are told of it.
func (f *Finding) event() *event.Found {
	return &event.Found{Resource: f.Resource, Kind: string(f.Kind), Text: f.Text, Shows: f.Shows, Tries: f.Tries, Times: f.Times, Once: f.Once, Moments: f.Rows}
}

// firstFound numbers what is found, beside the scenarios of a run.
const firstFound = 3_000_000

// found tells of a finding by playing it once more, for all to see.
func (t *teller) found(f *Finding, way *trial) {
	sc := way.scene()
	f.Title = t.title(f.Title)
	f.Text, f.Steps = canonical(sc.Text(f.Title, f.About)), sc.Size()
	t.all = append(t.all, f)
	t.o.progress.Found = len(t.all)
	s, err := t.d.Scenario(way.g.r.File, t.o.File, f.Text)
	if err != nil {
		panic("roam cannot read its own scenario: " + err.Error() + "\n" + f.Text)
	}
	for try := range 3 {
		var events []event.Event
		verdict := t.d.Play(s, firstFound+len(t.all), t.again(), func(e event.Event) { events = append(events, e) })
		if verdict != event.Failed && try < 2 {
			continue
		}
		if verdict != event.Failed {
			f.Once = true
		}
		for _, e := range events {
			switch e := e.(type) {
			case *event.ScenarioStarted:
				e.Found = f.event()
			case *event.ScenarioFinished:
				if f.Once {
					e.Verdict, e.Why = event.Blocked, "it did not show again"
				}
			}
			t.d.Emit(e)
		}
		break
	}
	if !f.Once {
		t.d.Fails()
	}
}

// canonical is a text of the language as it is laid out.
func canonical(text string) string {
	f, diags := syntax.Parse(source.NewFile("roam", text))
	if diags.Errors() > 0 {
		return text
	}
	return syntax.Print(f)
}

// once tells of what did not show again, with the exchange that showed it.
func (t *teller) once(f *Finding, w *walk, d *doubt) {
	f.Title = t.title(f.Title)
	t.all = append(t.all, f)
	id := firstFound + len(t.all)
	st := event.StepFinished{}
	if t.step != nil {
		st = *t.step
	}
	st.Scenario, st.Index, st.Verdict = id, 1, event.Blocked
	st.File, st.Line = w.of.r.File.Source.Name, w.of.r.File.Line(w.of.r.Statement)
	st.Findings = []event.Finding{{Verdict: event.Blocked, Line: st.Line, Expected: "this does not happen, and it did not happen again in " + event.Count(f.Tries, "replay"),
		Observed: []string{d.observed}, Sent: len(st.Sent) - 1}}
	t.d.Emit(&event.ScenarioStarted{ID: id, File: st.File, Line: st.Line, Title: f.Title, Pattern: f.Title, About: f.About, Found: f.event()})
	t.d.Emit(&st)
	t.d.Emit(&event.ScenarioFinished{Scenario: id, Verdict: event.Blocked, Steps: 1, Requests: len(st.Sent), Why: "seen once"})
}
