package cli

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
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
	"usualpath/internal/report"
)

// attempt is a request of try on its way through the engine, with all that the
// project knows.
type attempt struct {
	f     *tryFlags
	typed *draft.Typed
	// dir is where the project is looked for; into the file that is filed into,
	// "" for none.
	dir, into string
	known     draft.Known
	tried     *draft.Tried
}

func (f *tryFlags) attempt(args []string) (*attempt, error) {
	here, err := os.Getwd()
	if err != nil {
		return nil, &exit{code: exitBroken, message: err.Error()}
	}
	t := &attempt{f: f, dir: here, into: f.into, typed: &draft.Typed{Method: args[0], Target: args[1], Header: f.header, Query: f.query, JSON: f.json, Text: f.text, Follow: f.follow}}
	if f.into != "" {
		if filepath.Ext(f.into) != project.Extension {
			return nil, usage("--into "+f.into+" is no scenario file", "scenario files end in "+project.Extension)
		}
		t.dir = filepath.Dir(filepath.Join(here, f.into))
		if filepath.IsAbs(f.into) {
			t.dir = filepath.Dir(f.into)
		}
		t.tried = draft.LoadTried(t.dir)
		t.known = t.tried.Known(filepath.Base(f.into))
	}
	return t, nil
}

// text is the request as a scenario: sent once, as often again as asked for,
// and once more without each thing that is to be left out.
func (t *attempt) text() (string, error) {
	var b strings.Builder
	if t.into != "" {
		if data, err := os.ReadFile(t.into); err == nil {
			tree, diags := syntax.Parse(source.NewFile(t.into, string(data)))
			if diags.Errors() == 0 {
				fmt.Fprintf(&b, "use %q\n", filepath.Base(t.into))
				for n := range t.known {
					if named(tree, n, true) {
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
	if t.f.repeat > 1 {
		again = append(again, fmt.Sprintf("again %d times", t.f.repeat-1))
	}
	step("try", t.typed, again...)
	for _, w := range t.f.without {
		kind, name, _ := strings.Cut(strings.TrimSpace(w), " ")
		typed := *t.typed
		switch {
		case kind == "header" && name != "":
			typed.Header = slices.DeleteFunc(slices.Clone(typed.Header), func(h string) bool {
				n, _, _ := strings.Cut(h, ":")
				return strings.EqualFold(strings.TrimSpace(n), name)
			})
			step("without "+w, &typed, "  without header "+name)
		case kind == "query" && name != "":
			keep := func(p string) bool { n, _, _ := strings.Cut(p, "="); return n != name }
			typed.Query = slices.DeleteFunc(slices.Clone(typed.Query), func(p string) bool { return !keep(p) })
			target, query, _ := strings.Cut(typed.Target, "?")
			pairs := slices.DeleteFunc(strings.Split(query, "&"), func(p string) bool { return p == "" || !keep(p) })
			typed.Target = target
			if len(pairs) > 0 {
				typed.Target += "?" + strings.Join(pairs, "&")
			}
			step("without "+w, &typed)
		default:
			return "", usage(fmt.Sprintf("--without %q: what is to be left out?", w), "write --without 'header Name' or --without 'query name'")
		}
	}
	return b.String(), nil
}

// named tells whether a file binds a name, at its top only or anywhere.
func named(tree *syntax.File, name string, top bool) bool {
	var in func(st *syntax.Statement) bool
	in = func(st *syntax.Statement) bool {
		for _, b := range syntax.Bindings(st) {
			if b.Name == name {
				return true
			}
		}
		return !top && slices.ContainsFunc(st.Children, in)
	}
	return slices.ContainsFunc(tree.Statements, in)
}

// send sends all of it, and gives the exchanges by step.
func (a *app) send(ctx context.Context, t *attempt) (map[string][]event.Sent, string, error) {
	text, err := t.text()
	if err != nil {
		return nil, "", err
	}
	name := filepath.Join(t.dir, "try-by-hand"+project.Extension)
	p := project.Load([]string{name}, project.Options{Environment: t.f.env, Overlay: map[string]string{name: text}})
	var bad source.Diagnostics
	for _, d := range p.Diagnostics {
		// The request was typed, not written: only what keeps it from being sent counts.
		if d.Severity == source.Error {
			bad = append(bad, d)
		}
	}
	if len(bad) > 0 {
		d := bad[0]
		return nil, "", usage(d.Message, d.Hint)
	}
	base := t.f.base
	if base == "" {
		for _, f := range p.Files {
			if b := p.Base(f); b != nil {
				base, _ = b.Plain()
			}
		}
	}
	timeout, err := syntax.ParseDuration(t.f.timeout)
	if err != nil || timeout <= 0 {
		return nil, "", usage("--timeout "+t.f.timeout+" is no duration", "write --timeout 200ms, 5s or 2m")
	}
	size, err := syntax.ParseSize(t.f.maxBody)
	if err != nil {
		return nil, "", usage("--max-body "+t.f.maxBody+" is no size", "write --max-body 10KiB or 64MiB")
	}
	o := engine.Options{Base: t.f.base, Allow: t.f.allow, Timeout: timeout, MaxBody: size, Seed: engine.NewSeed(), Tool: agent(), Getenv: os.LookupEnv}
	ctx, stop := interruptible(ctx, &o)
	defer stop()
	out := map[string][]event.Sent{}
	var lacks error
	o.Emit = func(e event.Event) {
		st, ok := e.(*event.StepFinished)
		if !ok {
			return
		}
		out[st.Title] = append(out[st.Title], st.Sent...)
		if len(st.Sent) == 0 && lacks == nil {
			says := strings.Join(st.Lacks, ", ")
			for _, f := range st.Findings {
				says = strings.Join(f.Observed, "; ")
			}
			lacks = usage("nothing was sent: "+says, "write --base http://127.0.0.1:8080, or the whole URL")
		}
	}
	engine.Run(ctx, p, o)
	return out, base, lacks
}

// told shows the answers, and what differs between them.
func (a *app) tryOnce(ctx context.Context, t *attempt) error {
	sent, base, err := a.send(ctx, t)
	if err != nil {
		return err
	}
	list := sent["try"]
	first := list[0].Exchange
	s := a.style(a.out)
	report.Answer(a.out, first, s, t.f.verbose)
	if len(list) > 1 {
		var rest []*exchange.Exchange
		for _, x := range list[1:] {
			rest = append(rest, x.Exchange)
		}
		fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("sent %d times", len(list))))
		a.differences(report.Spread(first, rest))
	}
	for _, w := range t.f.without {
		if x := sent["without "+w]; len(x) > 0 {
			fmt.Fprintf(a.out, "\n%s\n", s.Strong("without "+w))
			a.differences(report.Spread(first, []*exchange.Exchange{x[0].Exchange}))
		}
	}
	if t.into != "" {
		if err := a.file(t, first, base); err != nil {
			return err
		}
	}
	switch {
	case first.Failure == nil:
		return nil
	case first.Failure.Kind == exchange.Interrupted:
		return &exit{code: exitInterrupted}
	case first.Failure.Kind == exchange.BadRequest || first.Failure.Kind == exchange.HostRefused:
		return &exit{code: exitUsage}
	}
	return &exit{code: exitUnreachable}
}

func (a *app) differences(lines []string) {
	if len(lines) == 0 {
		fmt.Fprintln(a.out, "  the same answer")
	}
	for _, l := range lines {
		fmt.Fprintf(a.out, "  %s\n", report.Clean(l, false))
	}
}

// file files the exchange as a step, and shows what that adds.
func (a *app) file(t *attempt, x *exchange.Exchange, base string) error {
	text := ""
	if data, err := os.ReadFile(t.into); err == nil {
		text = string(data)
	} else if !os.IsNotExist(err) {
		return usage("--into "+t.into+" cannot be read: "+err.Error(), "")
	}
	tree, _ := syntax.Parse(source.NewFile(t.into, text))
	taken := func(n string) bool { return named(tree, n, false) }
	title := t.f.step
	if title == "" {
		title = draft.Title(t.typed.Method, t.typed.Target)
	}
	for n, first := 2, title; titled(tree, t.f.scenario, title); n++ {
		title = fmt.Sprintf("%s (%d)", first, n)
	}
	if t.f.base != "" {
		base = t.f.base
	}
	if strings.HasPrefix(t.typed.Target, "http") || ownBase(t) {
		base = ""
	}
	p := draft.Step(title, t.typed, x, t.tried.Known(filepath.Base(t.into)), taken)
	in, err := draft.Insert(t.into, text, t.f.scenario, base, p.Lines)
	if err != nil {
		return usage(err.Error(), "usualpath lint shows all mistakes of a file")
	}
	if err := source.WriteWhole(t.into, []byte(in.Text)); err != nil {
		return &exit{code: exitUsage, message: "--into " + t.into + " cannot be written: " + err.Error()}
	}
	if err := t.tried.Keep(filepath.Base(t.into), p.Kept); err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	s := a.style(a.out)
	fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("filed into %s, line %d", t.into, in.Line)))
	for _, l := range in.Added {
		fmt.Fprintf(a.out, "  %s %s\n", s.Faint("+"), report.Clean(l, false))
	}
	return nil
}

// ownBase tells whether the project gives the base URL, so that the file needs
// none of its own.
func ownBase(t *attempt) bool {
	name := filepath.Join(t.dir, "base-by-hand"+project.Extension)
	p := project.Load([]string{name}, project.Options{Overlay: map[string]string{name: "scenario \"s\"\n  step \"t\"\n    send GET /\n    expect status 200\n"}})
	return len(p.Files) > 0 && p.Base(p.Files[0]) != nil
}

// titled tells whether a scenario, the last one for "", has a step of a title.
func titled(tree *syntax.File, scenario, title string) bool {
	var in *syntax.Statement
	for _, st := range tree.Statements {
		if t, ok := st.Body.(*syntax.Titled); ok && st.Word == "scenario" && t.Title != nil && (scenario == "" || t.Title.Template.Raw == scenario) {
			in = st
		}
	}
	if in == nil {
		return false
	}
	return slices.ContainsFunc(in.Children, func(c *syntax.Statement) bool {
		t, ok := c.Body.(*syntax.Titled)
		return ok && t.Title != nil && t.Title.Template.Raw == title
	})
}
