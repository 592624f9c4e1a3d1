package runner

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// Try is one request that was typed, on its way through the engine with all
// that the project knows.
type Try struct {
	Typed *draft.Typed
	// Environment and Engine are as for a run.
	Environment string
	// Let are values from outside.
	Let    map[string]*value.Value
	Engine engine.Options
	// Repeat is how often it is sent in all; Without are things, "header NAME" or
	// "query NAME", without each of which it is sent once more.
	Repeat  int
	Without []string
	// Into is the file that it is filed into, "" for none; Step and Scenario are
	// titles there.
	Into, Step, Scenario string
	// Files are the bytes of files that it sends, by the name that was typed.
	Files map[string][]byte
	// SignIn is basic or bearer, "" for none; Ask gives the value of a variable
	// that the environment lacks.
	SignIn string
	Ask    func(variable string) (string, error)

	dir string
	// secrets are the lines that bind what --sign-in sends.
	secrets []string
	known   draft.Known
	tried   *draft.Tried
}

// Tried is what came of a request.
type Tried struct {
	// First is the exchange, Again its repeats.
	First *exchange.Exchange
	Again []*exchange.Exchange
	// Without are those that lacked something, by what they lacked.
	Without map[string]*exchange.Exchange
	// base is the URL that the target was relative to.
	base string
}

// Filed is what was written into a file.
type Filed struct {
	Line  int
	Added []string
	// Notes say what a run needs, and what was left out.
	Notes []string
}

// open looks for the project, and for what earlier tries have kept.
func (t *Try) open() error {
	here, err := os.Getwd()
	if err != nil {
		return broken(err.Error())
	}
	t.dir = here
	if t.Into == "" {
		return nil
	}
	if filepath.Ext(t.Into) != project.Extension {
		return usage("--into "+t.Into+" is not a scenario file", "scenario files end in "+project.Extension)
	}
	t.dir = filepath.Dir(t.Into)
	if !filepath.IsAbs(t.Into) {
		t.dir = filepath.Dir(filepath.Join(here, t.Into))
	}
	t.tried = draft.LoadTried(t.dir)
	t.known = t.tried.Known(filepath.Base(t.Into))
	return nil
}

// Send sends all of it. The error is a *Fault.
func (t *Try) Send(ctx context.Context) (*Tried, error) {
	if err := t.open(); err != nil {
		return nil, err
	}
	sent, overlay := t.attach()
	if err := t.signIn(); err != nil {
		return nil, err
	}
	sent.Auth = t.Typed.Auth
	text, err := t.text(sent)
	if err != nil {
		return nil, err
	}
	name := filepath.Join(t.dir, "try-by-hand"+project.Extension)
	overlay[name] = text
	p := project.Load([]string{name}, project.Options{Environment: t.Environment, Let: t.Let, Overlay: overlay})
	for _, d := range p.Diagnostics {
		// The request was typed, not written: only what keeps it from being sent counts.
		if d.Severity == source.Error {
			place := ""
			if d.File.Name != name {
				place = fmt.Sprintf("%s:%d: ", d.File.Name, d.File.Position(d.Span.Start).Line)
			}
			return nil, usage(place+d.Message, d.Hint)
		}
	}
	out := &Tried{Without: map[string]*exchange.Exchange{}, base: t.Engine.Base}
	if out.base == "" {
		for _, f := range p.Files {
			if b := p.Base(f); b != nil {
				out.base, _ = b.Plain()
			}
		}
	}
	var lacks error
	// What runs before is told only when it fails.
	first := 0
	o := t.Engine
	o.ByHand = true
	o.Emit = func(e event.Event) {
		switch s := e.(type) {
		case *event.ScenarioStarted:
			if s.Title != "try" {
				first = s.ID
			}
		case *event.ScenarioFinished:
			if s.Scenario != first && s.Verdict == event.Blocked && out.First == nil && lacks == nil {
				lacks = usage("nothing was sent: "+s.Why, "")
			}
		}
		if st, ok := e.(*event.StepFinished); ok {
			if st.Scenario == first {
				if st.Verdict == event.Failed && lacks == nil {
					lacks = firstFailed(st)
				}
				return
			}
			if len(st.Sent) == 0 && lacks == nil {
				lacks = nothingSent(st)
			}
			out.take(st)
		}
	}
	engine.Run(ctx, p, o)
	if lacks != nil {
		return nil, lacks
	}
	return out, nil
}

// firstFailed tells of a step of `before all` that did not hold.
func firstFailed(st *event.StepFinished) error {
	says := fmt.Sprintf("step %q (%s:%d) of what comes first did not hold", st.Title, st.File, st.Line)
	for _, f := range st.Findings {
		says += ": expected " + f.Expected + ", found " + strings.Join(f.Observed, "; ")
	}
	return usage(says, "")
}

func nothingSent(st *event.StepFinished) error {
	says := strings.Join(st.Lacks, ", ")
	for _, f := range st.Findings {
		says = strings.Join(f.Observed, "; ")
	}
	return usage("nothing was sent: "+says, "write --base http://127.0.0.1:8080, or the whole URL")
}

func (d *Tried) take(st *event.StepFinished) {
	what, without := strings.CutPrefix(st.Title, "without ")
	for _, x := range st.Sent {
		switch {
		case without:
			d.Without[what] = x.Shown()
		case d.First == nil:
			d.First = x.Shown()
		default:
			d.Again = append(d.Again, x.Shown())
		}
	}
}

// text is the request as a scenario: sent once, as often again as asked for,
// and once more without each thing that is to be left out.
func (t *Try) text(sent *draft.Typed) (string, error) {
	var b strings.Builder
	for _, l := range t.secrets {
		b.WriteString(l + "\n")
	}
	if t.Into != "" {
		if data, err := source.ReadFile(t.Into); err == nil {
			tree, diags := syntax.Parse(source.NewFile(t.Into, string(data)))
			if diags.Errors() == 0 {
				fmt.Fprintf(&b, "use %q\n", filepath.Base(t.Into))
				for n := range t.known {
					if draft.Binds(tree, n, true) {
						delete(t.known, n)
					}
				}
			}
		}
	}
	var names []string
	for n := range t.known {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		fmt.Fprintf(&b, "let %s = %s\n", n, draft.Body(t.known[n]))
	}
	b.WriteString("scenario \"try\"\n")
	step := func(title string, typed *draft.Typed, more ...string) {
		fmt.Fprintf(&b, "  step %q\n", title)
		for _, l := range append(typed.Lines(t.known), more...) {
			b.WriteString("    " + l + "\n")
		}
	}
	var again []string
	if t.Repeat > 1 {
		again = append(again, fmt.Sprintf("again %d times", t.Repeat-1))
	}
	step("try", sent, again...)
	for _, w := range t.Without {
		typed, more, err := sent.Without(w)
		if err != nil {
			return "", usage(err.Error(), "write --without 'header Name' or --without 'query name'")
		}
		step("without "+w, typed, more...)
	}
	return b.String(), nil
}

// File files the exchange as a step. The error is a *Fault.
func (t *Try) File(d *Tried) (*Filed, error) {
	text := ""
	if data, err := source.ReadFile(t.Into); err == nil {
		text = string(data)
	} else if !os.IsNotExist(err) {
		return nil, usage("--into "+t.Into+" cannot be read: "+err.Error(), "")
	}
	tree, _ := syntax.Parse(source.NewFile(t.Into, text))
	title := draft.FreeTitle(t.Typed, t.Step, func(title string) bool { return draft.Titled(tree, t.Scenario, title) })
	base := t.writtenBase(d)
	typed, secrets, notes, hidden, err := t.plain(d)
	if err != nil {
		return nil, err
	}
	p := draft.Step(title, typed, d.First, t.tried.Known(filepath.Base(t.Into)), func(n string) bool { return draft.Binds(tree, n, false) })
	p.Lines, p.After = t.unhidden(hidden.Lines(p.Lines)), t.unhidden(hidden.Lines(p.After))
	in, err := draft.Insert(t.Into, text, t.Scenario, base, p.Lines)
	if err == nil {
		err = in.Afterwards(t.Into, p.After)
	}
	if err != nil {
		return nil, usage(err.Error(), "usualpath lint shows all mistakes of a file")
	}
	in.WithSecrets(secrets, func(n string) bool { return draft.Binds(tree, n, true) })
	if err := source.WriteWhole(t.Into, []byte(in.Text)); err != nil {
		return nil, usage("--into "+t.Into+" cannot be written: "+err.Error(), "")
	}
	if err := t.tried.Keep(filepath.Base(t.Into), p.Kept); err != nil {
		return nil, broken(err.Error())
	}
	return &Filed{in.Line, in.Added, append(notes, p.Notes...)}, nil
}

// plain is the request as a file says it, without credentials: the lines that bind names in
// their place, notes about them, and the values that those names stand for.
func (t *Try) plain(d *Tried) (typed *draft.Typed, secrets, notes []string, hidden *draft.Concealed, err error) {
	filed, err := t.filed()
	if err != nil {
		return nil, nil, nil, nil, err
	}
	typed, secrets, notes = filed.WithoutCredentials()
	hidden = &draft.Concealed{}
	hidden.Find(d.First)
	typed = hidden.Typed(typed)
	for _, l := range hidden.Secrets {
		secrets = append(secrets, l)
		notes = append(notes, "Credentials come from the environment: set "+strings.ToUpper(strings.Fields(l)[1])+" before a run.")
	}
	if len(t.secrets) > 0 {
		typed.Auth = filed.Auth
		secrets = append(t.secrets, secrets...)
		notes = append(notes, "Credentials come from the environment, as they did now.")
	}
	return typed, secrets, notes, hidden, nil
}

// writtenBase is the base URL that a new file needs, "" for none.
func (t *Try) writtenBase(d *Tried) string {
	if strings.HasPrefix(t.Typed.Target, "http") || t.ownBase() {
		return ""
	}
	return d.base
}

// Remember keeps the exchange for an editor that files it, where there are scenario files
// beside it. What cannot be kept is not missed.
func (t *Try) Remember(d *Tried) {
	beside, _ := filepath.Glob(filepath.Join(t.dir, "*"+project.Extension))
	if d.First == nil || d.First.Answer == nil || len(beside) == 0 || t.Engine.Unsent || t.Engine.ShowCredentials {
		return
	}
	typed, secrets, _, hidden, err := t.plain(d)
	if err != nil || hidden.Shows(typed.Target+"\n"+typed.Text+"\n"+typed.JSON) {
		return
	}
	a := mask.Answer(d.First.Answer.Header, d.First.Answer.Body)
	last := &draft.Last{Typed: typed, Secrets: secrets, Base: t.writtenBase(d), Status: d.First.Answer.Status, Header: a.Header, Body: a.Body, At: d.First.Start}
	_ = last.Remember(t.dir)
}

// unhidden are lines with secrets as names, those of the project too, and without those
// that would hold a hidden value.
func (t *Try) unhidden(lines []string) []string {
	p, known := t.project(), map[string]string{}
	if p.Config != nil && t.Engine.Getenv != nil {
		for _, st := range p.Config.Statements {
			if s, is := st.Body.(*syntax.Secret); is && s.Env != "" {
				if v, set := p.Getenv(t.Engine.Getenv)(s.Env); set && len(v) >= mask.Shortest {
					known[v] = s.Name
				}
			}
		}
	}
	var out []string
	for _, l := range lines {
		for v, n := range known {
			l = strings.ReplaceAll(l, v, "{"+n+"}")
		}
		if !strings.Contains(l, mask.Hidden) {
			out = append(out, l)
		}
	}
	return out
}

// ownBase tells whether the project gives the base URL, so that the file needs
// none of its own.
func (t *Try) ownBase() bool {
	p := t.project()
	return len(p.Files) > 0 && p.Base(p.Files[0]) != nil
}
