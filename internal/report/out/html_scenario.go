package out

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

type markView struct{ Class, Mark string }

type findingView struct{ Label, Expected, Observed, Because, Look string }

type exchangeView struct{ Request, Class, Answer, Note, Sent, Got string }

type stepView struct {
	Class, Mark, Title, Word, Place, Took, Why string
	Findings                                   []findingView
	Lacks                                      []string
	Exchanges                                  []exchangeView
}

type sceneView struct {
	Anchor, Verdict, Text, Groups, Class, Title, Level, Word, Took, About, Why, First, With string
	Trail                                                                                   []markView
	MoreMarks                                                                               bool
	Replays, Found, Moments                                                                 string
	Steps                                                                                   []stepView
}

func scenarioView(s *scenario, anchor string, groups []string) sceneView {
	v := s.finished.Verdict
	out := sceneView{Anchor: anchor, Verdict: string(v), Class: class(v), Title: safe(s.Title), Word: string(v), Took: exchange.Took(s.finished.Took), About: safe(s.About), Why: safe(s.finished.Why), First: s.first, With: strings.Join(s.with, ", "), Groups: strings.Join(groups, "\n")}
	if v == event.Skipped {
		out.Word = "not applicable"
	}
	if f := s.Found; f != nil {
		out.Replays, out.Found, out.Moments = f.Replays(), safeLines(f.Text), safeLines(drawnMoments(f))
	}
	if s.Check != nil {
		out.Title, out.Level = safe(s.Check.ID), safe(s.Check.Resource)+", "+safe(s.Check.Level)
	}
	text := []string{out.Title, safe(s.File), safe(s.Title), out.About}
	for _, st := range s.steps {
		if len(out.Trail) < mostMarks {
			out.Trail = append(out.Trail, markView{class(st.Verdict), marks[st.Verdict]})
		} else {
			out.MoreMarks = true
		}
		out.Steps = append(out.Steps, stepOf(st))
		for _, x := range st.Sent {
			if x.Role == event.Main {
				text = append(text, safe(x.Exchange.Request.Method+" "+path(x.Exchange.Request.URL)))
			}
		}
	}
	out.Text = strings.ToLower(strings.Join(text, " "))
	return out
}

func stepOf(st *event.StepFinished) stepView {
	out := stepView{Class: class(st.Verdict), Mark: marks[st.Verdict], Title: safe(st.Title), Place: fmt.Sprintf("%s:%d", safe(st.File), lineOf(st)), Took: exchange.Took(st.Took), Why: safe(st.Why)}
	if st.Verdict != event.Held {
		out.Word = string(st.Verdict)
	}
	for _, f := range st.Findings {
		out.Findings = append(out.Findings, findingView{expectedWord(f.Verdict), safe(f.Expected), safeLines(strings.Join(f.Observed, "\n")), safe(f.Because), safe(f.Look)})
	}
	for _, l := range st.Lacks {
		out.Lacks = append(out.Lacks, safe(l))
	}
	for _, x := range st.Sent {
		out.Exchanges = append(out.Exchanges, exchangeOf(x))
	}
	return out
}

func exchangeOf(s event.Sent) exchangeView {
	x := s.Exchange
	v := exchangeView{Request: safe(x.Request.Method + " " + path(x.Request.URL)), Class: "held"}
	switch s.Role {
	case event.Observation:
		v.Note = "observes " + safe(s.Name)
	case event.Repeat, event.Copy, event.Retry:
		v.Note = fmt.Sprintf("%s %d", s.Role, s.N)
	}
	v.Note = strings.TrimSpace(v.Note + "  " + exchange.Took(x.Timing.Total))
	var sent strings.Builder
	fmt.Fprintf(&sent, "%s %s\n", x.Request.Method, x.Request.URL)
	for _, f := range x.Request.Header {
		fmt.Fprintf(&sent, "%s: %s\n", f.Name, f.Value)
	}
	sent.WriteString(shown(x.Request.Body, x.Request.Length))
	v.Sent = safeLines(sent.String())
	if x.Answer == nil {
		v.Class, v.Answer, v.Got = "failed", safe(string(x.Failure.Kind)), safeLines(x.Failure.Error())
		return v
	}
	a := x.Answer
	switch {
	case a.Status >= 500:
		v.Class = "failed"
	case a.Status >= 300:
		v.Class = "faint"
	}
	v.Answer = a.StatusText()
	var got strings.Builder
	fmt.Fprintf(&got, "%s %s\n", a.Proto, exchange.StatusText(a.Status))
	for _, n := range a.Names() {
		for _, h := range a.Header[n] {
			fmt.Fprintf(&got, "%s: %s\n", n, h)
		}
	}
	got.WriteString(shown(a.Body, a.Length))
	v.Got = safeLines(got.String())
	return v
}

// shown is a body set out: JSON indented, text as it is.
func shown(body []byte, length int) string {
	if len(body) == 0 {
		return ""
	}
	text := ""
	switch v, err := value.Decode(string(body), value.Limits{}); {
	case err == nil && (v.Kind == value.Object || v.Kind == value.Array):
		text = v.Indented()
	case utf8.Valid(body):
		text = string(body)
	default:
		text = fmt.Sprintf("%d bytes that are not text", max(length, len(body)))
	}
	if note := cutNote(length, len(body)); note != "" {
		text += "\n(" + note + ")"
	}
	return "\n" + text
}

// path is a URL without scheme and host.
func path(raw string) string {
	if _, rest, ok := strings.Cut(raw, "://"); ok {
		if i := strings.IndexByte(rest, '/'); i >= 0 {
			return rest[i:]
		}
	}
	return raw
}
