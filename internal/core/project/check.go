package project

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/mask"
	"usualpath/internal/core/schema"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// check says all that is wrong with the files taken together.
func (p *loader) check() {
	p.checkEnvironment()
	files := append([]*File(nil), p.Files...)
	if p.Config != nil {
		p.checkConfig()
	}
	for _, f := range files {
		p.collect(f)
		p.placement(f)
		p.titles(f)
		if len(f.scenarios) == 0 && !p.used(f) && !p.library(f) && !p.spoiled(f) {
			p.whole(f.Source.Name, "there is no scenario in this file", `write one: scenario "title"`)
		}
	}
	for _, f := range p.loaded {
		p.routines(f)
	}
	for _, f := range files {
		for _, s := range f.scenarios {
			p.scenario(s)
		}
		p.lintFile(f)
	}
	p.lintTitles()
}

func (p *loader) used(f *File) bool {
	for _, other := range p.loaded {
		for _, u := range other.Uses {
			if u == f {
				return true
			}
		}
	}
	return false
}

// library tells whether a file holds only what others use.
func (p *loader) library(f *File) bool {
	for _, st := range f.Statements {
		switch st.Body.(type) {
		case *syntax.Routine, *syntax.Resource:
			return true
		}
	}
	return false
}

// spoiled tells whether a file has mistakes already, which explain enough.
func (p *loader) spoiled(f *File) bool {
	for _, d := range p.Diagnostics {
		if d.File == f.Source {
			return true
		}
	}
	return false
}

// placement reports statements of the project's file in another file.
func (p *loader) placement(f *File) {
	for _, st := range f.Statements {
		switch st.Body.(type) {
		case *syntax.ProjectName, *syntax.Defaults, *syntax.Environment, *syntax.Service, *syntax.EnvFile:
			p.say(f, wordSpan(st), "`"+st.Word+"` is only allowed in "+ConfigName, "move it there")
		}
	}
}

func (p *loader) checkConfig() {
	names := map[string]bool{}
	once := func(st *syntax.Statement, what string) {
		if names[what] {
			p.say(p.Config, wordSpan(st), "a second "+what, "one is enough: join the two")
		}
		names[what] = true
	}
	for _, st := range p.Config.Statements {
		switch b := st.Body.(type) {
		case *syntax.Scenario, *syntax.Afterwards:
			p.say(p.Config, wordSpan(st), "scenarios are not allowed in "+ConfigName, "move it into a file of its own beside it")
		case *syntax.Environment:
			once(st, "environment "+b.Name)
		case *syntax.Service:
			p.service(st)
			once(st, "service")
		case *syntax.ProjectName:
			once(st, "project")
		}
	}
}

// service checks the names in a service's lines: {port} and {folder} only.
func (p *loader) service(st *syntax.Statement) {
	start := false
	for _, c := range st.Children {
		_, command := c.Body.(*syntax.Start)
		start = start || command
		syntax.Walk(c, func(e *syntax.Expr) {
			if e.Op == 0 && e.Literal == nil && !e.Call && e.Name != "port" && e.Name != "folder" {
				p.say(p.Config, e.Span, "`"+e.Name+"` is not known to a service", "there are {port}, a free port, and {folder}, a fresh folder")
			}
		})
	}
	if !start {
		p.say(p.Config, st.Span, "this service has no command", `write start "./service --listen 127.0.0.1:{port}" below it`)
	}
}

func wordSpan(st *syntax.Statement) source.Span {
	return source.Span{Start: st.Span.Start, End: st.Span.Start + len(st.Word)}
}

func (p *loader) titles(f *File) {
	seen := map[string]*syntax.Statement{}
	for _, st := range f.Statements {
		title := syntax.TitleOf(st)
		if title == nil {
			continue
		}
		p.twice(f, seen, st.Word, title, st)
		if _, ok := st.Body.(*syntax.Scenario); !ok {
			continue
		}
		steps := map[string]*syntax.Statement{}
		for _, c := range st.Children {
			if t, ok := c.Body.(*syntax.Step); ok && t.Title != nil {
				p.twice(f, steps, "step", t.Title, c)
			}
		}
	}
}

func (p *loader) twice(f *File, seen map[string]*syntax.Statement, what string, title *syntax.Node, st *syntax.Statement) {
	key := what + " " + title.Template.Raw
	if first, ok := seen[key]; ok {
		p.say(f, title.Span, fmt.Sprintf("a second %s %q: the first is on line %d", what, title.Template.Raw,
			f.Source.Position(first.Span.Start).Line), "titles name one thing: change one of them")
		return
	}
	seen[key] = st
}

// binding is a name that is known.
type binding struct {
	span source.Span
	file *File
	word string
	used bool
}

// checker follows the names of one scenario or routine in the order in which
// they are bound.
type checker struct {
	p     *loader
	f     *File
	known map[string]*binding
	// later are names that a later step binds, with its title.
	later map[string]string
	// observed are the observations in scope, steps the titles so far.
	observed map[string]bool
	steps    map[string]bool
	allSteps []string
	// now is the step that is looked at.
	now string
	// repeats is how often each step so far is sent again, -1 where a name says.
	repeats map[string]int
	// ofResource is set for the lines of a resource.
	ofResource bool
}

func (p *loader) newChecker(f *File) *checker {
	c := &checker{p: p, f: f, known: map[string]*binding{}, later: map[string]string{}, observed: map[string]bool{}, steps: map[string]bool{}, repeats: map[string]int{}}
	for _, l := range p.Layers(f) {
		for _, st := range l.Statements {
			for _, b := range syntax.Bindings(st) {
				c.known[b.Name] = &binding{span: b.Span, file: l.File, word: st.Word, used: true}
			}
			if o, ok := st.Body.(*syntax.Observe); ok {
				c.observed[o.Name] = true
			}
		}
	}
	for n := range p.Let {
		if c.known[n] == nil {
			c.known[n] = &binding{file: f, word: "--let", used: true}
		}
	}
	for _, l := range p.Before(f) {
		c.bindAll(l)
	}
	for _, one := range p.Preludes(f) {
		c.bindAll(Layer{one.File, one.Steps})
	}
	return c
}

// bindAll makes the names known that steps bind, wherever they stand.
func (c *checker) bindAll(l Layer) {
	for _, st := range l.Statements {
		for _, inner := range flatten(st) {
			for _, b := range syntax.Bindings(inner) {
				c.known[b.Name] = &binding{span: b.Span, file: l.File, word: inner.Word, used: true}
			}
			if d, ok := inner.Body.(*syntax.Do); ok {
				c.gives(d)
			}
		}
	}
}

func (c *checker) gives(d *syntax.Do) {
	if r, f := c.p.Routine(c.f, syntax.TitleText(d.Title)); r != nil {
		for _, st := range r.Children {
			if g, ok := st.Body.(*syntax.Give); ok {
				for _, n := range g.Names {
					c.known[n.Name] = &binding{span: n.Span, file: f, word: "give", used: true}
				}
			}
		}
	}
}

// flatten is a statement and all below it, in order.
func flatten(st *syntax.Statement) []*syntax.Statement {
	return appendFlat(make([]*syntax.Statement, 0, 8), st)
}

func appendFlat(out []*syntax.Statement, st *syntax.Statement) []*syntax.Statement {
	out = append(out, st)
	for _, c := range st.Children {
		out = appendFlat(out, c)
	}
	return out
}

func (p *loader) scenario(s *Scenario) {
	c := p.newChecker(s.File)
	for _, st := range s.Head {
		if _, ok := st.Body.(*syntax.Cases); ok {
			for _, n := range s.CaseNames {
				c.known[n] = &binding{span: st.Span, file: s.File, word: "case", used: true}
			}
		}
	}
	if s.Title != nil {
		c.refs(s.Statement)
	}
	for _, st := range s.Head {
		if o, ok := st.Body.(*syntax.Observe); ok {
			c.observed[o.Name] = true
		}
	}
	flat := make([][]*syntax.Statement, len(s.Steps))
	for i, step := range s.Steps {
		flat[i] = flatten(step)
		for _, inner := range flat[i] {
			for _, b := range syntax.Bindings(inner) {
				if c.later[b.Name] == "" {
					c.later[b.Name] = syntax.StepTitle(step)
				}
			}
		}
		c.allSteps = append(c.allSteps, syntax.StepTitle(step))
	}
	for _, st := range s.Head {
		c.head(st, s.Head)
	}
	for i, step := range s.Steps {
		c.step(step, flat[i])
	}
	for _, step := range s.Afterwards {
		c.step(step, flatten(step))
	}
	for _, l := range p.After(s.File) {
		for _, st := range l.Statements {
			for _, inner := range flatten(st) {
				syntax.Walk(inner, func(e *syntax.Expr) { c.mark(e.Name) })
			}
		}
	}
	c.unused()
}

// head checks a scenario's line before its steps. An observation's path may
// hold names that are only kept later.
func (c *checker) head(st *syntax.Statement, all []*syntax.Statement) {
	switch st.Body.(type) {
	case *syntax.Observe, *syntax.Guard, *syntax.Header, *syntax.Auth, *syntax.Let, syntax.Claiming:
		// These are worked out when a step needs them.
		defer c.bind(st)
		saved := maps.Clone(c.later)
		for _, other := range all {
			for _, b := range syntax.Bindings(other) {
				saved[b.Name] = b.Name
			}
		}
		for n := range saved {
			if c.known[n] == nil {
				c.known[n] = &binding{file: c.f, word: "later", used: true, span: st.Span}
				defer delete(c.known, n)
			}
		}
		c.refs(st)
		return
	case *syntax.Cases:
		for r := range st.All() {
			c.refs(r)
		}
		return
	}
	c.refs(st)
	c.bind(st)
}

// step checks a step; flat is the step and all below it.
func (c *checker) step(st *syntax.Statement, flat []*syntax.Statement) {
	c.now = syntax.StepTitle(st)
	if d, ok := st.Body.(*syntax.Do); ok {
		c.refs(st)
		c.routineCall(st, d)
		c.gives(d)
		return
	}
	turning := slices.ContainsFunc(flat, func(inner *syntax.Statement) bool { _, ok := inner.Body.(*syntax.Together); return ok })
	for _, inner := range flat {
		if _, ok := inner.Body.(*syntax.Retry); ok && turning {
			c.p.say(c.f, inner.Span, "`retry` and `together` cannot be used in one step", "send the copies once, and let a step behind it retry until they show")
		}
	}
	if turning && c.known["turn"] == nil {
		c.known["turn"] = &binding{file: c.f, span: st.Span, word: "turn", used: true}
		defer delete(c.known, "turn")
	}
	for _, inner := range flat {
		c.refs(inner)
		c.files(inner)
		c.claims(inner)
		c.bind(inner)
	}
	c.steps[syntax.StepTitle(st)] = true
	c.repeats[syntax.StepTitle(st)] = repeatsOf(flat)
}

func (c *checker) bind(st *syntax.Statement) {
	for _, b := range syntax.Bindings(st) {
		used := false
		if old := c.known[b.Name]; old != nil && old.word == "keep" {
			used = old.used
		}
		c.known[b.Name] = &binding{span: b.Span, file: c.f, word: st.Word, used: used}
		delete(c.later, b.Name)
	}
}

func (c *checker) mark(name string) {
	if b := c.known[name]; b != nil {
		b.used = true
	}
}

// refs checks the names and calls in a statement.
func (c *checker) refs(st *syntax.Statement) {
	syntax.Walk(st, func(e *syntax.Expr) {
		switch {
		case e.Op != 0 || e.Literal != nil:
		case e.Call:
			message, form := scope.CheckCall(e)
			if message == "" {
				c.fileCall(e)
				return
			}
			hint := ""
			if form != "" {
				hint = "write {" + form + "}"
			} else if n := source.Nearest(e.Name, scope.Functions()); n != "" {
				hint = "did you mean " + n + "()?"
			} else {
				hint = "there are " + strings.Join(scope.Functions(), ", ")
			}
			c.p.say(c.f, e.Span, message, hint)
		case c.known[e.Name] != nil:
			c.mark(e.Name)
		case c.later[e.Name] != "" && c.later[e.Name] == c.now:
			hint := "move the line that keeps it above this one"
			if _, sends := st.Body.(syntax.Claiming); !sends {
				hint = "keep it in a step before this one: the request goes out before there is an answer"
			}
			c.p.say(c.f, e.Span, fmt.Sprintf("`%s` is used above the line that binds it", e.Name), hint)
		case c.later[e.Name] != "":
			c.p.say(c.f, e.Span, fmt.Sprintf("`%s` is used before step %q binds it", e.Name, c.later[e.Name]),
				"move that step up, or use another value here")
		default:
			if in := c.p.boundIn(e.Name); len(in) > 0 && c.p.environment() == nil {
				// Of one that is not there only that is told.
				if c.p.Environment == "" {
					c.p.say(c.f, e.Span, "`"+e.Name+"` is bound in environments only, and none is chosen", "choose one: --env "+strings.Join(in, ", --env "))
				}
				return
			}
			if c.p.maybeBound(c.f, e.Name, e.Span) {
				return
			}
			hint := c.hint(e.Name)
			if slices.Contains(scope.Functions(), e.Name) {
				hint = "a function has brackets: {" + e.Name + "()}"
			}
			c.p.say(c.f, e.Span, "`"+e.Name+"` is never bound", hint)
		}
	})
}

func (c *checker) hint(name string) string {
	var all []string
	for n := range c.known {
		all = append(all, n)
	}
	for n := range c.later {
		all = append(all, n)
	}
	slices.Sort(all)
	if n := source.Nearest(name, all); n != "" {
		return "did you mean {" + n + "}?"
	}
	if c.ofResource {
		return "for an item of another resource, write resource " + name + " before this one; else bind it: let " + name + " = …"
	}
	return "bind it: let " + name + " = …, or keep " + name + ` from $.id; for a literal brace write \{` + name + "}"
}

func (c *checker) fileCall(e *syntax.Expr) {
	if e.Name != "file" || e.Args[0].Literal == nil || e.Args[0].Literal.Template == nil {
		return
	}
	name, ok := e.Args[0].Literal.Template.Plain()
	if !ok {
		return
	}
	data, err := c.p.ReadFile(c.f, name)
	if err != nil {
		c.p.say(c.f, e.Span, "the file cannot be read: "+err.Error(), "the name is relative to this file")
		return
	}
	if len(name) > 5 && name[len(name)-5:] == ".json" {
		if _, err := value.Decode(string(data), value.Limits{}); err != nil {
			c.p.say(c.f, e.Span, name+" is not JSON: "+err.Error(), "")
		}
	}
}

// files checks that the files a step names are there and are what they should be.
func (c *checker) files(st *syntax.Statement) {
	need := func(n *syntax.Node) ([]byte, string) {
		if n == nil {
			return nil, ""
		}
		name, ok := n.Template.Plain()
		if !ok {
			return nil, ""
		}
		data, err := c.p.ReadFile(c.f, name)
		if err != nil {
			c.p.say(c.f, n.Span, "the file cannot be read: "+err.Error(), "the name is relative to this file")
			return nil, ""
		}
		return data, name
	}
	switch one := st.Body.(type) {
	case *syntax.FileBody:
		need(one.Value)
	case *syntax.PartOf:
		need(one.File)
	case syntax.Claiming:
		b := one.Claimed()
		if b.Predicate.Op == "fits schema" && len(b.Predicate.Values) == 1 {
			if data, name := need(b.Predicate.Values[0]); data != nil {
				if _, err := schema.Compile(name, string(data)); err != nil {
					c.p.say(c.f, b.Predicate.Values[0].Span, name+" is not a JSON Schema: "+err.Error(), "")
				}
			}
		}
		if src := b.Predicate.Source; src != nil && src.Kind == "file" {
			if data, name := need(src.Title); data != nil && b.Subject.Kind != "text" && (b.Subject.Kind != "body" || len(b.Predicate.Except) > 0) {
				if _, err := value.Decode(string(data), value.Limits{}); err != nil {
					c.p.say(c.f, src.Span, name+" is not JSON: "+err.Error(), "a file that is not JSON is compared whole: expect body same as file \"…\"")
				}
			}
		}
	}
}

// claims checks what expectations refer to: steps and observations.
func (c *checker) claims(st *syntax.Statement) {
	switch one := st.Body.(type) {
	case syntax.Claiming:
		b := one.Claimed()
		c.claim(b.Claim)
		if b.When != nil {
			c.claim(b.When.Claim)
			if b.When.Of != nil {
				c.stepKnown(b.When.Of)
			}
		}
	case *syntax.When:
		c.claim(one.Claim)
		if one.Of != nil {
			c.stepKnown(one.Of)
		} else if len(c.steps) == 0 && one.Claim.Subject.Kind != "name" {
			c.p.say(c.f, st.Span, "no step before this one has an answer", `name one: when status 200 of "step"`)
		}
	}
}

func (c *checker) claim(claim syntax.Claim) {
	c.times(claim)
	if src := claim.Predicate.Source; src != nil && src.Kind == "step" && src.Title != nil {
		c.stepKnown(src.Title)
		c.repeatKnown(src)
	}
	for _, o := range claim.Observations() {
		if c.observed[o.Name] {
			continue
		}
		var all []string
		for o := range c.observed {
			all = append(all, o)
		}
		slices.Sort(all)
		hint := "declare it: observe " + o.Name + " at /path by $.id"
		if n := source.Nearest(o.Name, all); n != "" {
			hint = "did you mean " + n + "?"
		}
		c.p.say(c.f, o.Span, "nothing called `"+o.Name+"` is observed", hint)
	}
	if claim.Subject.Kind == "state" && len(c.observed) == 0 {
		c.p.say(c.f, claim.Subject.Span, "nothing is observed, so there is no state to be unchanged", "declare it: observe boats at /boats by $.id")
	}
}

// times reports an order of texts where an order of times is meant, and times
// that are a number apart.
func (c *checker) times(claim syntax.Claim) {
	p := claim.Predicate
	if b := p.Within; b != nil && b.Number != nil && b.Number.Kind == syntax.Number && timely(b.Of) {
		c.p.say(c.f, b.Number.Span, "times are a duration apart, not a number", "say of what: "+b.Number.Text+"s, "+b.Number.Text+"m or "+b.Number.Text+"d")
	}
	form := map[string]string{"<": "before %s", "<=": "before %s", ">": "after %s", ">=": "after %s", "between": "two lines, after %s and before …"}[p.Op]
	if form != "" && timely(p.Values[0]) {
		c.p.say(c.f, p.Span, "`"+p.Op+"` compares these as texts, not as times", "write "+fmt.Sprintf(form, syntax.NodeText(p.Values[0])))
	}
}

// timely tells whether a value is a time or date as it is written, or one of the
// functions that give such.
func timely(n *syntax.Node) bool {
	called := func(e *syntax.Expr) bool {
		return e != nil && e.Call && (e.Name == "now" || e.Name == "today" || e.Name == "in_days")
	}
	switch {
	case n == nil:
		return false
	case n.Kind == syntax.Ref:
		return called(n.Expr)
	case n.Kind != syntax.String || len(n.Template.Parts) != 1:
		return false
	case called(n.Template.Parts[0].Expr):
		return true
	}
	text := n.Template.Parts[0].Text
	return shape.IsText("datetime", text) || shape.IsText("date", text)
}

// repeatKnown reports an answer after `again` that the step never has.
func (c *checker) repeatKnown(s *syntax.Source) {
	if s.Repeat == nil || s.Repeat.Kind != syntax.Number {
		return
	}
	title, _ := s.Title.Template.Plain()
	most, known := c.repeats[title]
	if n, err := strconv.Atoi(s.Repeat.Text); err == nil && known && most >= 0 && n > most {
		c.p.say(c.f, s.Span, fmt.Sprintf("step %q is repeated %s, so it has no repeat %d", title, times(most), n), "count what comes after `again` from 1")
	}
}

func times(n int) string {
	switch n {
	case 0:
		return "not at all"
	case 1:
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// repeatsOf is how often a step is sent again; -1 when a name says so.
func repeatsOf(flat []*syntax.Statement) int {
	all := 0
	for _, st := range flat {
		again, ok := st.Body.(*syntax.Again)
		switch {
		case !ok:
		case again.Times == nil:
			all++
		case again.Times.Kind != syntax.Number:
			return -1
		default:
			n, _ := strconv.Atoi(again.Times.Text)
			all += n
		}
	}
	return all
}

func (c *checker) stepKnown(n *syntax.Node) {
	title, ok := n.Template.Plain()
	if !ok {
		c.p.say(c.f, n.Span, "a step is named as it is written: names are not allowed here", "write the step's title")
		return
	}
	if c.steps[title] {
		return
	}
	hint := ""
	for _, s := range c.allSteps {
		if s == title {
			hint = "that step comes later; only earlier steps have an answer"
		}
	}
	if hint == "" {
		if near := source.Nearest(title, c.allSteps); near != "" {
			hint = fmt.Sprintf("did you mean %q?", near)
		} else {
			hint = "name an earlier step of this scenario"
		}
	}
	c.p.say(c.f, n.Span, fmt.Sprintf("no step %q comes before this one", title), hint)
}

func (c *checker) routineCall(st *syntax.Statement, d *syntax.Do) {
	if d.Title == nil {
		return
	}
	title := syntax.TitleText(d.Title)
	r, _ := c.p.Routine(c.f, title)
	if r == nil {
		hint := `write it: routine "` + title + `"`
		var all []string
		for _, l := range c.p.Layers(c.f) {
			for _, s := range l.Statements {
				if b, ok := s.Body.(*syntax.Routine); ok {
					all = append(all, syntax.TitleText(b.Title))
				}
			}
		}
		if n := source.Nearest(title, all); n != "" {
			hint = fmt.Sprintf("did you mean %q?", n)
		}
		c.p.say(c.f, d.Title.Span, fmt.Sprintf("there is no routine %q", title), hint)
		return
	}
	takes := map[string]bool{}
	for _, t := range r.Body.(*syntax.Routine).Takes {
		takes[t.Name] = true
	}
	for _, w := range d.With {
		if !takes[w.Name] {
			c.p.say(c.f, w.Span, fmt.Sprintf("routine %q takes no `%s`", title, w.Name), "")
		}
		delete(takes, w.Name)
	}
	var lack []string
	for t := range takes {
		lack = append(lack, t)
	}
	slices.Sort(lack)
	if len(lack) > 0 {
		c.p.say(c.f, st.Span, fmt.Sprintf("routine %q also takes %s", title, strings.Join(lack, ", ")),
			fmt.Sprintf("write do %q with %s = …", title, lack[0]))
	}
}

// routines checks the routines of a file by themselves.
func (p *loader) routines(f *File) {
	// One for all lines that stand by themselves: they bind nothing in it.
	var plain *checker
	for _, st := range f.Statements {
		switch b := st.Body.(type) {
		case *syntax.Resource:
			p.resourceNames(f, st)
		case *syntax.Routine:
			c := p.newChecker(f)
			for _, t := range b.Takes {
				c.known[t.Name] = &binding{span: t.Span, file: f, word: "takes", used: true}
			}
			for _, step := range st.Children {
				if g, ok := step.Body.(*syntax.Give); ok {
					for _, n := range g.Names {
						if c.known[n.Name] == nil {
							p.say(f, n.Span, "`"+n.Name+"` is never bound", "bind it in a step of this routine before it is given")
						}
					}
					continue
				}
				if d, ok := step.Body.(*syntax.Do); ok && syntax.TitleText(d.Title) == syntax.TitleText(b.Title) {
					p.say(f, step.Span, "a routine cannot call itself", "")
					continue
				}
				c.step(step, flatten(step))
			}
		case *syntax.Before:
			// Steps of `after each` may use whatever a scenario has kept.
			if one := p.preludes[st]; one != nil && len(one.Keeps) == 0 {
				p.warn(f, wordSpan(st), "this keeps nothing, so nothing needs it and it never runs", "keep a value in it, or write before each")
			}
			c := p.newChecker(f)
			for _, step := range st.Children {
				c.step(step, flatten(step))
			}
		case *syntax.Let, *syntax.Base:
			if plain == nil {
				plain = p.newChecker(f)
			}
			plain.refs(st)
		case *syntax.Secret:
			p.secretFile(f, b)
		}
	}
}

// resourceNames checks the names in a resource: beside the usual ones there are
// {turn}, {id} and the resource that it is under.
func (p *loader) resourceNames(f *File, st *syntax.Statement) {
	c := p.newChecker(f)
	c.ofResource = true
	for _, n := range []string{"turn", "id"} {
		c.known[n] = &binding{file: f, word: "resource", used: true}
	}
	for _, one := range f.Whole() {
		for _, other := range one.Statements {
			if n, ok := other.Body.(*syntax.Resource); ok {
				c.known[n.Name] = &binding{file: one, word: "resource", used: true}
			}
		}
	}
	for _, line := range st.Children {
		c.refs(line)
	}
}

// secretFile reports a secret's file that cannot be read; a variable of the
// environment is looked up when the run starts.
func (p *loader) secretFile(f *File, s *syntax.Secret) {
	if s.File == nil {
		return
	}
	name, _ := s.File.Template.Plain()
	data, err := p.ReadFile(f, name)
	switch n := utf8.RuneCountInString(strings.TrimRight(string(data), "\r\n")); {
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		p.say(f, s.File.Span, "the secret cannot be read: "+err.Error(), "the name is relative to this file")
	case err == nil && n < mask.Shortest:
		p.say(f, s.File.Span, fmt.Sprintf("this secret has fewer than %d characters, and cannot be hidden", mask.Shortest), "give the service a longer one, or bind it with `let`")
	case err == nil && n < mask.Free:
		p.warn(f, s.File.Span, fmt.Sprintf("this secret has fewer than %d characters: it is hidden only where it stands by itself", mask.Free), "give the service a longer one")
	}
}
