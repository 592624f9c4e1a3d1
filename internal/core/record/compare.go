package record

import (
	"cmp"
	"fmt"
	"maps"
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
	// media is the type of the body, members the kinds of value at each place of it:
	// "$.items[*].id" → "number".
	media   string
	members map[string]string
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
		case *event.Against:
			r.departs(e)
		case *event.ScenarioFinished:
			if now != nil {
				now.Verdict = e.Verdict
				r.Outcomes[now.Key()] = now
				r.Order = append(r.Order, now.Key())
				now = nil
			}
		}
	})
	if Partial(err) {
		// One shard may be compared with the same of another day.
		err = nil
	}
	return r, err
}

// departs takes in departures from a document as what failed.
func (r *Run) departs(a *event.Against) {
	for _, d := range a.Departures {
		o := &Outcome{File: a.Document, Title: d.Text, Verdict: event.Failed, answers: map[string]signature{}}
		if d.Warns {
			o.Verdict = event.Warned
		}
		if r.Outcomes[o.Key()] == nil {
			r.Outcomes[o.Key()] = o
			r.Order = append(r.Order, o.Key())
		}
	}
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
		kinds := map[string]map[string]bool{}
		placesOf(v, "$", kinds)
		s.members = map[string]string{}
		for at, set := range kinds {
			s.members[at] = strings.Join(slices.Sorted(maps.Keys(set)), " or ")
		}
	} else if len(a.Body) > 0 {
		s.members = map[string]string{"$": "text that is not JSON"}
	}
	s.media, _, _ = strings.Cut(a.Header.Get("Content-Type"), ";")
	return s
}

// placesOf notes what kinds of value are where. The elements of an array are taken
// together, so that it does not matter how many there are, or which of them has an
// optional member.
func placesOf(v *value.Value, at string, kinds map[string]map[string]bool) {
	if kinds[at] == nil {
		kinds[at] = map[string]bool{}
	}
	kind := v.Kind.String()
	if v.Kind == value.String {
		kind = "text"
	}
	kinds[at][kind] = true
	for i, it := range v.Items {
		if v.Kind == value.Array {
			placesOf(it, at+"[*]", kinds)
			continue
		}
		var path *value.Path
		placesOf(it, at+strings.TrimPrefix(path.Member(v.Names[i]).String(), "$"), kinds)
	}
}

// changed tells what is of another kind, new or gone, without what is inside of
// what is new or gone itself.
func changed(was, is map[string]string) []string {
	all := maps.Clone(was)
	if all == nil {
		all = map[string]string{}
	}
	maps.Copy(all, is)
	var out []string
	told := ""
	for _, at := range slices.Sorted(maps.Keys(all)) {
		if told != "" && (strings.HasPrefix(at, told+".") || strings.HasPrefix(at, told+"[")) {
			continue
		}
		a, before := was[at]
		b, now := is[at]
		switch {
		case !before:
			out = append(out, at+" is new: "+b)
			told = at
		case !now:
			out = append(out, at+" is gone, was "+a)
			told = at
		case a != b:
			out = append(out, at+": "+a+" became "+b)
		}
	}
	return out
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

// Cause is what changed in answers, with the steps in which it did.
type Cause struct {
	What   string
	Places []string
}

// Causes are the different answers by what changed in them, that which did so in
// most places first.
func (c *Comparison) Causes() []Cause {
	var out []Cause
	at := map[string]int{}
	for _, d := range c.Answered {
		place := d.File + ": " + d.Title + ": step " + value.Quoted(d.Step)
		for _, what := range d.What {
			i, known := at[what]
			if !known {
				i = len(out)
				at[what] = i
				out = append(out, Cause{What: what})
			}
			out[i].Places = append(out[i].Places, place)
		}
	}
	slices.SortStableFunc(out, func(a, b Cause) int { return len(b.Places) - len(a.Places) })
	return out
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
			if a.media != b.media {
				what = append(what, "the body is "+cmp.Or(b.media, "of no declared type")+", was "+cmp.Or(a.media, "of no declared type"))
			}
			what = append(what, changed(a.members, b.members)...)
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
