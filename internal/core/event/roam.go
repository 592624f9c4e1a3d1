package event

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// Found is what roaming knows of a scenario that it has brought back.
type Found struct {
	Resource string `json:"resource"`
	Kind     string `json:"kind"`
	// Text is the scenario, as it can be run.
	Text string `json:"text,omitempty"`
	// Shows of Tries replays have shown it, Once tells that none did; Times is how
	// often it was met.
	Shows int  `json:"shows"`
	Tries int  `json:"tries"`
	Times int  `json:"times,omitempty"`
	Once  bool `json:"once,omitempty"`
	// Moments draw what several clients did, in order of time.
	Moments []Moment `json:"moments,omitempty"`
}

// Replays says how often it has shown again.
func (f *Found) Replays() string {
	if f.Once {
		return fmt.Sprintf("seen once: it did not show again in %d replays", f.Tries)
	}
	out := fmt.Sprintf("shows in %d of %d replays", f.Shows, f.Tries)
	if len(f.Moments) > 0 && f.Times > 1 {
		out += fmt.Sprintf(", and in %d rounds with several clients", f.Times)
	}
	return out
}

// Moment is when a request of a client began, or was answered.
type Moment struct {
	// At is in microseconds, since all began.
	At int64 `json:"at_us"`
	// Client counts from 1; 0 is who looks in the end.
	Client int    `json:"client,omitempty"`
	Text   string `json:"text"`
	Answer bool   `json:"answer,omitempty"`
	// Open tells of each client whether it waits for an answer then.
	Open []bool `json:"open,omitempty"`
}

// Bars are a column for each client, with a bar while it waits for an answer.
func (m *Moment) Bars() string {
	var b strings.Builder
	for i, open := range m.Open {
		mark := " "
		switch {
		case open && m.Client == i+1 && m.Answer:
			mark = "┘"
		case open && m.Client == i+1:
			mark = "┐"
		case open:
			mark = "│"
		}
		b.WriteString(mark + " ")
	}
	return b.String()
}

// Who is the client, or nobody.
func (m *Moment) Who() string {
	if m.Client == 0 {
		return ""
	}
	return fmt.Sprintf("client %d", m.Client)
}

// When is the time in milliseconds.
func (m *Moment) When() string { return fmt.Sprintf("%.1f ms", float64(m.At)/1000) }

// What is what was sent, or answered.
func (m *Moment) What() string {
	if m.Answer {
		return "→ " + m.Text
	}
	return m.Text
}

// Roamed tells how far roaming went.
type Roamed struct {
	// Steps are the requests that were chosen, Requests all that were sent, Replays
	// those of replays among them.
	Steps    int `json:"steps"`
	Requests int `json:"requests"`
	Replays  int `json:"replays"`
	Walks    int `json:"walks"`
	// Took is in microseconds.
	Took     int64      `json:"took_us"`
	Walked   []Walked   `json:"walked,omitempty"`
	Unwalked []Unwalked `json:"unwalked,omitempty"`
	// Also are findings of the cause of another one, by its title.
	Also map[string][]string `json:"also,omitempty"`
}

// Others says, in a sentence each and in the order of their titles, what findings
// were told with others whose steps show them too.
func (r *Roamed) Others() []string {
	var out []string
	for _, title := range slices.Sorted(maps.Keys(r.Also)) {
		out = append(out, fmt.Sprintf("the steps of %q also show: %s", title, strings.Join(r.Also[title], "; ")))
	}
	return out
}

// Words says that a resource was not walked.
func (u *Unwalked) Words() string { return u.Resource + " was not walked: " + u.Why }

// Tally says how many pairs of writes were walked, and how often several clients met.
func (w *Walked) Tally() string {
	out := fmt.Sprintf("pairs of writes on one item: %d of %d", w.Pairs, w.Of)
	switch {
	case w.Rounds == 1:
		out += "; 1 round with several clients"
	case w.Rounds > 1:
		out += fmt.Sprintf("; %d rounds with several clients", w.Rounds)
	}
	return out
}

// Words says how far roaming went.
func (r *Roamed) Words() string {
	return fmt.Sprintf("roamed: %s in %s, %s (%d of them in replays)", Count(r.Steps, "step"), Count(r.Walks, "walk"), Count(r.Requests, "request"), r.Replays)
}

// Duration is how long it took.
func (r *Roamed) Duration() time.Duration { return time.Duration(r.Took) * time.Microsecond }

// Walked is what was walked of a resource: how often each operation was sent, by
// how many items there were, and which of them it was about.
type Walked struct {
	Resource string      `json:"resource"`
	Columns  []string    `json:"columns"`
	Rows     []WalkedRow `json:"rows"`
	// Pairs of writes on one item were walked, of those that there are.
	Pairs int `json:"pairs"`
	Of    int `json:"of"`
	// Rounds is how often several clients met.
	Rounds int `json:"rounds,omitempty"`
}

// WalkedRow is one operation.
type WalkedRow struct {
	Operation string `json:"operation"`
	Cells     []int  `json:"cells"`
}

// Unwalked is a resource that could not be walked.
type Unwalked struct {
	Resource string `json:"resource"`
	Why      string `json:"why"`
}

func (*Roamed) event() {}
