package report

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
)

// Checked is a check with what became of it.
type Checked struct {
	Started  *event.ScenarioStarted
	Finished *event.ScenarioFinished
	// Steps are needed of checks that did not hold.
	Steps []*event.StepFinished
}

func (o *Checked) check() *event.Check { return o.Started.Check }

// Cause is a check that did not hold, with those that follow from it.
type Cause struct {
	First *Checked
	With  []*Checked
}

// Others are the names of the checks that follow, sorted.
func (c *Cause) Others() []string {
	var names []string
	for _, w := range c.With {
		names = append(names, w.check().ID)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Causes puts the checks of a resource together that come from one cause: those whose failure
// another one explains, those that could not tell for the same reason, and
// those that missed the same in the same answer.
func Causes(checks []*Checked) []*Cause {
	var out []*Cause
	byID := map[string]*Cause{}
	bySign := map[string]*Cause{}
	for _, o := range checks {
		v := o.Finished.Verdict
		if v == event.Held || v == event.Skipped {
			continue
		}
		sign := o.sign()
		var g *Cause
		if v != event.Blocked {
			for _, c := range o.check().Causes {
				if g = byID[c]; g != nil && g.explains(o) {
					break
				}
				g = nil
			}
		}
		if g == nil {
			g = bySign[sign]
		}
		if g == nil {
			g = &Cause{First: o}
			out = append(out, g)
			bySign[sign] = g
		} else {
			g.With = append(g.With, o)
			_, a := worst(v)
			if _, b := worst(g.First.Finished.Verdict); a > b {
				// The block is that of the graver one.
				g.First, g.With[len(g.With)-1] = o, g.First
			}
		}
		if v != event.Blocked {
			byID[o.check().ID] = g
		}
	}
	slices.SortStableFunc(out, func(a, b *Cause) int {
		_, x := worst(a.First.Finished.Verdict)
		_, y := worst(b.First.Finished.Verdict)
		return y - x
	})
	return out
}

// explains tells whether a check shows nothing that the group's first does not
// show: a status that nobody has told of yet is told by itself.
func (g *Cause) explains(o *Checked) bool {
	told := g.First.statuses()
	for s := range o.statuses() {
		if !told[s] {
			return false
		}
	}
	return true
}

// statuses are the methods and statuses that missed what was expected of them.
func (o *Checked) statuses() map[string]bool {
	out := map[string]bool{}
	for _, st := range o.Steps {
		for _, f := range st.Findings {
			if !strings.HasPrefix(f.Expected, "status ") || f.Sent < 0 || f.Sent >= len(st.Sent) {
				continue
			}
			x := st.Sent[f.Sent].Exchange
			method := x.Request.Method
			if method == "HEAD" {
				method = "GET"
			}
			if x.Answer != nil {
				out[fmt.Sprintf("%s %d", method, x.Answer.Status)] = true
			}
		}
	}
	return out
}

// sign is what checks of one cause have in common.
func (o *Checked) sign() string {
	if o.Finished.Verdict == event.Blocked {
		return "blocked " + digits().ReplaceAllString(o.Finished.Why, "0")
	}
	for _, st := range o.Steps {
		for _, f := range st.Findings {
			if f.Verdict != event.Failed && f.Verdict != event.Warned {
				continue
			}
			sent := ""
			if f.Sent >= 0 && f.Sent < len(st.Sent) {
				x := st.Sent[f.Sent].Exchange
				sent = x.Request.Method
				if x.Answer != nil {
					sent += fmt.Sprint(x.Answer.Status)
				}
			}
			return sent + " " + f.Expected + " " + digits().ReplaceAllString(strings.Join(f.Observed, " "), "0")
		}
	}
	return o.check().ID
}
