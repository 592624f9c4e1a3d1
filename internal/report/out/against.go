package out

import (
	"fmt"
	"io"
	"strings"

	"usualpath/internal/core/event"
)

// againstView is what was touched of a document, for the page.
type againstView struct {
	Document, Words, Departed string
	Departures                []departureView
	Rows                      []touchedView
	Unjudged                  string
}

type departureView struct{ Class, Mark, Text, Where string }

type touchedView struct {
	Class, Mark, Operation, Never string
	// Departs counts what departs there.
	Departs  int
	Statuses []string
}

func viewAgainst(a *event.Against) *againstView {
	if a == nil {
		return nil
	}
	v := &againstView{Document: safe(a.Document), Words: a.Words(), Departed: a.Departed(), Unjudged: safe(strings.Join(a.Unjudged, ", "))}
	departs := map[string]int{}
	for _, d := range a.Departures {
		verdict := event.Failed
		if d.Warns {
			verdict = event.Warned
		} else {
			departs[d.Operation]++
		}
		v.Departures = append(v.Departures, departureView{class(verdict), marks[verdict], safe(d.Text), safe(fmt.Sprintf("%d×, first in %s", d.Times, d.Where()))})
	}
	for _, o := range a.Operations {
		verdict := event.Held
		switch {
		case departs[o.Operation] > 0:
			verdict = event.Failed
		case o.Requests == 0:
			verdict = event.Skipped
		}
		v.Rows = append(v.Rows, touchedView{class(verdict), marks[verdict], safe(o.Operation), safe(strings.Join(o.Never, ", ")), departs[o.Operation], o.Said()})
	}
	return v
}

// toldAgainst writes it as Markdown.
func toldAgainst(w io.Writer, a *event.Against) {
	if a == nil {
		return
	}
	fmt.Fprintf(w, "### Against %s\n\n%s\n\n", inline(a.Document), inline(a.Words()))
	for _, d := range a.Departures {
		mark := marks[event.Failed]
		if d.Warns {
			mark = marks[event.Warned]
		}
		fmt.Fprintf(w, "- %s %s (%d×, first in %s)\n", mark, inline(d.Text), d.Times, inline(d.Where()))
	}
	if len(a.Departures) > 0 {
		fmt.Fprintln(w)
	}
	fmt.Fprint(w, "<details>\n<summary>operations</summary>\n\n| operation | answered | never |\n|---|---|---|\n")
	for _, o := range a.Operations {
		said := strings.Join(o.Said(), " ")
		if o.Requests == 0 {
			said = "no request"
		}
		fmt.Fprintf(w, "| %s | %s | %s |\n", inline(o.Operation), said, inline(strings.Join(o.Never, ", ")))
	}
	fmt.Fprint(w, "\n</details>\n\n")
}

// departs says how a run fails by the document, "" where it does not.
func departs(a *event.Against) string {
	switch {
	case a == nil:
	case len(a.Failed()) > 0:
		return event.Count(len(a.Failed()), "departure") + " from " + a.Document
	case a.Short():
		return "too little of " + a.Document + " was touched"
	}
	return ""
}
