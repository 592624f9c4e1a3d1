package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/history"
)

// rows draw calls in order of time.
func rows(calls []history.Call, final *history.Final) []event.Moment {
	var out []event.Moment
	clients := 0
	for _, c := range calls {
		clients = max(clients, c.Client)
		what := map[history.Kind]string{history.Create: "create", history.Replace: "replace", history.Merge: "amend", history.Delete: "delete", history.Read: "read"}[c.Kind]
		if len(c.Members) > 0 && c.Kind != history.Read {
			what += " " + membersText(c.Members)
		}
		if c.IfMatch != "" {
			what += " if " + c.IfMatch
		}
		answer := "no answer"
		if c.Status > 0 {
			answer = fmt.Sprint(c.Status)
		}
		if c.Kind == history.Read && len(c.Members) > 0 {
			answer += " " + membersText(c.Members)
		}
		out = append(out, event.Moment{At: c.Begin.Microseconds(), Client: c.Client, Text: what}, event.Moment{At: c.End.Microseconds(), Client: c.Client, Text: answer, Answer: true})
	}
	slices.SortStableFunc(out, func(a, b event.Moment) int {
		switch {
		case a.At != b.At:
			return int(a.At - b.At)
		case a.Answer && !b.Answer:
			return -1
		}
		return 0
	})
	open := make([]bool, clients)
	for i := range out {
		// A bar stands beside the rows while an answer is awaited, its own included.
		open[out[i].Client-1] = true
		out[i].Open = slices.Clone(open)
		if out[i].Answer {
			open[out[i].Client-1] = false
		}
	}
	if final != nil && len(out) > 0 {
		text := "in the end: not there"
		if final.There {
			text = "in the end: " + membersText(final.Members)
		}
		out = append(out, event.Moment{At: out[len(out)-1].At, Text: text, Open: make([]bool, clients)})
	}
	return out
}

func membersText(m history.Members) string {
	var names []string
	for n := range m {
		names = append(names, n)
	}
	slices.Sort(names)
	var parts []string
	for _, n := range names {
		parts = append(parts, n+" "+shown(m[n]))
	}
	return strings.Join(parts, ", ")
}
