package record

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/value"
)

// Outcome is a scenario of a record, as far as comparing needs it.
type Outcome struct {
	File, Title string
	Verdict     event.Verdict
	// answers are the main answers by step, as what does not change from run to
	// run: status, fields, shape of the body.
	answers map[string]signature
	steps   []string
}

// Key tells a scenario from others, whatever its names' values are.
func (o *Outcome) Key() string { return o.File + "\x00" + o.Title }

type signature struct {
	status  string
	headers []string
	shape   string
}

// Run is a record, as far as comparing needs it.
type Run struct {
	Name      string
	Time      time.Time
	Sources   string
	Outcomes  map[string]*Outcome
	Order     []string
	durations map[string][]float64
}

// Load reads a record for comparing; with a *Damage what is there is given.
func Load(name string) (*Run, error) {
	r := &Run{Name: name, Outcomes: map[string]*Outcome{}, durations: map[string][]float64{}}
	var now *Outcome
	seen := map[string]int{}
	err := Read([]string{name}, func(e event.Event) {
		switch e := e.(type) {
		case *event.RunStarted:
			r.Time, r.Sources = e.Time, e.Sources
		case *event.ScenarioStarted:
			title := e.Pattern
			if title == "" {
				title = e.Title
			}
			now = &Outcome{File: e.File, Title: title, answers: map[string]signature{}}
			// The rows of `for each case` have one pattern: told apart by number.
			seen[now.Key()]++
			if n := seen[now.Key()]; n > 1 {
				now.Title += fmt.Sprintf(" (row %d)", n)
			}
		case *event.StepFinished:
			if now != nil {
				now.step(e, r)
			}
		case *event.ScenarioFinished:
			if now != nil {
				now.Verdict = e.Verdict
				r.Outcomes[now.Key()] = now
				r.Order = append(r.Order, now.Key())
				now = nil
			}
		}
	})
	return r, err
}

func (o *Outcome) step(e *event.StepFinished, r *Run) {
	for _, x := range e.Sent {
		if x.Exchange.Answer != nil {
			key := o.File + "\x00" + o.Title + "\x00" + e.Title
			if x.Role == event.Observation {
				key = o.File + "\x00observation " + x.Name
			}
			r.durations[key] = append(r.durations[key], float64(x.Exchange.Timing.Total.Microseconds()))
		}
		// What cleans up is answered by what was there to be cleaned.
		if x.Role != event.Main || e.Afterwards || o.answers[e.Title].status != "" {
			continue
		}
		o.answers[e.Title] = sign(x)
		o.steps = append(o.steps, e.Title)
	}
}

// volatileFields are those whose presence says nothing of the service's code.
var volatileFields = map[string]bool{"Date": true, "Content-Length": true, "Connection": true, "Keep-Alive": true, "Transfer-Encoding": true, "Age": true}

func sign(x event.Sent) signature {
	a := x.Exchange.Answer
	if a == nil {
		return signature{status: string(x.Exchange.Failure.Kind)}
	}
	s := signature{status: a.StatusText()}
	for _, n := range a.Names() {
		if !volatileFields[n] {
			s.headers = append(s.headers, n)
		}
	}
	if v, err := value.Decode(string(a.Body), value.Limits{Lenient: true}); err == nil {
		s.shape = shapeOf(v)
	} else if len(a.Body) > 0 {
		s.shape = "text"
	}
	if ct, _, _ := strings.Cut(a.Header.Get("Content-Type"), ";"); ct != "" {
		s.shape = ct + " " + s.shape
	}
	return s
}

// shapeOf is what a value is made of, without the values: members and types.
// Of an array it is that of its elements taken together, so that it does not
// depend on how many there are, or on which of them has an optional member.
func shapeOf(v *value.Value) string {
	switch v.Kind {
	case value.Object:
		return membersOf([]*value.Value{v})
	case value.Array:
		var objects []*value.Value
		set := map[string]bool{}
		for _, it := range v.Items {
			if it.Kind == value.Object {
				objects = append(objects, it)
			} else {
				set[shapeOf(it)] = true
			}
		}
		if len(objects) > 0 {
			set[membersOf(objects)] = true
		}
		return "[" + joined(set) + "]"
	}
	return v.Kind.String()
}

func membersOf(list []*value.Value) string {
	kinds := map[string]map[string]bool{}
	for _, o := range list {
		for i, n := range o.Names {
			if kinds[n] == nil {
				kinds[n] = map[string]bool{}
			}
			kinds[n][shapeOf(o.Items[i])] = true
		}
	}
	set := map[string]bool{}
	for n, k := range kinds {
		set[value.Quoted(n)+": "+joined(k)] = true
	}
	return "{" + strings.ReplaceAll(joined(set), " | \"", ", \"") + "}"
}

func joined(set map[string]bool) string {
	var parts []string
	for p := range set {
		parts = append(parts, p)
	}
	slices.Sort(parts)
	return strings.Join(parts, " | ")
}

// Change is a scenario whose verdict is another.
type Change struct {
	File, Title string
	Was, Is     event.Verdict
}

// Difference is a step that was answered differently.
type Difference struct {
	File, Title, Step string
	What              []string
}

// Pace is a request that has become slower or faster.
type Pace struct {
	Request  string
	Was, Is  time.Duration
	Samples  [2]int
	Slower   bool
	quotient float64
}

// Comparison is what changed between two runs.
type Comparison struct {
	Old, New                     *Run
	Failing, Mended, Added, Gone []Change
	Answered                     []Difference
	Paces                        []Pace
	Held, Failed                 int
	// Untold are requests of which there are too few samples to tell.
	Untold int
}

// Equal tells that nothing changed that matters.
func (c *Comparison) Equal() bool {
	return len(c.Failing)+len(c.Mended)+len(c.Added)+len(c.Gone)+len(c.Answered)+len(c.Paces) == 0
}

func failing(v event.Verdict) bool { return v == event.Failed || v == event.Blocked }

// Compare tells what changed from one run to another.
func Compare(old, now *Run) *Comparison {
	c := &Comparison{Old: old, New: now}
	for _, k := range now.Order {
		n, o := now.Outcomes[k], old.Outcomes[k]
		if failing(n.Verdict) {
			c.Failed++
		} else {
			c.Held++
		}
		if o == nil {
			c.Added = append(c.Added, Change{n.File, n.Title, "", n.Verdict})
			if failing(n.Verdict) {
				c.Failing = append(c.Failing, Change{n.File, n.Title, "", n.Verdict})
			}
			continue
		}
		switch {
		case failing(n.Verdict) && !failing(o.Verdict):
			c.Failing = append(c.Failing, Change{n.File, n.Title, o.Verdict, n.Verdict})
		case !failing(n.Verdict) && failing(o.Verdict):
			c.Mended = append(c.Mended, Change{n.File, n.Title, o.Verdict, n.Verdict})
		}
		c.answered(o, n)
	}
	for _, k := range old.Order {
		if o := old.Outcomes[k]; now.Outcomes[k] == nil {
			c.Gone = append(c.Gone, Change{o.File, o.Title, o.Verdict, ""})
		}
	}
	c.paces()
	return c
}

func (c *Comparison) answered(o, n *Outcome) {
	for _, step := range n.steps {
		a, ok := o.answers[step]
		b := n.answers[step]
		if !ok {
			continue
		}
		var what []string
		if a.status != b.status {
			what = append(what, "status was "+a.status+", is "+b.status)
		} else {
			if lost := lacking(a.headers, b.headers); len(lost) > 0 {
				what = append(what, "without header "+strings.Join(lost, ", "))
			}
			if more := lacking(b.headers, a.headers); len(more) > 0 {
				what = append(what, "with header "+strings.Join(more, ", "))
			}
			if a.shape != b.shape {
				was, is := value.CutAround(value.NewString(a.shape), value.NewString(b.shape), 90)
				what = append(what, "the body was "+was+", is "+is)
			}
		}
		if len(what) > 0 {
			c.Answered = append(c.Answered, Difference{n.File, n.Title, step, what})
		}
	}
}

func lacking(from, in []string) []string {
	var out []string
	for _, h := range from {
		if !slices.Contains(in, h) {
			out = append(out, h)
		}
	}
	return out
}

// Judging paces: with fewer samples nothing is said; the medians must differ by
// that factor and that much, and the middle halves must not overlap.
const (
	fewestSamples = 8
	paceFactor    = 1.5
	paceLeast     = 1000.0
)

func (c *Comparison) paces() {
	for k, now := range c.New.durations {
		old := c.Old.durations[k]
		if len(old) < fewestSamples || len(now) < fewestSamples {
			c.Untold++
			continue
		}
		slices.Sort(old)
		slices.Sort(now)
		was, is := part(old, .5), part(now, .5)
		slower := is > was
		apart := part(now, .25) > part(old, .75)
		if !slower {
			apart = part(now, .75) < part(old, .25)
		}
		q := math.Max(is/was, was/is)
		if q < paceFactor || math.Abs(is-was) < paceLeast || !apart {
			continue
		}
		parts := strings.Split(k, "\x00")
		c.Paces = append(c.Paces, Pace{strings.Join(parts, ": "), time.Duration(was) * time.Microsecond, time.Duration(is) * time.Microsecond, [2]int{len(old), len(now)}, slower, q})
	}
	slices.SortFunc(c.Paces, func(a, b Pace) int {
		return cmp.Or(cmp.Compare(b.quotient, a.quotient), strings.Compare(a.Request, b.Request))
	})
}

func part(sorted []float64, p float64) float64 {
	return sorted[min(len(sorted)-1, int(p*float64(len(sorted))))]
}
