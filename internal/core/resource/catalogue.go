package resource

import (
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
)

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
