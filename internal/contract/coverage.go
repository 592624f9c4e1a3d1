package contract

import (
	"fmt"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/event"
)

// Coverage is what a run has touched of a document.
type Coverage struct {
	doc *Document
	// by operation: how often, statuses and parameters seen.
	seen map[string]*touched
	// Problems are what is not described, with how often it was met and where
	// first.
	problems map[string]*Problem
	order    []string
}

type touched struct {
	n        int
	statuses map[int]int
	params   map[string]bool
}

// Problem is something that the document does not describe.
type Problem struct {
	Text, Where string
	N           int
}

// FromOperations is a document that only says which operations there are, as
// "METHOD path"; nothing is held against it.
func FromOperations(name string, titles []string) *Document {
	d := &Document{Name: name, bare: true}
	for _, t := range titles {
		m, p, _ := strings.Cut(t, " ")
		d.Operations = append(d.Operations, &Operation{Method: m, Path: p, Spec: &openapi3.Operation{}, segments: split(p)})
	}
	return d
}

// NewCoverage makes an empty one.
func NewCoverage(doc *Document) *Coverage {
	return &Coverage{doc: doc, seen: map[string]*touched{}, problems: map[string]*Problem{}}
}

// Of is what the operations are of: the document's file, or what was named
// instead.
func (c *Coverage) Of() string { return filepath.Base(c.doc.Name) }

// Event takes in the exchanges of a step.
func (c *Coverage) Event(e event.Event) {
	st, ok := e.(*event.StepFinished)
	if !ok {
		return
	}
	for _, s := range st.Sent {
		x := s.Exchange
		title := x.Request.Method + " " + template(x.Request.URL)
		for _, p := range c.doc.Check(x) {
			c.problem(p, fmt.Sprintf("%s:%d step %q", st.File, st.Line, st.Title))
		}
		if o, _ := c.doc.Find(x.Request.Method, x.Request.URL); o != nil {
			title = o.Title()
		} else if !c.doc.bare || x.Answer == nil || x.Answer.Status/100 != 2 {
			continue
		}
		t := c.seen[title]
		if t == nil {
			t = &touched{statuses: map[int]int{}, params: map[string]bool{}}
			c.seen[title] = t
		}
		t.n++
		if x.Answer != nil {
			t.statuses[x.Answer.Status]++
		}
		if u, err := url.Parse(x.Request.URL); err == nil {
			for n := range u.Query() {
				t.params["query "+n] = true
			}
		}
		for _, h := range x.Request.Header {
			t.params["header "+strings.ToLower(h.Name)] = true
		}
	}
}

func (c *Coverage) problem(text, where string) {
	p := c.problems[text]
	if p == nil {
		p = &Problem{Text: text, Where: where}
		c.problems[text] = p
		c.order = append(c.order, text)
	}
	p.N++
}

// Problems are what is not described, in the order in which it was met.
func (c *Coverage) Problems() []*Problem {
	var out []*Problem
	for _, t := range c.order {
		out = append(out, c.problems[t])
	}
	return out
}

// Row is an operation with what was touched of it, and what was not.
type Row struct {
	Operation string
	Requests  int
	// Statuses are those seen, with how often; Missing those described and not
	// seen; Params the described parameters that no request used.
	Statuses, Missing, Params []string
	// Beside tells that the operation is not among those that are known.
	Beside bool
}

// Rows are the operations: those of the document, and behind them those that
// were sent beside it.
func (c *Coverage) Rows() []Row {
	var out []Row
	known := map[string]bool{}
	for _, o := range c.doc.Operations {
		t := c.seen[o.Title()]
		known[o.Title()] = true
		if t == nil {
			t = &touched{}
		}
		row := Row{Operation: o.Title(), Requests: t.n, Statuses: t.list()}
		if o.Spec.Responses != nil {
			for key := range o.Spec.Responses.Map() {
				if !t.has(key) {
					row.Missing = append(row.Missing, key)
				}
			}
			slices.Sort(row.Missing)
		}
		for _, p := range o.Params {
			if p.Value == nil || p.Value.In == "path" || p.Value.In == "cookie" {
				continue
			}
			name := p.Value.In + " " + p.Value.Name
			if p.Value.In == "header" {
				name = strings.ToLower(name)
			}
			if !t.params[name] {
				row.Params = append(row.Params, p.Value.In+" "+p.Value.Name)
			}
		}
		slices.Sort(row.Params)
		out = append(out, row)
	}
	documented := len(out)
	for title, t := range c.seen {
		if !known[title] {
			out = append(out, Row{Operation: title, Requests: t.n, Statuses: t.list(), Beside: true})
		}
	}
	rest := out[documented:]
	slices.SortFunc(rest, func(a, b Row) int { return strings.Compare(a.Operation, b.Operation) })
	return out
}

func (t *touched) list() []string {
	var codes []int
	for s := range t.statuses {
		codes = append(codes, s)
	}
	slices.Sort(codes)
	var out []string
	for _, s := range codes {
		out = append(out, fmt.Sprintf("%d×%d", s, t.statuses[s]))
	}
	return out
}

// has tells whether a described status was seen: 404, 4XX, default.
func (t *touched) has(key string) bool {
	for s := range t.statuses {
		text := fmt.Sprint(s)
		if key == text || strings.EqualFold(key, text[:1]+"XX") || key == "default" && s >= 400 {
			return true
		}
	}
	return false
}

// versioned is a segment that names a version of the interface, and no item.
var versioned = regexp.MustCompile(`^v\d+(\.\d+)?$`)

// template is a path without what is an item's own.
func template(raw string) string {
	p := pathOf(raw)
	parts := strings.Split(p, "/")
	for i, s := range parts {
		if (strings.ContainsAny(s, "0123456789%") || len(s) > 32) && !versioned.MatchString(s) {
			parts[i] = "…"
		}
	}
	return strings.Join(parts, "/")
}
