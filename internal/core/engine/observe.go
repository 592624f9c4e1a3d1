package engine

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// observation is a declared observation.
type observation struct{ o *syntax.Observe }

// snapshot is what an observation showed, or why it could not be read.
type snapshot struct {
	s       *state.Snapshot
	problem string
}

// Bounds of walking a paged list.
const (
	maxPages  = 10_000
	pageLimit = "100"
)

// observations are those that the claims of a group are about.
func (t *step) observations(g *group) []string {
	var out []string
	seen := map[string]bool{}
	add := func(name string) {
		if !seen[name] {
			seen[name] = true
			out = append(out, name)
		}
	}
	for _, st := range g.claims {
		b, ok := st.Body.(*syntax.Expect)
		if !ok {
			continue
		}
		switch b.Subject.Kind {
		case "observation":
			add(b.Subject.Name)
		case "state":
			for _, n := range t.order {
				// One whose path lacks a value is not there to be seen yet.
				if _, err := t.names.Target(t.observed[n].o.At); err == nil {
					add(n)
				}
			}
		}
	}
	return out
}

// observe reads observations now.
func (t *step) observe(names []string) (map[string]*snapshot, error) {
	if len(names) == 0 {
		return nil, nil
	}
	out := map[string]*snapshot{}
	for _, n := range names {
		s, err := t.look(n, t.observed[n].o)
		if err != nil {
			return nil, err
		}
		out[n] = s
	}
	return out, nil
}

// look reads one observation, all its pages.
func (t *step) look(name string, o *syntax.Observe) (*snapshot, error) {
	if err := t.findBase(); err != nil {
		return nil, err
	}
	view, err := t.view(o)
	if err != nil {
		return nil, err
	}
	d := &draft{method: "GET", timeout: t.o.Timeout}
	for _, layer := range [][]*syntax.Statement{t.p.Defaults(), t.headers} {
		if err := d.layer(layer, t.names, t.p, t.f); err != nil {
			return nil, err
		}
	}
	if d.target, err = t.names.Target(o.At); err != nil {
		return nil, err
	}
	r, err := d.request(t.base)
	if err != nil {
		return nil, err
	}
	snap := view.Absent()
	start, offset := r.URL, 0
	seen := map[string]bool{}
	for page := 0; ; page++ {
		if len(o.Paging) == 2 {
			limit, at := pageLimit, strconv.Itoa(offset)
			r.URL = addQuery(start, [][2]*string{{&o.Paging[0], &limit}, {&o.Paging[1], &at}})
		}
		if seen[r.URL] || page == maxPages {
			return &snapshot{problem: "its pages do not end: " + r.URL + " comes again"}, nil
		}
		seen[r.URL] = true
		once := *r
		t.cookies(&once)
		reply := expect.NewReply(t.client.Do(t.ctx, &once))
		t.note(reply.Exchange)
		t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: name, Exchange: reply.Exchange})
		if reply.Failure != nil {
			return &snapshot{problem: reply.Failure.Error()}, nil
		}
		switch status := reply.Answer.Status; {
		case status == 404 || status == 410:
			return &snapshot{s: snap}, nil
		case status != 200:
			return &snapshot{problem: "GET " + r.URL + " answered " + reply.Answer.StatusText()}, nil
		}
		body, err := reply.JSON()
		if err != nil {
			return &snapshot{problem: "GET " + r.URL + " answered no JSON: " + err.Error()}, nil
		}
		members, err := view.Members(body)
		if err == nil {
			err = view.Add(snap, members)
		}
		if err != nil {
			return &snapshot{problem: err.Error()}, nil
		}
		if view.By == nil {
			return &snapshot{s: snap}, nil
		}
		if len(o.Paging) == 2 {
			if len(members) == 0 {
				return &snapshot{s: snap}, nil
			}
			offset += len(members)
			continue
		}
		next := nextPage(once.URL, reply.Answer)
		if next == "" {
			return &snapshot{s: snap}, nil
		}
		r.URL = next
	}
}

func (t *step) view(o *syntax.Observe) (state.View, error) {
	var v state.View
	var err error
	if o.In != nil {
		if v.In, err = t.names.Path(o.In); err != nil {
			return v, err
		}
	}
	if o.By != nil {
		if v.By, err = t.names.Path(o.By); err != nil {
			return v, err
		}
	}
	for _, p := range o.Ignoring {
		q, err := t.names.Path(p)
		if err != nil {
			return v, fmt.Errorf("ignoring: %w", err)
		}
		v.Ignoring = append(v.Ignoring, q)
	}
	return v, nil
}

// nextPage is where Link: rel="next" leads (RFC 8288), on the same host only.
func nextPage(from string, a *exchange.Answer) string {
	for _, l := range exchange.Links(a.Header.Values("Link")) {
		if !l.Has("next") {
			continue
		}
		base, err := url.Parse(from)
		if err != nil {
			return ""
		}
		next, err := base.Parse(l.Target)
		if err != nil || !strings.EqualFold(next.Host, base.Host) {
			return ""
		}
		return next.String()
	}
	return ""
}
