package runner

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"time"

	"usualpath/internal/contract"
	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/roam"
	"usualpath/internal/core/source"
)

// Config says what is run, and what is made of it.
type Config struct {
	// Project and Resources are what was read: see resource.Load.
	Project   *project.Project
	Resources []*resource.Resource
	// Engine are the choices of the engine; Service, Emit and Sending are set here.
	Engine engine.Options
	// Process is a service that is running already; nil for the project's own,
	// where one is needed.
	Process engine.Process
	// Against is the document that exchanges are held against, nil for none;
	// Coverage counts the operations of the resources in its place.
	Against *contract.Document
	// Least is the share of the document's operations that must be touched, from 0 to 1.
	Least    float64
	Coverage bool
	// Reports, Save and History are what is written beside the terminal's view.
	Reports []Report
	Save    string
	History bool
	// Annotations takes the lines that mark places in files; nil for none.
	Annotations *bytes.Buffer
	// Roam goes off the usual path once the scenarios have run, nil for not; alone,
	// without any scenario before it.
	Roam      *roam.Options
	RoamAlone bool
	// Remember keeps what failed beside the project; Failed runs only what is kept
	// so.
	Remember, Failed bool
}

// View is told of a run while it happens; every function may be nil.
type View struct {
	// Waiting is told what takes a while, and gives what ends that.
	Waiting func(what string) func()
	// Ready is told where the service listens that was started, and how long
	// that took.
	Ready func(base string, took time.Duration)
	// Begin is told how many scenarios will run, and what earlier runs say of
	// one that fails.
	Begin func(scenarios int, since func(file, pattern string) string)
	// Request is told of each request before it is sent.
	Request func(request string)
	// Event takes all events but the last.
	Event func(event.Event)
}

// Outcome is what became of a run.
type Outcome struct {
	Finished *event.RunFinished
	// Against is what was touched of the document or the resources; nil when
	// nobody asked.
	Against *event.Against
	// Roam is what came of roaming, nil for none.
	Roam *roam.Outcome
	// Flickering are scenarios that flip from run to run without a change.
	Flickering []string
	// Log is where the words of a service are kept that was started, when
	// something failed; "" for none.
	Log string
}

// Departs tells that some exchange is not as the document says, or that too little of
// it was touched.
func (o *Outcome) Departs() bool {
	return o.Against != nil && (len(o.Against.Failed()) > 0 || o.Against.Short())
}

// Failed tells that something failed or could not be judged.
func (o *Outcome) Failed() bool {
	c := o.Finished.Counts.Both()
	return c.Failed+c.Blocked > 0 || o.Departs()
}

// Run runs what was read. The error is a *Fault: of a run that did not begin,
// or, with an outcome, of reports that could not be written.
func Run(ctx context.Context, c Config, v View) (*Outcome, error) {
	p := c.Project
	last, err := c.failures()
	if err != nil {
		return nil, err
	}
	if c.RoamAlone {
		c.Engine.Select.Chosen = func(*project.Scenario) bool { return false }
	}
	unaddressed, err := c.ready()
	if err != nil {
		return nil, err
	}
	o := c.Engine
	if unset := p.Unset(o.Getenv); len(unset) > 0 {
		return nil, &Fault{Kind: Usage, Mistakes: unset}
	}
	o.Service, o.Describe = c.Process, resource.Describe
	out, coverage := &Outcome{}, c.coverage()
	if o.Service == nil && unaddressed {
		s, end, err := startService(ctx, p, v, o.Stop)
		if err != nil {
			return nil, err
		}
		defer func() { out.Log = end(out.Finished != nil && out.Failed()) }()
		o.Service = s
	}
	docs, err := openOutputs(&c)
	if err != nil {
		return nil, err
	}
	if v.Begin != nil {
		v.Begin(engine.Plan(p, o), docs.since())
	}
	o.Sending = v.Request
	if c.Roam != nil {
		o.Roam = func(d *engine.Drive) { out.Roam = roam.Roam(d, c.walked(), c.Roam) }
	}
	var emit func(e event.Event)
	emit = func(e event.Event) {
		if _, last := e.(*event.RunFinished); last && coverage != nil {
			out.Against = coverage.Against()
			emit(out.Against)
		}
		docs.event(e)
		if last != nil {
			last.event(e)
		}
		if coverage != nil {
			coverage.Event(e)
		}
		if _, last := e.(*event.RunFinished); !last && v.Event != nil {
			v.Event(e)
		}
	}
	o.Emit = emit
	out.Finished = engine.Run(ctx, p, o)
	if last != nil {
		last.keep()
	}
	err = docs.close()
	out.Flickering = docs.flickering()
	return out, err
}

// failures is what failed the last time, where that is asked for.
func (c *Config) failures() (*failures, error) {
	if !c.Remember || c.Project.Root == "" {
		return nil, nil
	}
	last, there, err := lastFailures(c.Project)
	switch {
	case c.Failed && err != nil:
		return nil, usage("--failed: "+last.at+" cannot be read: "+err.Error(), "run without --failed writes it anew")
	case c.Failed && !there:
		return nil, usage("nothing has failed here yet", "run without --failed")
	case c.Failed && len(last.failed) == 0:
		return nil, usage("nothing failed the last time", "run without --failed")
	case c.Failed:
		c.Engine.Select.Chosen = last.chosen
	}
	return last, nil
}

// ready tells what keeps a run from beginning; unaddressed that some path is
// relative to nothing but the project's own service.
func (c *Config) ready() (unaddressed bool, err error) {
	p := c.Project
	list := p.Diagnostics
	if list.Errors() == 0 && c.Engine.Base == "" && c.Process == nil {
		away := p.WithoutBase()
		if unaddressed = len(away) > 0; p.Service() == nil {
			list = away
		}
	}
	if list.Errors() > 0 {
		var bad source.Diagnostics
		for _, d := range list {
			if d.Severity == source.Error {
				bad = append(bad, d)
			}
		}
		return false, &Fault{Kind: Usage, Mistakes: bad.Sort()}
	}
	if c.Roam != nil && len(c.walked()) == 0 {
		hint := "usualpath new boats.upath --from-service http://127.0.0.1:8080/boats drafts one"
		if len(c.Resources) > 0 {
			return false, usage("no resource is chosen", "there is "+c.Resources[0].Name)
		}
		return false, usage("there is no resource statement in these files: nothing says what to walk", hint)
	}
	if !c.RoamAlone && engine.Plan(p, c.Engine) == 0 {
		n := len(p.Scenarios())
		if len(c.Engine.Select.Lines) > 0 {
			return false, usage("no scenario is chosen", "nothing that runs stands at that line")
		}
		return false, usage("no scenario is chosen", fmt.Sprintf("--only, --tag and --skip-tag leave none of %d", n))
	}
	return unaddressed, nil
}

// coverage is what the exchanges are counted by, nil when nobody asked.
func (c *Config) coverage() *contract.Coverage {
	switch {
	case c.Against != nil:
		out := contract.NewCoverage(c.Against)
		out.Least = c.Least
		return out
	case c.Coverage:
		out := contract.NewCoverage(contract.FromOperations("the resources", resource.Operations(c.Resources)))
		out.Least = c.Least
		return out
	}
	return nil
}

// Plan is what a run would run, in order. The error is a *Fault.
func Plan(c Config) ([]engine.Planned, error) {
	if _, err := c.failures(); err != nil {
		return nil, err
	}
	if _, err := c.ready(); err != nil {
		return nil, err
	}
	return engine.List(c.Project, c.Engine), nil
}

// walked are the resources to roam.
func (c *Config) walked() []*resource.Resource {
	var out []*resource.Resource
	for _, r := range c.Resources {
		if names := c.Engine.Select.Resources; len(names) == 0 || slices.Contains(names, r.Name) {
			out = append(out, r)
		}
	}
	return out
}
