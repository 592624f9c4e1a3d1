package engine

import (
	"fmt"
	"net/url"
	"time"

	"github.com/antchfx/xpath"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// observations are those that the claims of a round are about.
func (t *step) observations(g *round) []string {
	var out []string
	seen := map[string]bool{}
	add := func(name string) {
		if !seen[name] {
			seen[name] = true
			out = append(out, name)
		}
	}
	for _, st := range g.claims {
		one, ok := st.Body.(syntax.Claiming)
		if !ok {
			continue
		}
		switch b := one.Claimed(); b.Subject.Kind {
		case "observation":
			for _, o := range b.Observations() {
				add(o.Name)
			}
		case "state":
			for _, n := range t.in.order {
				// One whose path lacks a value is not there to be seen yet.
				if t.visible(t.in.observed[n]) {
					add(n)
				}
			}
		}
	}
	return out
}

// visible tells whether all that an observation needs has a value.
func (t *step) visible(o *syntax.Observe) bool {
	if _, err := t.in.names.Target(o.At); err != nil {
		return false
	}
	_, err := t.view(o)
	return err == nil
}

// observe reads observations now.
func (t *step) observe(names []string) (map[string]*custody.Sight, error) {
	if len(names) == 0 {
		return nil, nil
	}
	out := map[string]*custody.Sight{}
	for _, n := range names {
		s, err := t.look(n, t.in.observed[n])
		if err != nil {
			return nil, err
		}
		out[n] = s
	}
	return out, nil
}

// look reads one observation, all its pages.
func (t *step) look(name string, o *syntax.Observe) (*custody.Sight, error) {
	if err := t.findBase(); err != nil {
		return nil, err
	}
	view, err := t.view(o)
	if err != nil {
		return nil, err
	}
	d := &builder{method: "GET", timeout: t.env.o.Timeout}
	if err := d.layers([][]*syntax.Statement{t.env.p.Defaults(), t.in.headers}, t.in.names, t.env.p, t.f); err != nil {
		return nil, err
	}
	if o.InXML != "" {
		// What is observed is XML, whatever else is asked for.
		d.set = map[string]bool{}
		d.setHeader("Accept", "application/xml")
	}
	if d.target, err = t.in.names.Target(o.At); err != nil {
		return nil, err
	}
	r, err := d.request(t.base)
	if err != nil {
		return nil, err
	}
	w := &walk{of: t, name: name, o: o, view: view, url: r.URL}
	start := time.Now()
	s := w.all(r)
	s.At, s.View, s.Path, s.Host = start, view, custody.PlainPath(w.url), custody.HostOf(w.url)
	if s.Problem != "" {
		t.in.care.Missed(t.name(), s)
	} else if u, err := url.Parse(w.url); err == nil && u.RawQuery == "" && o.By != nil && o.Without == nil {
		t.in.care.Saw(s)
	}
	return s, nil
}

func (t *step) view(o *syntax.Observe) (state.View, error) {
	v := state.View{IfThere: o.IfThere}
	var err error
	if o.InXML != "" {
		if v.XML, err = xpath.Compile(o.InXML); err != nil {
			return v, fmt.Errorf("%s is not an XPath: %w", o.InXML, err)
		}
	}
	if o.In != nil {
		if v.In, err = t.in.names.Path(o.In); err != nil {
			return v, err
		}
	}
	if o.By != nil {
		if v.By, err = t.in.names.Path(o.By); err != nil {
			return v, err
		}
	}
	if o.Without != nil {
		if v.Without, err = t.in.names.Value(o.Without); err != nil {
			return v, err
		}
	}
	for _, p := range o.Ignoring {
		q, err := t.in.names.Path(p)
		if err != nil {
			return v, fmt.Errorf("ignoring: %w", err)
		}
		v.Ignoring = append(v.Ignoring, q)
	}
	return v, nil
}

// beforehand reads observations before a request: what was read after the last one,
// if nothing was sent since, is how things are now.
func (t *step) beforehand(names []string) (map[string]*custody.Sight, error) {
	latest := t.in.latest
	t.in.latest = nil
	var open []string
	for _, n := range names {
		if latest[n] == nil {
			open = append(open, n)
		}
	}
	out, err := t.observe(open)
	if err != nil || len(open) == len(names) {
		return out, err
	}
	if out == nil {
		out = map[string]*custody.Sight{}
	}
	for _, n := range names {
		if latest[n] != nil {
			out[n] = latest[n]
		}
	}
	return out, nil
}

// seen keeps what was observed for the next request, unless more may still come of
// this one: after 202, without an answer, or where something could not be read.
func (t *step) seen(at *attempt) {
	t.in.care.Effects(at.replies, at.before, at.after)
	for _, r := range at.replies {
		if r == nil || r.Answer == nil || r.Answer.Status == 202 {
			return
		}
	}
	latest := map[string]*custody.Sight{}
	for n, s := range at.after {
		if s.Problem == "" {
			latest[n] = s
		}
	}
	t.in.latest = latest
}
