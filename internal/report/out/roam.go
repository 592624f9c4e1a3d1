package out

import (
	"fmt"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// walkedView is what was walked of a resource.
type walkedView struct {
	Resource, Tally string
	Columns         []string
	Rows            []event.WalkedRow
}

// walkedViews are what was walked, and how far it went, in words.
func walkedViews(e *event.Roamed) ([]walkedView, string) {
	if e == nil {
		return nil, ""
	}
	var out []walkedView
	for _, w := range e.Walked {
		out = append(out, walkedView{safe(w.Resource), w.Tally(), w.Columns, w.Rows})
	}
	return out, roamedWords(e)
}

// roamedWords says how far roaming went, and what else there is to say of it.
func roamedWords(e *event.Roamed) string {
	text := []string{e.Words() + ", " + exchange.Took(e.Duration())}
	for _, u := range e.Unwalked {
		text = append(text, u.Words())
	}
	return safe(strings.Join(append(text, e.Others()...), "; "))
}

// foundStory is what roaming knows of a finding, as plain text.
func foundStory(f *event.Found) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", f.Replays())
	if len(f.Moments) > 0 {
		b.WriteString(drawnMoments(f))
	}
	if f.Text != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimRight(f.Text, "\n"))
	}
	return b.String()
}

// drawnMoments draws what several clients did, a line a moment.
func drawnMoments(f *event.Found) string {
	var b strings.Builder
	for _, m := range f.Moments {
		fmt.Fprintf(&b, "%10s  %s %-9s %s\n", m.When(), m.Bars(), m.Who(), m.What())
	}
	return b.String()
}
