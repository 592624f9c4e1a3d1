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
		out = append(out, walkedView{safe(w.Resource), walkedTally(w), w.Columns, w.Rows})
	}
	return out, roamedWords(e)
}

func walkedTally(w event.Walked) string {
	text := fmt.Sprintf("pairs of writes on one item: %d of %d", w.Pairs, w.Of)
	if w.Rounds > 0 {
		text += fmt.Sprintf("; %d rounds of several clients", w.Rounds)
	}
	return text
}

func roamedWords(e *event.Roamed) string {
	text := fmt.Sprintf("roamed: %d moves in %d walks, %d requests (%d of them replays), %s", e.Moves, e.Walks, e.Requests, e.Replays, exchange.Took(e.Duration()))
	for _, u := range e.Unwalked {
		text += "; " + safe(u.Resource+" was not walked: "+u.Why)
	}
	return text
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
