package engine

import (
	"errors"
	"fmt"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

// lists are the guarded lists whose names have values.
func (t *step) lists() ([]custody.List, error) {
	var out []custody.List
	for n, o := range t.in.guards {
		target, err := t.in.names.Target(o.At)
		var unbound *scope.Unbound
		if errors.As(err, &unbound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		r, err := (&builder{method: "GET", target: target}).request(t.base)
		if err != nil {
			return nil, err
		}
		l := t.list(n, o)
		l.Path = custody.PlainPath(r.URL)
		if o.Items != nil {
			if target, err = t.in.names.Target(o.Items); err != nil {
				return nil, err
			}
			if r, err = (&builder{method: "GET", target: target}).request(t.base); err != nil {
				return nil, err
			}
			l.Items = custody.PlainPath(r.URL)
		}
		out = append(out, l)
	}
	return out, nil
}

// list is an observation as a list, the guarded ones first.
func (t *step) list(n int, o *syntax.Observe) custody.List {
	return custody.List{N: n, Host: custody.HostOf(t.base), Written: o.At.Raw, Keyed: o.By != nil}
}

// observed is an observation of the scenario as a list.
func (t *step) observed(name string) custody.List {
	for i, n := range t.in.order {
		if n == name {
			return t.list(len(t.in.guards)+i, t.in.observed[n])
		}
	}
	return custody.List{}
}

// name tells which step this is, and where it stands; "" for none.
func (t *step) name() string {
	if t.e.Title == "" {
		return ""
	}
	return fmt.Sprintf("step %q (%s:%d)", t.e.Title, t.e.File, t.e.Line)
}
