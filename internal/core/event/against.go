package event

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Against tells what a run has touched of a document, or of the operations of its
// resources, and where exchanges depart from the document.
type Against struct {
	// Document is the file's name, or what stands in its place.
	Document   string      `json:"document"`
	Departures []Departure `json:"departures,omitempty"`
	Operations []Touched   `json:"operations,omitempty"`
	// Least is the share of operations that must be touched, from 0 to 1.
	Least float64 `json:"least,omitempty"`
	// Unjudged are parts of the document that nothing is held against.
	Unjudged []string `json:"unjudged,omitempty"`
}

// Departure is something that the document does not allow, each once.
type Departure struct {
	Operation string `json:"operation"`
	Status    int    `json:"status,omitempty"`
	Text      string `json:"text"`
	// Warns marks what may be meant.
	Warns bool `json:"warns,omitempty"`
	Times int  `json:"times"`
	// File, Line, Scenario and Step are where it was met first.
	File     string `json:"file,omitempty"`
	Line     int    `json:"line,omitempty"`
	Scenario string `json:"scenario,omitempty"`
	Step     string `json:"step,omitempty"`
}

// Where is the place where it was met first.
func (d *Departure) Where() string { return fmt.Sprintf("%s:%d step %q", d.File, d.Line, d.Step) }

// Touched is an operation with what was touched of it.
type Touched struct {
	Operation string `json:"operation"`
	Requests  int    `json:"requests"`
	// Statuses are those seen. Never are the parts of its description that no exchange
	// touched: statuses, parameters, alternatives of bodies, values of enumerations.
	Statuses []Seen   `json:"statuses,omitempty"`
	Never    []string `json:"never,omitempty"`
	// Parts counts all that is described of it.
	Parts int `json:"parts,omitempty"`
	// Beside tells that the operation is not among those that are known.
	Beside bool `json:"beside,omitempty"`
}

// Seen is how often a status was.
type Seen struct {
	Status int `json:"status"`
	Times  int `json:"times"`
}

// Text is a status with how often it was seen.
func (s Seen) Text() string { return fmt.Sprintf("%d×%d", s.Status, s.Times) }

// Said are the statuses, as text.
func (t *Touched) Said() []string {
	var out []string
	for _, s := range t.Statuses {
		out = append(out, s.Text())
	}
	return out
}

// Count says how many operations were touched, of how many.
func (a *Against) Count() (touched, all int) {
	for _, o := range a.Operations {
		if o.Beside {
			continue
		}
		if all++; o.Requests > 0 {
			touched++
		}
	}
	return touched, all
}

// Share is the share of operations that were touched, from 0 to 1.
func (a *Against) Share() float64 {
	touched, all := a.Count()
	if all == 0 {
		return 1
	}
	return float64(touched) / float64(all)
}

// Short tells whether too little was touched.
func (a *Against) Short() bool { return a.Share() < a.Least }

// Failed are the departures that fail a run.
func (a *Against) Failed() []Departure {
	return slices.DeleteFunc(slices.Clone(a.Departures), func(d Departure) bool { return d.Warns })
}

// Words say how much was touched.
func (a *Against) Words() string {
	touched, all := a.Count()
	parts, never := 0, 0
	for _, o := range a.Operations {
		if !o.Beside {
			parts, never = parts+o.Parts, never+len(o.Never)
		}
	}
	out := fmt.Sprintf("%d of %s touched", touched, Count(all, "operation"))
	if parts > 0 {
		out += fmt.Sprintf(", %d of %s of their descriptions", parts-never, Count(parts, "part"))
	}
	if a.Short() {
		out += fmt.Sprintf("; at least %.4g%% are asked for", a.Least*100)
	}
	return out
}

// Departed says how much is not as the document says, "" for nothing.
func (a *Against) Departed() string {
	failed := len(a.Failed())
	warned := len(a.Departures) - failed
	var out []string
	if failed > 0 {
		out = append(out, Count(failed, "departure")+" from "+a.Document)
	}
	if warned > 0 {
		out = append(out, Count(warned, "request")+" that it forbids")
	}
	return strings.Join(out, ", ")
}

// Merge takes in what another part of the same run has touched.
func (a *Against) Merge(b *Against) {
	for _, d := range b.Departures {
		i := slices.IndexFunc(a.Departures, func(have Departure) bool { return have.Text == d.Text })
		if i < 0 {
			a.Departures = append(a.Departures, d)
		} else {
			a.Departures[i].Times += d.Times
		}
	}
	for _, o := range b.Operations {
		i := slices.IndexFunc(a.Operations, func(have Touched) bool { return have.Operation == o.Operation })
		if i < 0 {
			a.Operations = append(a.Operations, o)
			continue
		}
		t := &a.Operations[i]
		t.Requests += o.Requests
		t.Never = slices.DeleteFunc(slices.Clone(t.Never), func(n string) bool { return !slices.Contains(o.Never, n) })
		for _, s := range o.Statuses {
			j := slices.IndexFunc(t.Statuses, func(have Seen) bool { return have.Status == s.Status })
			if j < 0 {
				t.Statuses = append(t.Statuses, s)
			} else {
				t.Statuses[j].Times += s.Times
			}
		}
		slices.SortFunc(t.Statuses, func(x, y Seen) int { return cmp.Compare(x.Status, y.Status) })
	}
	a.Least = max(a.Least, b.Least)
}

func (*Against) event() {}
