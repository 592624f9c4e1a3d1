package draft

import (
	"slices"
	"strings"

	"usualpath/internal/contract"
	"usualpath/internal/core/event"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Suite is a project drafted from a document.
type Suite struct {
	// Files are the texts by name.
	Files map[string]string
	// Names are the files, in order.
	Names []string
	// Pictures are files that bodies are made of.
	Pictures map[string]string
	// Project are lines for the project file: secrets, credentials, what signs in.
	Project Credits
	// Drafted are the operations that were drafted, as "METHOD path".
	Drafted []string
	// Resources and Scenarios count what was drafted.
	Resources, Scenarios int
	notes                notes
	names                map[string]bool
	placed               map[*collection]string
	security             security
	sheets               map[string]*sheet
	// mute is set while something is described that is not drafted.
	mute bool
}

// sheet is a file that is being drafted: its statements, each by itself, so that one
// that does not hold can be left out.
type sheet struct {
	parts []part
	// unguarded counts the steps that need the name of that kind; secret is set when one sends
	// credentials, which the file then has itself.
	unguarded int
	secret    bool
	// uses are files whose resources are used, of the suite it is of.
	uses    []string
	of      *Suite
	credits Credits
	// lets bind the names of parameters that nothing stands for, by name.
	lets map[string]string
}

// part is a statement with what belongs to it: a scenario with its afterwards, or a
// resource.
type part struct {
	title, text string
	operations  []string
}

// Choice is what of a document is drafted; all of it when it is empty.
type Choice struct {
	// Tags, Paths and Operations choose by tag, by the beginning of the path, and by
	// operationId or "METHOD path".
	Tags, Paths, Operations []string
	// Known are operations that were drafted before, as "METHOD path".
	Known []string
	// Allowed tells whether a host may be asked for a token; nil for none.
	Allowed func(host string) bool
}

// Takes tells whether an operation is chosen.
func (c *Choice) Takes(op *contract.Operation) bool {
	if slices.Contains(c.Known, op.Title()) {
		return false
	}
	if len(c.Tags)+len(c.Paths)+len(c.Operations) == 0 {
		return true
	}
	for _, t := range c.Tags {
		if slices.ContainsFunc(op.Spec.Tags, func(have string) bool { return strings.EqualFold(have, t) }) {
			return true
		}
	}
	for _, p := range c.Paths {
		p = "/" + strings.Trim(p, "/")
		if op.Path == p || strings.HasPrefix(op.Path, strings.TrimSuffix(p, "/")+"/") {
			return true
		}
	}
	return slices.ContainsFunc(c.Operations, func(o string) bool {
		return o == op.Spec.OperationID || strings.EqualFold(strings.Join(strings.Fields(o), " "), op.Title())
	})
}

// FromOpenAPI drafts resources and scenarios for the chosen operations of a document.
func FromOpenAPI(d *contract.Document, c Choice) *Suite {
	s := &Suite{Files: map[string]string{}, names: map[string]bool{}, sheets: map[string]*sheet{}, placed: map[*collection]string{}, security: securityOf(d)}
	groups := collections(d)
	chosen := func(g *collection) bool {
		for _, op := range g.ops {
			if c.Takes(op) {
				return true
			}
		}
		return false
	}
	told := map[*collection]bool{}
	for _, g := range groups {
		for up := g; up != nil && chosen(g); up = up.parent {
			told[up] = true
		}
	}
	for _, g := range groups {
		// What was drafted before has its name.
		s.mute = !told[g] && !g.before(c.Known)
		s.describe(g)
	}
	s.mute = false
	wanted := map[*collection]bool{}
	for _, g := range groups {
		for up := g; up != nil && g.stands() && chosen(g); up = up.parent {
			wanted[up] = true
		}
	}
	taken := map[*contract.Operation]bool{}
	for _, g := range groups {
		if !g.stands() {
			continue
		}
		if wanted[g] && !g.known(c.Known) {
			s.group(g)
		}
		for _, op := range g.drafted() {
			taken[op] = true
		}
	}
	for _, op := range d.Operations {
		if !taken[op] && c.Takes(op) {
			s.lone(groups, op)
		}
	}
	s.Project = s.credits(c.Allowed)
	if !s.security.always {
		// Only some operations ask for credentials: the others run without.
		for _, t := range s.sheets {
			t.credits = s.Project
		}
		s.Project = Credits{}
	}
	s.finish()
	return s
}

// before tells whether an operation of a collection was drafted before.
func (g *collection) before(known []string) bool {
	for _, op := range g.ops {
		if slices.Contains(known, op.Title()) {
			return true
		}
	}
	return false
}

// known tells whether all operations of a collection were drafted before.
func (g *collection) known(list []string) bool {
	for _, op := range g.drafted() {
		if !slices.Contains(list, op.Title()) {
			return false
		}
	}
	return true
}

// group drafts what an item's life is, and the resource.
func (s *Suite) group(g *collection) {
	name := s.place(g)
	var ops []string
	for _, op := range g.drafted() {
		ops = append(ops, op.Title())
	}
	if pre, ends, ok := s.parents(g.parent); ok {
		if life := g.scene().Life(pre, g.told); strings.TrimSpace(life) != "" {
			if ends != "" && !strings.Contains(life, "\nafterwards\n") {
				life += "\nafterwards\n"
			}
			s.add(name, part{"the usual path of " + g.Name, life + ends, ops})
			s.Scenarios++
		}
	}
	s.add(name, part{"resource " + g.Name, g.Text(), ops})
	s.Resources++
	s.bind(name, g)
}

// bind puts names into a file for the parameters of a collection's path that no other
// collection stands for.
func (s *Suite) bind(file string, g *collection) {
	root := g.root()
	parts := strings.Split(root.path, "/")
	for i := range parts {
		name, t := root.free[i], s.sheet(file)
		if name == "" || t.lets[name] != "" || t.inherits(func(up *sheet) bool { return up.lets[name] != "" }) {
			continue
		}
		text, certain := syntax.Quoted(strings.ReplaceAll(name, "_", "-")), false
		for _, p := range root.first().Params {
			if p.Value != nil && p.Value.In == "path" && "{"+p.Value.Name+"}" == parts[i] {
				if v, sure := s.valueOf(root.first(), p.Value); v != nil && v.Kind != value.Null {
					text, certain = Body(v), sure
				}
			}
		}
		line := "let " + name + " = " + text + "\n"
		if !certain {
			line = "# It is a guess: nothing shows which one exists.\n" + line
			s.left(must, "guesses, to be set to what exists before a run", "let "+name+" in "+file)
		}
		if t.lets == nil {
			t.lets = map[string]string{}
		}
		t.lets[name] = line
	}
}

// place is the file of a collection: that of its tag, which then uses the file of what it
// is under, unless that one uses it already.
func (s *Suite) place(g *collection) string {
	if s.placed[g] != "" {
		return s.placed[g]
	}
	name := fileName(g.first(), g.root().Name)
	if g.parent != nil {
		up := s.place(g.parent)
		if up != name && s.uses(up, name) {
			name = up
		}
		if up != name {
			t := s.sheet(name)
			if !slices.Contains(t.uses, up) {
				t.uses = append(t.uses, up)
			}
		}
	}
	s.placed[g] = name
	return name
}

// uses tells whether a file uses another one, directly or through others.
func (s *Suite) uses(from, to string) bool {
	t := s.sheets[from]
	return from == to || t != nil && slices.ContainsFunc(t.uses, func(u string) bool { return s.uses(u, to) })
}

func (s *Suite) sheet(name string) *sheet {
	t := s.sheets[name]
	if t == nil {
		t = &sheet{of: s}
		s.sheets[name] = t
		s.Names = append(s.Names, name)
	}
	return t
}

// add puts a statement into a file.
func (s *Suite) add(file string, p part) {
	t := s.sheet(file)
	t.parts = append(t.parts, p)
	t.secret = t.secret || usesSecret(p.text)
	t.unguarded += strings.Count(p.text, OnlyUnguarded)
	for _, op := range p.operations {
		if !slices.Contains(s.Drafted, op) {
			s.Drafted = append(s.Drafted, op)
		}
	}
}

// finish lays the files out.
func (s *Suite) finish() {
	for _, n := range s.Names {
		s.Files[n] = s.sheets[n].laid()
	}
}

// unguardedName is the name that lets requests be sent which may change what a run
// did not make.
const unguardedName = "unguarded"

// OnlyUnguarded leaves a step out that may change what a run did not make, unless it was said
// that it may be sent.
const OnlyUnguarded = "when {" + unguardedName + "} is true"

// Unguarded says at the top of a draft how many steps there are of that kind.
func Unguarded(n int) string {
	return "# Left out unless --let " + unguardedName + "=true: " + event.Count(n, "step") + " that may change what a run did not make.\nlet " + unguardedName + " = false\n\n"
}

func (t *sheet) laid() string {
	var laid []string
	for _, p := range t.parts {
		laid = append(laid, p.laid())
	}
	return t.head() + strings.Join(laid, "\n")
}

// head is what stands before the statements of a file.
func (t *sheet) head() string {
	var b strings.Builder
	has := func(what func(*sheet) bool) bool { return what(t) && !t.inherits(what) }
	for _, u := range t.uses {
		b.WriteString("use " + syntax.Quoted(u) + "\n\n")
	}
	if has(func(t *sheet) bool { return t.unguarded > 0 }) {
		b.WriteString(Unguarded(t.unguarded))
	}
	for _, name := range sortedKeys(t.lets) {
		b.WriteString(t.lets[name])
	}
	if len(t.lets) > 0 {
		b.WriteString("\n")
	}
	if has(func(t *sheet) bool { return t.secret }) && len(t.credits.Secrets) > 0 {
		b.WriteString(strings.Join(t.credits.Secrets, "\n") + "\n\n")
		if t.credits.Before != "" {
			b.WriteString(strings.Trim(Canonical(t.credits.Before), "\n") + "\n\n")
		}
	}
	return b.String()
}

// fileName is the file of an operation: that of its first tag, or another one.
func fileName(op *contract.Operation, otherwise string) string {
	name := otherwise
	if op != nil && len(op.Spec.Tags) > 0 {
		name = Name(op.Spec.Tags[0], otherwise)
	}
	if name == "project" {
		name = "project_"
	}
	return name + ".upath"
}

// inherits tells whether a file that this one uses has something already.
func (t *sheet) inherits(what func(*sheet) bool) bool {
	return slices.ContainsFunc(t.uses, func(u string) bool {
		up := t.of.sheets[u]
		return what(up) || up.inherits(what)
	})
}

// usesSecret tells whether a statement names credentials.
func usesSecret(text string) bool {
	return slices.ContainsFunc([]string{"{token}", "{api_key}", "{password}"}, func(n string) bool { return strings.Contains(text, n) })
}
