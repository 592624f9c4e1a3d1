package lsp

import (
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/record"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// answers are the bodies that the last run's steps were answered with, by the titles of
// scenario and step. Records hold secrets hidden.
type answers map[string]*value.Value

func answerKey(scenario, step string) string { return scenario + "\x00" + step }

// read takes in a record; what cannot be read says nothing.
func (a answers) read(name string, also func(event.Event)) {
	scenario := ""
	_ = record.Read([]string{name}, func(e event.Event) {
		switch e := e.(type) {
		case *event.ScenarioStarted:
			scenario = e.Pattern
			if scenario == "" {
				scenario = e.Title
			}
		case *event.StepFinished:
			for _, x := range e.Sent {
				if x.Role != event.Main || x.Exchange.Answer == nil {
					continue
				}
				if v, err := value.Decode(string(x.Exchange.Answer.Body), value.Limits{Lenient: true}); err == nil {
					a[answerKey(scenario, e.Title)] = v
				}
			}
		}
		if also != nil {
			also(e)
		}
	})
}

// lastAnswers are those of the editor's last run, else of the newest record that the
// project keeps.
func (d *document) lastAnswers() answers {
	if d.answers == nil {
		d.answers = answers{}
		if d.project != nil && d.project.Root != "" {
			if list := record.HistoryOf(d.project.Root).Records(); len(list) > 0 {
				d.answers.read(list[len(list)-1], nil)
			}
		}
	}
	return d.answers
}

// stepAt is the scenario and the step that an offset is in, nil for none.
func (d *document) stepAt(offset int) (scenario, step *syntax.Statement) {
	for i, st := range d.tree.Statements {
		if st.Span.Start > offset {
			break
		}
		if syntax.Is[*syntax.Scenario](st) {
			scenario, step = st, nil
		} else if !syntax.Is[*syntax.Afterwards](st) {
			scenario, step = nil, nil
		}
		for _, c := range d.tree.Statements[i].Children {
			if syntax.Is[*syntax.Step](c) && c.Span.Start <= offset {
				step = c
			}
		}
	}
	return scenario, step
}

// answerAt is the last answer of the step around an offset, nil for none.
func (d *document) answerAt(offset int) *value.Value {
	scenario, step := d.stepAt(offset)
	if scenario == nil || step == nil {
		return nil
	}
	return d.lastAnswers()[answerKey(raw(syntax.TitleOf(scenario)), raw(syntax.TitleOf(step)))]
}

// kept is what a `keep` line would keep of its step's last answer, nil for nothing that is
// known.
func (d *document) kept(offset int, k *syntax.Keep) *value.Value {
	body := d.answerAt(offset)
	if body == nil || k.Secret || k.Path == nil {
		return nil
	}
	q, err := jsonpath.Parse(k.Path.Raw)
	if err != nil {
		return nil
	}
	nodes, err := q.Select(body)
	if err != nil || len(nodes) != 1 || nodes[0].Value.Kind == value.String && strings.Contains(nodes[0].Value.Text, "•••") {
		return nil
	}
	return nodes[0].Value
}

// membersBelow are the members of what a path selects in the last answer of a step.
func (d *document) membersBelow(offset int, path string) []completion {
	body := d.answerAt(offset)
	if body == nil {
		return nil
	}
	q, err := jsonpath.Parse(path)
	if err != nil {
		return nil
	}
	nodes, err := q.Select(body)
	if err != nil {
		return nil
	}
	var out []completion
	for _, n := range nodes {
		if n.Value.Kind != value.Object {
			continue
		}
		for i, name := range n.Value.Names {
			if syntax.IsName(name) && !slices.ContainsFunc(out, func(c completion) bool { return c.Label == name }) {
				out = append(out, completion{Label: name, Kind: kindVariable, Detail: cut(n.Value.Items[i].String()), Documentation: "in the last answer"})
			}
		}
	}
	return out
}
