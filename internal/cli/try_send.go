package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/term"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
	"usualpath/internal/report"
	"usualpath/internal/runner"
)

// try is the request that the flags and arguments say.
func (f *tryFlags) try(args []string) (*runner.Try, error) {
	timeout, err := syntax.ParseDuration(f.timeout)
	if err != nil || timeout <= 0 {
		return nil, usage("--timeout "+f.timeout+" is not a duration", "write --timeout 200ms, 5s or 2m")
	}
	size, err := syntax.ParseSize(f.maxBody)
	if err != nil {
		return nil, usage("--max-body "+f.maxBody+" is not a size", "write --max-body 10KiB or 64MiB")
	}
	let, err := outside(f.let)
	if err != nil {
		return nil, err
	}
	t := &runner.Try{
		Typed:       &draft.Typed{Method: args[0], Target: args[1], Header: f.header, Query: f.query, JSON: f.json, Text: f.text, Media: f.media, Fields: f.fields, Parts: f.parts, Follow: f.follow},
		Environment: environmentOf(f.env), Let: let,
		Engine: engine.Options{Base: f.base, Allow: f.allow, Timeout: timeout, MaxBody: size, Seed: engine.NewSeed(), Tool: agent(), Getenv: os.LookupEnv, Unsent: f.dryRun},
		Repeat: f.repeat, Without: f.without, Into: f.into, Step: f.step, Scenario: f.scenario, Files: map[string][]byte{}, SignIn: f.signIn}
	if err := f.files(t, os.Stdin); err != nil {
		return nil, err
	}
	return t, nil
}

// files reads what the request sends of files: they are sent as they are now.
func (f *tryFlags) files(t *runner.Try, stdin io.Reader) error {
	if f.bodyFile == "-" {
		data, err := io.ReadAll(io.LimitReader(stdin, source.MaxFile+1))
		if err != nil || len(data) > source.MaxFile {
			return usage(fmt.Sprintf("standard input cannot be read, or is longer than %d MiB", source.MaxFile>>20), "")
		}
		if _, bad := value.Decode(string(data), value.Limits{}); bad == nil && (f.media == "" || exchange.IsJSON(f.media)) {
			t.Typed.JSON = string(data)
			return nil
		}
		if utf8.Valid(data) && !bytes.ContainsRune(data, 0) {
			t.Typed.Text = string(data)
			return nil
		}
		t.Typed.File, t.Files["standard-input"] = "standard-input", data
		return nil
	}
	read := func(option, name string) (string, error) {
		data, err := source.ReadFile(name)
		if err != nil {
			return "", unread("--"+option, name, err)
		}
		t.Files[name] = data
		return name, nil
	}
	var err error
	if f.bodyFile != "" {
		t.Typed.File, err = read("body-file", f.bodyFile)
	}
	for _, pair := range f.attached {
		name, file, _ := strings.Cut(pair, "=")
		if _, bad := read("part-file", file); bad != nil && err == nil {
			err = bad
		}
		t.Typed.Attached = append(t.Typed.Attached, name+"="+file)
	}
	return err
}

// ask gives the credentials that the environment lacks, typed on a terminal.
func (a *app) ask(variable string) (string, error) {
	in := int(os.Stdin.Fd())
	if tty, _ := terminal(a.err); !tty || !term.IsTerminal(in) {
		return "", usage("--sign-in needs "+variable+" in the environment", "export "+variable+"=…")
	}
	fmt.Fprintf(a.err, "%s (not shown): ", variable)
	typed, err := term.ReadPassword(in)
	fmt.Fprintln(a.err)
	if err != nil || len(typed) == 0 {
		return "", usage("nothing was typed for "+variable, "")
	}
	return string(typed), nil
}

// tryOnce sends it, and shows the answers and what differs between them.
func (a *app) tryOnce(ctx context.Context, f *tryFlags, t *runner.Try) error {
	ctx, _, stop := a.interruptible(ctx, &t.Engine)
	defer stop()
	t.Ask = a.ask
	d, err := t.Send(ctx)
	if err != nil {
		return a.fault(err)
	}
	t.Remember(d)
	s := a.style(a.out)
	tty, width := terminal(a.out)
	v := &report.View{Style: s, Verbose: f.verbose, Agent: agent(), Width: width}
	if tty {
		v.Fold = longBody
	}
	switch {
	case f.dryRun && d.First.Failure != nil && d.First.Failure.Kind == exchange.Unsent:
		report.Request(a.out, d.First.Request, v)
		fmt.Fprintf(a.out, "\n%s\n", s.Faint("not sent: this is what it would be"))
		return nil
	case d.First.Answer != nil && (f.pick != "" || f.raw || f.out == "-"):
		return a.part(f, d.First.Answer, tty)
	}
	if d.First.Answer != nil && f.out != "" {
		body := d.First.Answer.Body
		if err := source.WriteWhole(f.out, body); err != nil {
			return usage("--out "+f.out+" cannot be written: "+err.Error(), "")
		}
		v.Kept = f.out
	}
	report.Answer(a.out, d.First, v)
	if len(d.Again) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("sent %d times", len(d.Again)+1)))
		a.differences(report.Spread(d.First, d.Again))
	}
	for _, w := range f.without {
		if x := d.Without[w]; x != nil {
			fmt.Fprintf(a.out, "\n%s\n", s.Strong("without "+w))
			a.differences(report.Spread(d.First, []*exchange.Exchange{x}))
		}
	}
	if f.into != "" {
		filed, err := t.File(d)
		if err != nil {
			return a.fault(err)
		}
		fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("filed into %s, line %d", f.into, filed.Line)))
		for _, l := range filed.Added {
			fmt.Fprintf(a.out, "  %s %s\n", s.Faint("+"), report.Clean(l, false))
		}
		for _, n := range slices.Compact(filed.Notes) {
			fmt.Fprintf(a.out, "  %s\n", n)
		}
	}
	switch {
	case d.First.Failure == nil:
		return nil
	case d.First.Failure.Kind == exchange.Interrupted:
		return &exit{code: exitInterrupted}
	case d.First.Failure.Kind == exchange.BadRequest || d.First.Failure.Kind == exchange.HostRefused:
		return &exit{code: exitUsage}
	}
	return &exit{code: exitUnreachable}
}

// longBody is how many lines of a body a terminal shows.
const longBody = 80

// part prints the body alone, or what a JSONPath selects in it.
func (a *app) part(f *tryFlags, answer *exchange.Answer, tty bool) error {
	if f.pick == "" {
		if tty {
			fmt.Fprintln(a.out, report.Clean(string(answer.Body), true))
			return nil
		}
		_, err := a.out.Write(answer.Body)
		return err
	}
	text, _ := answer.Text()
	v, err := value.Decode(text, value.Limits{})
	if err != nil {
		return &exit{code: exitFailed, message: answer.StatusText() + ": the body is not JSON: " + err.Error(), hint: "--raw prints it as it came"}
	}
	q, err := jsonpath.Parse(f.pick)
	if err != nil {
		return usage(err.Error(), "")
	}
	nodes, err := q.Select(v)
	switch {
	case err != nil:
		return &exit{code: exitFailed, message: err.Error()}
	case len(nodes) == 0:
		return &exit{code: exitFailed, message: answer.StatusText() + ": " + f.pick + " selects nothing"}
	}
	for _, n := range nodes {
		line := n.Value.Plain()
		if tty {
			line = report.Clean(line, false)
		}
		fmt.Fprintln(a.out, line)
	}
	return nil
}

func (a *app) differences(lines []string) {
	if len(lines) == 0 {
		fmt.Fprintln(a.out, "  the same answer")
	}
	for _, l := range lines {
		fmt.Fprintf(a.out, "  %s\n", report.Clean(l, false))
	}
}
