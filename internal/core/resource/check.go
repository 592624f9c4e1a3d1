package resource

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
	// Requires tells what a resource lacks for the check, "" for nothing: it is not applicable for
	// that reason.
	Requires requirement
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

// Scene begins an empty one.
func (r *Resource) Scene() *Scene {
	return &Scene{Resource: r, check: &Check{}, level: "must"}
}

// Scene writes a way through items of a resource as a scenario, as text of the language: that of a
// derived check, or one of the caller's.
type Scene struct {
	*Resource
	// All binds names too that no step uses.
	All   bool
	check *Check
	level string
	// of tells items of another origin apart, in the title.
	of string
	// head are lines for the scenario's head.
	head []string
	// observes come before the steps, and so do the lets; after is the clean-up.
	observes    []string
	lets        []binding
	body, after []step
	strays      int
	// watched is set once the list, or an item, is observed.
	watched bool
	// sentOnly has observations look at members that were sent.
	sentOnly bool
	// had is set once there is an item to start from.
	had bool
	// revisions counts the reads of revisions.
	revisions int
	// left are the items that are cleaned up already.
	left []string
	// tried is the title of the last attempt, whose item is still to be removed.
	tried string
	// pending are lines for the start of the next step: names that need what an
	// earlier step keeps.
	pending []line
}
