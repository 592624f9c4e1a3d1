package resource

import (
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
)

// Check is one entry of the catalogue.
type Check struct {
	Family, Name string
	// Level is must, should or usual.
	Level string
	// On is the operation it is about; None for the one that makes items.
	On Operation
	// Proves says what holds; Source names the standard; Cause is the usual one
	// on the server, Mend the usual mend.
	Proves, Source, Cause, Mend string
	// Without tells why a resource has nothing to be checked, "" when it has.
	Without func(r *Resource) string
	// Causes are the checks whose failure explains that of this one: told once,
	// under the cause.
	Causes []string
	// Anyway marks one that is judged although nothing tells which item a create
	// has made.
	Anyway bool
	// Alone marks one that looks at what other scenarios may move: which identity
	// comes next.
	Alone bool
	// Write writes the scenario.
	Write func(s *Scene)
	// Softer writes a second scenario of a lower level, where a part of the
	// check is weaker than the rest.
	Softer      func(s *Scene)
	SofterLevel string
}

// ID is family/name.
func (c *Check) ID() string { return c.Family + "/" + c.Name }

// Because is what is proved, with its source.
func (c *Check) Because() string {
	if c.Source == "" {
		return c.Proves
	}
	return c.Proves + " (" + c.Source + ")"
}

// Operation is the row of the promise grid.
func (c *Check) Operation(r *Resource) Operation {
	switch {
	case c.On != None && !(c.On == Create && r.ByName()):
		return c.On
	case r.ByName():
		return Replace
	case r.Supports(Create):
		return Create
	}
	return List
}

// families in the order in which they are run and shown.
var families = []struct {
	name string
	// column is its head in the promise grid, "" for no place there.
	column string
	says   string
	checks func() []Check
}{
	{"setup", "", "whether the examples of the resource are taken at all", setupChecks},
	{"lifecycle", "lifecycle", "what create, list, read, replace, amend and delete mean", lifecycleChecks},
	{"repeat", "repeat", "idempotency and safety, judged by effect", repeatChecks},
	{"names", "names", "identities that are easily taken for another, or for none", nameChecks},
	{"absence", "absence", "what is not there", absenceChecks},
	{"method", "method", "what the resource does not do", methodChecks},
	{"input", "input", "what must be refused, and refused whole", inputChecks},
	{"limits", "limits", "what is just inside and just outside of what a body may hold, where the resource says what it takes", limitChecks},
	{"representation", "represent", "answers that a program can use", representationChecks},
	{"precondition", "precond", "entity tags, where the service sends them", preconditionChecks},
	{"access", "access", "credentials, where they are declared", accessChecks},
	{"race", "race", "requests at the same time", raceChecks},
	{"durability", "durable", "what is there after a restart, where the run starts the service", durabilityChecks},
}

// Families are the names of the families, in order, with what they are about.
func Families() (names []string, says map[string]string) {
	says = map[string]string{}
	for _, f := range families {
		names = append(names, f.name)
		says[f.name] = f.says
	}
	return names, says
}

// catalogue is put together when it is first wanted.
var catalogue = sync.OnceValue(func() []Check {
	var out []Check
	for _, f := range families {
		for _, c := range f.checks() {
			c.Family = f.name
			// A race needs the service for itself: what runs beside it slows what races.
			c.Alone = c.Alone || f.name == "race"
			if c.Level == "" {
				c.Level = "must"
			}
			out = append(out, c)
		}
	}
	return out
})

// Describe fills in what the catalogue knows of a check: its causes, and its
// place in the promise grid.
func Describe(c *event.Check) {
	known := Find(c.ID)
	if known == nil {
		return
	}
	c.Causes, c.Anyway = known.Causes, known.Anyway
	for i, f := range families {
		if f.name == known.Family {
			c.Column, c.ColumnAt = f.column, i
		}
	}
	c.RowAt = int(operationOf(c.Operation)) - 1
}

// Catalogue is all checks, in order.
func Catalogue() []Check { return slices.Clone(catalogue()) }

// Find is a check by its id, or by its name alone where that is enough.
func Find(id string) *Check {
	for i := range catalogue() {
		if c := &catalogue()[i]; c.ID() == id || c.Name == id {
			return c
		}
	}
	return nil
}

// Known tells whether an id is a check's.
func Known(id string) bool { return strings.Contains(id, "/") && Find(id) != nil }

// IDs are the ids of all checks.
func IDs() []string {
	var out []string
	for i := range catalogue() {
		out = append(out, catalogue()[i].ID())
	}
	return out
}

// needs joins reasons why a check has nothing to look at.
func needs(list ...func(r *Resource) string) func(r *Resource) string {
	return func(r *Resource) string {
		for _, one := range list {
			if why := one(r); why != "" {
				return why
			}
		}
		return ""
	}
}

func makes(r *Resource) string {
	if r.Creates() {
		return ""
	}
	return "nothing can be made"
}

func can(list ...Operation) func(r *Resource) string {
	return func(r *Resource) string {
		for _, o := range list {
			if !r.Supports(o) {
				return "the resource does not support " + o.String()
			}
		}
		return ""
	}
}

func posts(r *Resource) string {
	if r.Make != nil && r.Supports(Create) && !r.ByName() {
		return ""
	}
	return "nothing is made by POST"
}

func chooses(r *Resource) string {
	if r.ByName() && r.Creates() {
		return ""
	}
	return "the service names its items itself"
}

func written(r *Resource) string {
	if r.Make != nil && len(r.Make.Fields) > 0 {
		return ""
	}
	return "`make` is not written out as an object"
}

func listed(r *Resource) string {
	if r.Supports(List) && r.By != "" && r.Header == "" {
		return ""
	}
	return "the items in the list cannot be told apart"
}

func named(r *Resource) string {
	if r.Identity != "" {
		return ""
	}
	return "the identity is not a member of the item"
}

func nested(r *Resource) string {
	if r.Under != nil {
		return ""
	}
	return "the collection is under no other"
}
