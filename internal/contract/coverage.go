package contract

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/url"
	"path/filepath"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// Coverage is what a run has touched of a document.
type Coverage struct {
	doc *Document
	// by operation: how often, statuses and parts of the description seen.
	seen map[string]*touched
	// departures are told once each, with how often they were met and where first.
	departures map[string]*event.Departure
	order      []string
	scenario   *event.ScenarioStarted
	// Least is the share of operations that must be touched, from 0 to 1.
	Least float64
}

type touched struct {
	n        int
	statuses map[int]int
	parts    map[string]bool
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
	return &Coverage{doc: doc, seen: map[string]*touched{}, departures: map[string]*event.Departure{}}
}

// Event takes in the exchanges of a step.
func (c *Coverage) Event(e event.Event) {
	switch e := e.(type) {
	case *event.ScenarioStarted:
		c.scenario = e
	case *event.StepFinished:
		for _, s := range e.Sent {
			c.exchange(e, s)
		}
	}
}

func (c *Coverage) exchange(st *event.StepFinished, s event.Sent) {
	x := s.Exchange
	if x.Answer == nil {
		// What was not answered has touched nothing.
		return
	}
	list := c.doc.Check(x)
	if s.Role == event.Main && (c.scenario == nil || c.scenario.Check == nil) {
		// Checks send what is forbidden on purpose.
		list = append(list, c.doc.Request(x)...)
	}
	for _, d := range list {
		c.departs(d, st)
	}
	title := x.Request.Method + " " + template(x.Request.URL)
	o, _ := c.doc.Find(x.Request.Method, x.Request.URL)
	if o != nil {
		title = o.Title()
	} else if !c.doc.bare || x.Answer.Status/100 != 2 {
		return
	}
	t := c.seen[title]
	if t == nil {
		t = &touched{statuses: map[int]int{}, parts: map[string]bool{}}
		c.seen[title] = t
	}
	t.n++
	t.statuses[x.Answer.Status]++
	if o != nil && o.Spec.Responses != nil {
		o.touches(x, t.parts)
	}
}

func (c *Coverage) departs(d Departure, st *event.StepFinished) {
	have := c.departures[d.Text]
	if have == nil {
		have = &event.Departure{Operation: d.Operation, Status: d.Status, Text: d.Text, Warns: d.Warns, File: st.File, Line: st.Line, Step: st.Title}
		if c.scenario != nil {
			have.Scenario = c.scenario.Title
		}
		c.departures[d.Text] = have
		c.order = append(c.order, d.Text)
	}
	have.Times++
}

// Against is what was touched, and what is not as the document says.
func (c *Coverage) Against() *event.Against {
	out := &event.Against{Document: filepath.Base(c.doc.Name), Least: c.Least}
	for _, t := range c.order {
		out.Departures = append(out.Departures, *c.departures[t])
	}
	known := map[string]bool{}
	unjudged := map[string]int{}
	for _, o := range c.doc.Operations {
		known[o.Title()] = true
		t := c.seen[o.Title()]
		if t == nil {
			t = &touched{}
		}
		row := event.Touched{Operation: o.Title(), Requests: t.n, Statuses: t.list()}
		for _, p := range o.parts() {
			row.Parts++
			if !t.has(p) {
				row.Never = append(row.Never, p)
			}
		}
		out.Operations = append(out.Operations, row)
		if len(o.Spec.Callbacks) > 0 {
			unjudged["callbacks"] += len(o.Spec.Callbacks)
		}
		if o.Spec.Responses != nil {
			for _, r := range o.Spec.Responses.Map() {
				if r.Value != nil && len(r.Value.Links) > 0 {
					unjudged["links"] += len(r.Value.Links)
				}
			}
		}
	}
	for _, what := range sorted(unjudged) {
		out.Unjudged = append(out.Unjudged, fmt.Sprintf("%d %s", unjudged[what], what))
	}
	for _, title := range sorted(c.seen) {
		if !known[title] {
			out.Operations = append(out.Operations, event.Touched{Operation: title, Requests: c.seen[title].n, Statuses: c.seen[title].list(), Beside: true})
		}
	}
	return out
}

func (t *touched) list() []event.Seen {
	var out []event.Seen
	for s, n := range t.statuses {
		out = append(out, event.Seen{Status: s, Times: n})
	}
	slices.SortFunc(out, func(a, b event.Seen) int { return cmp.Compare(a.Status, b.Status) })
	return out
}

// has tells whether a part was touched: a described status (404, 4XX, default), or
// something else by its name.
func (t *touched) has(part string) bool {
	for s := range t.statuses {
		text := fmt.Sprint(s)
		if part == text || strings.EqualFold(part, text[:1]+"XX") || part == "default" && s >= 400 {
			return true
		}
	}
	return t.parts[part]
}

// mostValues bounds the enumerations whose values are counted one by one.
const mostValues = 12

// parts are what is described of an operation: statuses, parameters with the values of
// their enumerations, alternatives of bodies, and the values that a body's members may have.
func (o *Operation) parts() []string {
	var out []string
	add := func(p string) {
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	if o.Spec.Responses != nil {
		for _, key := range sorted(o.Spec.Responses.Map()) {
			add(key)
		}
	}
	var params []string
	for _, p := range o.Params {
		if p.Value == nil || p.Value.In == "path" {
			continue
		}
		name := partOf(p.Value)
		params = append(params, name)
		for _, v := range values(p.Value.Schema) {
			params = append(params, name+"="+v)
		}
	}
	slices.Sort(params)
	for _, p := range params {
		add(p)
	}
	if s := o.sent(); s != nil {
		for _, alternative := range alternatives(s) {
			add("body " + alternative)
		}
		members := properties(s)
		for _, n := range sorted(members) {
			for _, v := range values(members[n]) {
				add("body " + n + "=" + v)
			}
		}
	}
	return out
}

func partOf(p *openapi3.Parameter) string {
	if p.In == "header" {
		return "header " + p.Name
	}
	return p.In + " " + p.Name
}

// values are those of an enumeration, as text; none of a long one.
func values(s *openapi3.SchemaRef) []string {
	if s == nil || s.Value == nil || len(s.Value.Enum) > mostValues {
		return nil
	}
	var out []string
	for _, e := range s.Value.Enum {
		out = append(out, fmt.Sprint(e))
	}
	return out
}

// sent is the schema of a JSON body, nil where none is described.
func (o *Operation) sent() *openapi3.SchemaRef {
	b := o.Spec.RequestBody
	if b == nil || b.Value == nil {
		return nil
	}
	for _, n := range sorted(b.Value.Content) {
		if m := b.Value.Content[n]; m != nil && m.Schema != nil && m.Schema.Value != nil && exchange.IsJSON(exchange.MediaType(n)) {
			return m.Schema
		}
	}
	return nil
}

// alternatives are the names of those of a body.
func alternatives(s *openapi3.SchemaRef) []string {
	var out []string
	for i, one := range append(slices.Clone(s.Value.OneOf), s.Value.AnyOf...) {
		name := fmt.Sprintf("alternative %d", i+1)
		if one.Ref != "" {
			name = one.Ref[strings.LastIndexByte(one.Ref, '/')+1:]
		}
		out = append(out, name)
	}
	return out
}

// properties are the members of a schema, those that allOf adds among them.
func properties(s *openapi3.SchemaRef) map[string]*openapi3.SchemaRef {
	out := map[string]*openapi3.SchemaRef{}
	for n, p := range s.Value.Properties {
		out[n] = p
	}
	for _, part := range s.Value.AllOf {
		if part.Value != nil {
			for n, p := range part.Value.Properties {
				out[n] = p
			}
		}
	}
	return out
}

// touches notes which parts an exchange has touched.
func (o *Operation) touches(x *exchange.Exchange, parts map[string]bool) {
	u, err := url.Parse(x.Request.URL)
	if err != nil {
		return
	}
	for _, ref := range o.Params {
		p := ref.Value
		if p == nil || p.In == "path" {
			continue
		}
		if text, sent := parameter(x.Request, u, p); sent {
			parts[partOf(p)] = true
			parts[partOf(p)+"="+text] = true
		}
	}
	if x.Answer.Status/100 != 2 || len(x.Request.Body) == 0 {
		return
	}
	v, err := value.Decode(string(x.Request.Body), value.Limits{Lenient: true})
	if err != nil {
		return
	}
	s := o.sent()
	if s == nil {
		return
	}
	for i, one := range append(slices.Clone(s.Value.OneOf), s.Value.AnyOf...) {
		var plain any
		if one.Value != nil && json.Unmarshal([]byte(v.JSON()), &plain) == nil && one.Value.VisitJSON(plain, openapi3.VisitAsRequest()) == nil {
			parts["body "+alternatives(s)[i]] = true
		}
	}
	for n := range properties(s) {
		if it, has := v.Get(n); has {
			parts["body "+n+"="+it.Plain()] = true
		}
	}
}

// versioned is a segment that names a version of the interface, and no item.
var versioned = late.Regexp(`^v\d+(\.\d+)?$`)

// template is a path without what is an item's own.
func template(raw string) string {
	p := pathOf(raw)
	parts := strings.Split(p, "/")
	for i, s := range parts {
		if (strings.ContainsAny(s, "0123456789%") || len(s) > 32) && !versioned().MatchString(s) {
			parts[i] = "…"
		}
	}
	return strings.Join(parts, "/")
}
