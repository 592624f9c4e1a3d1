package engine

import (
	"errors"
	"fmt"

	"usualpath/internal/core/event"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func (t *step) keep(st *syntax.Statement, k *syntax.Keep, at *attempt) {
	if k.Every {
		all := value.NewArray()
		for _, r := range at.replies {
			v, err := t.context(r, at).Keep(k)
			if err != nil {
				continue
			}
			if !t.hidden(k, v) {
				return
			}
			all.Items = append(all.Items, v)
		}
		t.in.names.Bind(k.Name, all)
		return
	}
	from := at.replies[0]
	for _, r := range at.replies {
		if r != nil && r.Answer != nil && r.Answer.Status/100 == 2 {
			from = r
			break
		}
	}
	v, err := t.context(from, at).Keep(k)
	if err == nil {
		if t.hidden(k, v) {
			t.in.names.Bind(k.Name, v)
		}
		return
	}
	if k.IfThere {
		return
	}
	var unbound *scope.Unbound
	if errors.As(err, &unbound) || t.e.Afterwards {
		t.lacking(err)
		return
	}
	f := event.Finding{Verdict: t.ofKeep(), Line: t.lineOf(st), Expected: "keep " + k.Name + " from " + keptFrom(k), Observed: []string{err.Error()}, Sent: at.sent}
	if c := t.in.job.s.Check; c != nil && c.ID == Probe {
		t.in.unnamed = true
		f.Look = "say where the answer to a create shows the identity: identity $.id in create $.path, or in create header NAME"
	}
	t.miss(f)
}

// hidden masks a value that is kept as a secret; where it cannot be masked, the
// step is at an end.
func (t *step) hidden(k *syntax.Keep, v *value.Value) bool {
	if !k.Secret || t.env.mask.Add(v.Plain()) {
		return true
	}
	t.lacking(fmt.Errorf("what is kept as the secret `%s` has fewer than %d characters, and cannot be hidden", k.Name, mask.Shortest))
	return false
}

// ofKeep is the verdict when nothing could be kept: blocked in a step that
// only prepares, which its `need` lines tell.
func (t *step) ofKeep() event.Verdict {
	for _, c := range t.st.Children {
		if syntax.Is[*syntax.Need](c) {
			return event.Blocked
		}
	}
	return event.Failed
}

func keptFrom(k *syntax.Keep) string {
	text := ""
	for o := k; o != nil; o = o.Or {
		if text != "" {
			text += " or "
		}
		text += keptSource(o)
	}
	return text
}

func keptSource(k *syntax.Keep) string {
	switch {
	case k.Path != nil:
		return k.Path.Raw
	case k.Pattern != nil && k.Key == "":
		return k.From + " " + syntax.NodeText(k.Pattern)
	case k.Pattern != nil:
		return k.From + " " + k.Key + " " + syntax.NodeText(k.Pattern)
	case k.Last:
		return k.From + " " + k.Key + " last segment"
	case k.Key != "":
		return k.From + " " + k.Key
	}
	return k.From
}
