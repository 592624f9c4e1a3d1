package syntax

// Use is `use "F"`.
type Use struct{ Path *Node }

var _ = form(Form{Word: "use", In: InFile, Usage: `use "FILE"`, Help: "Brings the names, routines and resources of another file.",
	Example: `use "other.upath"`}, func() Body { return &Use{} })

func (b *Use) read(p *parser)  { b.Path = p.plainString("a file name", `use "common.upath"`) }
func (b *Use) print(l *layout) { l.node(b.Path) }
func (b *Use) walk(walker)     {}

// Base is `base URL`.
type Base struct{ URL *Template }

var _ = form(Form{Word: "base", In: InFile | InEnvironment, Usage: "base URL", Help: "What paths are relative to.",
	Example: "base http://127.0.0.1:8080"}, func() Body { return &Base{} })

func (b *Base) read(p *parser)  { b.URL = p.needLine("a URL", "base http://127.0.0.1:8080") }
func (b *Base) print(l *layout) { l.template(b.URL) }
func (b *Base) walk(w walker)   { w.template(b.URL) }

// Scenario is `scenario "title"`.
type Scenario struct{ Heading }

var _ = form(Form{Word: "scenario", In: InFile, Below: InHead, Apart: true, Usage: `scenario "TITLE"`, Help: "Starts a scenario: steps that run in order.",
	Example: `scenario "title"`}, func() Body { return &Scenario{} })

func (b *Scenario) read(p *parser) { b.Title = p.title("scenario") }

// Afterwards is `afterwards`.
type Afterwards struct{ nothing }

var _ = form(Form{Word: "afterwards", In: InFile, Below: InRoutine, Apart: true, Usage: "afterwards", Help: "Holds steps of the scenario before it that run whatever happened.",
	Example: "afterwards"}, func() Body { return &Afterwards{} })

// Before is `before each`, or `before all "TITLE" every D`; After is `after
// each` or `after all`.
type (
	Before struct {
		each
		Title *Node
		Every Duration
	}
	After struct{ each }
)

var (
	_ = form(Form{Word: "before", In: InFile, Below: InRoutine, Apart: true, Usage: `before each, or before all "TITLE" [every DURATION]`, Help: "Holds steps that run before those of every scenario; with `all` once in a run, when a name that they keep is first needed, and again once its value is older than the duration.",
		Example: "before each"}, func() Body { return &Before{each: each{word: "before"}} })
	_ = form(Form{Word: "after", In: InFile, Below: InRoutine, Apart: true, Usage: "after each, or after all", Help: "Holds steps that run after those of every scenario, or at the end of the run, whatever happened.",
		Example: "after each"}, func() Body { return &After{each{word: "after"}} })
)

// each is `each` or `all`.
type each struct {
	word string
	All  bool
}

func (b *each) read(p *parser) {
	if b.All = p.takeWord("all"); !b.All {
		form := b.word + ` each, or before all "sign in" for once in a run`
		if b.word == "after" {
			form = "afterwards for this scenario, or after each for all"
		}
		p.needWord("each", form)
	}
}

func (b *each) print(l *layout) {
	if b.All {
		l.write("all")
		return
	}
	l.write("each")
}

func (b *each) walk(walker) {}

func (b *Before) read(p *parser) {
	if b.each.read(p); p.failed || !b.All {
		return
	}
	b.Title = p.plainString("what is done", `before all "sign in"`)
	if !p.failed && p.takeWord("every") {
		b.Every = p.duration(`before all "sign in" every 10m`)
	}
}

func (b *Before) print(l *layout) {
	b.each.print(l)
	if !b.All {
		return
	}
	l.node(b.Title)
	if b.Every.Raw != "" {
		l.write("every", b.Every.Raw)
	}
}

func (b *Before) heading() *Node { return b.Title }

// Routine is `routine "title" takes n, m`.
type Routine struct {
	Heading
	Takes []NameAt
}

var _ = form(Form{Word: "routine", In: InFile, Below: InRoutine, Apart: true, Usage: `routine "TITLE" [takes NAME, …]`, Help: "Holds steps that `do` runs in place.",
	Example: `routine "title" takes name`}, func() Body { return &Routine{} })

func (b *Routine) read(p *parser) {
	b.Title = p.title("routine")
	if !p.failed && p.takeWord("takes") {
		b.Takes = p.names("a name")
	}
}

func (b *Routine) print(l *layout) {
	l.node(b.Title)
	if len(b.Takes) > 0 {
		l.write("takes")
		l.names(b.Takes)
	}
}

func (b *Routine) walk(walker) {}

// ProjectName is `project NAME`.
type ProjectName struct{ Named }

var _ = form(Form{Word: "project", In: InFile, Usage: "project NAME", Help: "Names the project, in project.upath.",
	Example: "project name"}, func() Body { return &ProjectName{} })

// Defaults is `defaults`.
type Defaults struct{ nothing }

var _ = form(Form{Word: "defaults", In: InFile, Below: InDefaults, Apart: true, Aligned: true, Usage: "defaults", Help: "Holds what all requests of the project have in common.",
	Example: "defaults"}, func() Body { return &Defaults{} })

// Environment is `environment NAME`.
// Default marks the one that is used when none is chosen.
type Environment struct {
	Name    string
	Default bool
}

var _ = form(Form{Word: "environment", In: InFile, Below: InEnvironment, Apart: true, Aligned: true, Usage: "environment NAME [default]", Help: "Holds the settings of one environment; --env or USUALPATH_ENV chooses it, and `default` makes it the one without.",
	Example: "environment name"}, func() Body { return &Environment{} })

func (b *Environment) read(p *parser) {
	if b.Name, _ = p.name("a name"); !p.failed {
		b.Default = p.takeWord("default")
	}
}

func (b *Environment) print(l *layout) {
	l.write(b.Name)
	if b.Default {
		l.write("default")
	}
}

func (b *Environment) walk(walker) {}

// Service is `service NAME`.
type Service struct{ Named }

var _ = form(Form{Word: "service", In: InFile, Below: InService, Apart: true, Aligned: true, Usage: "service NAME", Help: "The service under test, which a run starts when no base URL is known otherwise.",
	Example: "service name"}, func() Body { return &Service{} })

// Resource is `resource NAME`.
type Resource struct{ Named }

var _ = form(Form{Word: "resource", In: InFile, Below: InResource, Apart: true, Aligned: true, Usage: "resource NAME", Help: "States the meaning of a collection; the derived checks follow from it.",
	Example: "resource boats"}, func() Body { return &Resource{} })
