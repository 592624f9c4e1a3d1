package project

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Scenario is one scenario as it will run.
type Scenario struct {
	File      *File
	Statement *syntax.Statement
	// Title is the title as written, with names in it.
	Title *syntax.Node
	Tags  []string
	// Head are the statements before the first step, Steps the steps and
	// routine calls, Afterwards those that run whatever happened before.
	Head, Steps, Afterwards []*syntax.Statement
	// Cases are the rows of `for each case`, nil without one; CaseNames are the
	// names that they bind.
	Cases     *Cases
	CaseNames []string
	// Exclusive marks a scenario that never runs beside others.
	Exclusive bool
	// Check is what the scenario proves of a resource, or nil.
	Check *syntax.Check
	// Once marks what runs once for all others: steps of `before all` and `after
	// all`, which nothing else runs around.
	Once bool
}

// Cases are the rows of a scenario: below it, or of a file.
type Cases struct {
	below  *syntax.Cases
	values []*value.Value
}

// Len is how many there are.
func (c *Cases) Len() int { return len(c.values) + c.below.Len() }

// At is one row: an object with names in it when it stands below the scenario, a
// value when it is in a file. The other is nil.
func (c *Cases) At(i int) (*syntax.Node, *value.Value) {
	if c.values != nil {
		return nil, c.values[i]
	}
	return c.below.Row(i).Body.(*syntax.Row).Value, nil
}

// Line is the line of the scenario's first word.
func (s *Scenario) Line() int { return s.File.Line(s.Statement) }

// Raw is the title as written in the file.
func (s *Scenario) Raw() string {
	if s.Title == nil {
		return ""
	}
	return s.Title.Template.Raw
}

// Scenarios are all scenarios to run, in file order.
func (p *Project) Scenarios() []*Scenario {
	var out []*Scenario
	for _, f := range p.Files {
		out = append(out, f.scenarios...)
	}
	return out
}

// Scenario is a scenario that is written while a run goes on, as if it stood in a
// file beside one of the project's that it uses.
func (p *Project) Scenario(from *File, name, text string) (*Scenario, error) {
	tree, diags := syntax.Parse(source.NewFile(name, text))
	if diags.Errors() > 0 {
		return nil, fmt.Errorf("line %d: %s", tree.Source.Position(diags[0].Span.Start).Line, diags[0].Message)
	}
	f := &File{File: tree, Path: from.Path, Uses: []*File{from}}
	(&loader{Project: p}).collect(f)
	if len(f.scenarios) == 0 {
		return nil, errors.New("the text holds no scenario")
	}
	return f.scenarios[0], nil
}

// collect makes the scenarios of a file.
func (p *loader) collect(f *File) {
	var last *Scenario
	for _, st := range f.Statements {
		switch b := st.Body.(type) {
		case *syntax.Scenario:
			last = &Scenario{File: f, Statement: st, Title: b.Title}
			p.head(last)
			f.scenarios = append(f.scenarios, last)
		case *syntax.Afterwards:
			if last == nil {
				p.say(f, st.Span, "`afterwards` belongs to the scenario before it, and there is none", "move it below a scenario")
				continue
			}
			last.Afterwards = append(last.Afterwards, st.Children...)
		}
	}
}

func (p *loader) head(s *Scenario) {
	effects := false
	for _, c := range s.Statement.Children {
		switch b := c.Body.(type) {
		case *syntax.Step, *syntax.Do:
			s.Steps = append(s.Steps, c)
			effects = effects || upsets(c)
			continue
		case *syntax.Tags:
			s.Tags = append(s.Tags, b.Tags...)
		case *syntax.Cases:
			s.Cases = p.rows(s, c, b)
		case *syntax.Check:
			s.Check = b
		case *syntax.Alone:
			s.Exclusive = true
		}
		s.Head = append(s.Head, c)
	}
	// The effects of derived checks are judged on what the others do not explain.
	s.Exclusive = s.Exclusive || p.alone(s.File) || effects && s.Check == nil || slices.ContainsFunc(s.Statement.Children, restarts)
}

// alone tells whether nothing of a file runs beside anything else: the file says so,
// the one that it is derived from, or the project.
func (p *loader) alone(f *File) bool {
	files := append([]*File{f, p.Config}, f.Uses...)
	return slices.ContainsFunc(files, func(one *File) bool {
		return one != nil && (one == p.Config || one.Path == f.Path) && p.saysAlone(one)
	})
}

func (p *loader) saysAlone(f *File) bool {
	says, known := p.lonely[f]
	if !known {
		if p.lonely == nil {
			p.lonely = map[*File]bool{}
		}
		says = slices.ContainsFunc(f.Statements, syntax.Is[*syntax.Alone])
		p.lonely[f] = says
	}
	return says
}

// restarts tells whether a step stops the service.
func restarts(st *syntax.Statement) bool {
	switch st.Body.(type) {
	case *syntax.Restart, *syntax.Kill:
		return true
	}
	return slices.ContainsFunc(st.Children, restarts)
}

// upsets tells whether a step must not run beside other scenarios: one with an
// effect expectation, or that restarts the service.
func upsets(st *syntax.Statement) bool {
	switch b := st.Body.(type) {
	case *syntax.Restart, *syntax.Kill:
		return true
	case syntax.Claiming:
		if k := b.Claimed().Subject.Kind; k == "observation" || k == "state" {
			return true
		}
	}
	return slices.ContainsFunc(st.Children, upsets)
}

// rows reads the cases of a scenario.
func (p *loader) rows(s *Scenario, st *syntax.Statement, c *syntax.Cases) *Cases {
	rows := &Cases{below: c}
	if c.In != nil {
		name, ok := c.In.Template.Plain()
		if !ok {
			return rows
		}
		if c.Len() > 0 {
			p.say(s.File, c.Row(0).Span, "the rows are in the file already", "write the rows here or name a file, not both")
		}
		data, err := p.ReadFile(s.File, name)
		if err != nil {
			p.say(s.File, c.In.Span, "the rows cannot be read: "+err.Error(), "the name is relative to this file")
			return rows
		}
		values, err := parseRows(name, string(data))
		rows.values = values
		for _, v := range values {
			for _, n := range v.Names {
				s.bindsCase(n)
			}
		}
		if err != nil {
			p.say(s.File, c.In.Span, name+": "+err.Error(), "")
		} else if len(values) == 0 {
			p.say(s.File, c.In.Span, name+" holds no rows", "")
		}
		return rows
	}
	if c.Len() == 0 && !p.mistaken(s.File, st.Span) {
		p.say(s.File, st.Span, "`for each case` has no rows", `write objects below it, one per line: { "name": "value" }`)
	}
	var first *syntax.Node
	for r := range st.All() {
		n := r.Body.(*syntax.Row).Value
		if n == nil || n.Kind != syntax.Object {
			p.say(s.File, r.Span, "a row is an object", `write { "name": "value" }`)
			continue
		}
		if first == nil {
			first = n
		} else if lack := lacking(first, n); lack != "" {
			p.say(s.File, r.Span, "this row has no member "+value.Quoted(lack)+", and the first row has", "all rows have the same members; null says that there is nothing")
		}
		for _, f := range n.Fields {
			if key, plain := f.Key.Template.Plain(); plain {
				s.bindsCase(key)
			}
		}
	}
	return rows
}

// bindsCase notes a name that a row binds.
func (s *Scenario) bindsCase(name string) {
	if !slices.Contains(s.CaseNames, name) {
		s.CaseNames = append(s.CaseNames, name)
	}
}

// lacking is a member of a that b has not.
func lacking(a, b *syntax.Node) string {
	have := map[string]bool{}
	for _, f := range b.Fields {
		have[f.Key.Template.Raw] = true
	}
	for _, f := range a.Fields {
		if !have[f.Key.Template.Raw] {
			return f.Key.Template.Raw
		}
	}
	return ""
}

// parseRows reads a JSON array of objects, or CSV (RFC 4180) with a header row.
// Cells that read as JSON numbers, true, false or null are these; quotes in a
// cell's text, as in "\"007\"", keep it text.
func parseRows(name, text string) ([]*value.Value, error) {
	if strings.HasSuffix(strings.ToLower(name), ".csv") {
		return csvRows(strings.TrimPrefix(text, "\ufeff"))
	}
	v, err := value.Decode(text, value.Limits{})
	if err != nil {
		return nil, err
	}
	if v.Kind != value.Array {
		return nil, fmt.Errorf("expected an array of rows, found %s", value.Cut(v.String(), 60))
	}
	for i, row := range v.Items {
		if row.Kind != value.Object {
			return nil, fmt.Errorf("row %d is not an object but %s", i+1, value.Cut(row.String(), 60))
		}
		for _, n := range v.Items[0].Names {
			if _, ok := row.Get(n); !ok {
				return nil, fmt.Errorf("row %d has no member %s, and the first row has", i+1, value.Quoted(n))
			}
		}
	}
	return v.Items, nil
}

// Bounds of a table.
const (
	mostColumns = 1_000
	mostCells   = 1_000_000
)

func csvRows(text string) ([]*value.Value, error) {
	r := csv.NewReader(strings.NewReader(text))
	r.TrimLeadingSpace = true
	head, err := r.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if len(head) > mostColumns {
		return nil, fmt.Errorf("it has %d columns, and at most %d are read", len(head), mostColumns)
	}
	for i, h := range head {
		head[i] = strings.TrimSpace(h)
		if !syntax.IsName(head[i]) {
			return nil, fmt.Errorf("column %d is called %q, which is not a name: letters, digits and `_`", i+1, h)
		}
		for _, other := range head[:i] {
			if other == head[i] {
				return nil, fmt.Errorf("two columns are called %q", other)
			}
		}
	}
	var out []*value.Value
	for {
		if len(out)*len(head) > mostCells {
			return nil, fmt.Errorf("it has more than %d cells: part it", mostCells)
		}
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if errors.Is(err, csv.ErrFieldCount) {
			line, _ := r.FieldPos(0)
			return nil, fmt.Errorf("line %d has %d cells, the head has %d", line, len(cells), len(head))
		}
		if err != nil {
			return nil, err
		}
		row := value.NewObject()
		for i, c := range cells {
			row.Add(head[i], cell(c))
		}
		out = append(out, row)
	}
}

func cell(text string) *value.Value {
	if v, err := value.Decode(text, value.Limits{}); err == nil {
		return v
	}
	return value.NewString(text)
}

// CredentialHeaders are the headers of the services' own that `auth header` lines
// of the project send.
func (p *Project) CredentialHeaders() []string {
	var out []string
	for _, f := range p.loaded {
		for _, st := range f.Statements {
			for _, inner := range flatten(st) {
				if a, is := inner.Body.(*syntax.Auth); is && a.Field() != "" {
					out = append(out, a.Field())
				}
			}
		}
	}
	return out
}
