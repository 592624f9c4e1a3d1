package cli

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
	"usualpath/internal/report"
)

type newFlags struct {
	service, openapi, base  string
	har, host               string
	allow, header           []string
	tags, paths, operations []string
	writes, list, update    bool
}

// page is a file that new writes.
type page struct{ name, text string }

func (a *app) new() *cobra.Command {
	f := &newFlags{}
	c := &cobra.Command{
		Use: "new [DIR]", Short: "Write a small working project, or draft one",
		Long: `Writes a project into a folder (default: this one): project.upath with base URL,
defaults and the service to start, and a file with one scenario and one
resource. It runs as it is, against the harbour.

With --from-service a live collection is read, and its resource and a first
scenario are drafted. With --writes items are made, changed and removed again, to
find which members are required or set by the service, where an answer names
what was made, and what a write must carry. What was there is not written to.
Credentials given with --header become ` + "`auth`" + ` with a secret from the environment.
With --from-openapi every operation of an OpenAPI document (3.0, 3.1 or Swagger
2.0, JSON or YAML, a file or a URL on this machine) is drafted, and what could not
be is listed; so is a JSON Schema, as a resource of such items. --tag, --path and
--operation choose a part, --list shows what there is. --update adds what the
document has newly and leaves everything else as it is.
With --from-har a recording, as browsers and proxies save it (HAR 1.2), becomes a
scenario: calls of the service in order of time, with what an answer gave and a
later request used as names, credentials as secrets, and statuses and shapes as
expectations; what looks like a resource's life becomes a resource. --list shows
what is in it. Files that exist are never overwritten.`,
		Example: `  usualpath new harbour-tests
  usualpath new drafted --from-service http://127.0.0.1:4710/boats
  usualpath new drafted --from-openapi openapi.yaml --base http://127.0.0.1:4710
  usualpath new --from-openapi openapi.yaml --list
  usualpath new drafted --from-har recorded.har --path /boats
  usualpath new drafted --from-openapi openapi.yaml --path /boats --update`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			dir := "."
			if len(args) > 0 {
				dir = args[0]
			}
			return a.newFiles(c.Context(), dir, f)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.service, "from-service", "", "draft the resource of this live collection")
	fl.BoolVar(&f.writes, "writes", false, "with --from-service: items may be made, changed and removed again")
	fl.StringArrayVar(&f.header, "header", nil, "with --from-service: a header 'Name: value' of each request (repeatable)")
	fl.StringVar(&f.openapi, "from-openapi", "", "draft resources and scenarios of this OpenAPI document, or JSON Schema")
	fl.StringVar(&f.har, "from-har", "", "draft a scenario of this recording, a HAR file")
	fl.StringVar(&f.host, "host", "", "with --from-har: the host whose calls are taken (default: the one with most)")
	fl.StringArrayVar(&f.tags, "tag", nil, "with --from-openapi: only operations of this tag (repeatable)")
	fl.StringArrayVar(&f.paths, "path", nil, "with --from-openapi or --from-har: only this path and below (repeatable)")
	fl.StringArrayVar(&f.operations, "operation", nil, "with --from-openapi: only this operation, 'GET /boats' or its operationId (repeatable)")
	fl.BoolVar(&f.list, "list", false, "list the operations of the document, or the requests of the recording, and write nothing")
	fl.BoolVar(&f.update, "update", false, "with --from-openapi: add to a project what the document has newly")
	fl.StringVar(&f.base, "base", "", "with --from-openapi or --from-har: the base URL (default: that of the document or the recording)")
	fl.StringArrayVar(&f.allow, "allow-host", nil, "another host, besides this machine, that requests may go to (repeatable)")
	c.MarkFlagsMutuallyExclusive("from-service", "from-openapi", "from-har")
	c.Flags().SortFlags = false
	return c
}

func (a *app) newFiles(ctx context.Context, dir string, f *newFlags) error {
	if f.writes && f.service == "" {
		return usage("--writes goes with --from-service", "")
	}
	if err := checkBase(f.base); err != nil {
		return err
	}
	if f.openapi == "" && (f.update || len(f.tags)+len(f.operations) > 0) {
		return usage("--tag, --operation and --update go with --from-openapi", "")
	}
	if f.openapi+f.har == "" && (f.list || len(f.paths) > 0) {
		return usage("--path and --list go with --from-openapi or --from-har", "")
	}
	if f.har == "" && f.host != "" {
		return usage("--host goes with --from-har", "")
	}
	full, err := filepath.Abs(dir)
	if err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	name := draft.Name(filepath.Base(full), "service")
	if f.openapi != "" {
		return a.newFromOpenAPI(ctx, dir, name, f)
	}
	if f.har != "" {
		return a.newFromHAR(dir, name, f)
	}
	var pages []page
	var notes []string
	harm := ""
	switch {
	case f.service != "":
		pages, notes, harm, err = a.fromService(ctx, name, f)
	default:
		pages = starter(name)
	}
	if err != nil {
		return err
	}
	if harm != "" {
		fmt.Fprintf(a.err, "%s\n\n", strings.Join(report.Fold(report.Clean(harm, false), 96), "\n"))
	}
	if err := writeAll(dir, pages); err != nil {
		return err
	}
	var wrote []string
	for _, p := range pages {
		wrote = append(wrote, "wrote "+filepath.Join(dir, p.name))
	}
	a.written(dir, wrote, notes)
	if harm != "" {
		return &exit{code: exitFailed}
	}
	return nil
}

// written tells which files were written, what is left, and what comes next.
func (a *app) written(dir string, wrote, notes []string) {
	s := a.style(a.out)
	for _, w := range wrote {
		fmt.Fprintln(a.out, w)
	}
	if len(notes) > 0 {
		fmt.Fprintf(a.out, "\nleft for you\n")
		for _, n := range notes {
			fmt.Fprintf(a.out, "  %s %s\n", s.Arrow(), strings.Join(report.Fold(report.Clean(n, false), 92), "\n    "))
		}
	}
	fmt.Fprintf(a.out, "\nnext\n")
	in := ""
	if dir != "." {
		in = " " + quoteArg(dir)
	}
	for _, l := range []string{"usualpath run" + in, "usualpath lint" + in, "usualpath derive" + in} {
		fmt.Fprintf(a.out, "  %s %s\n", s.Arrow(), l)
	}
}

// writeAll writes all files, or none when one of them is there already.
func writeAll(dir string, pages []page) error {
	var there []string
	for _, p := range pages {
		if _, err := os.Lstat(filepath.Join(dir, p.name)); err == nil {
			there = append(there, filepath.Join(dir, p.name))
		}
	}
	if len(there) > 0 {
		return usage(event.Count(len(there), "file")+" would be written over: "+strings.Join(there, ", ")+"; nothing was written", "name another folder: usualpath new another-folder")
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return usage(err.Error(), "name a folder that can be written")
	}
	for i, p := range pages {
		if err := source.WriteWhole(filepath.Join(dir, p.name), []byte(p.text)); err != nil {
			for _, w := range pages[:i] {
				err = errors.Join(err, os.Remove(filepath.Join(dir, w.name)))
			}
			return &exit{code: exitBroken, message: err.Error()}
		}
	}
	return nil
}

// starter is a project that runs as it is, since it starts the harbour.
func starter(name string) []page {
	return []page{{"project.upath", `# The service under test, and what all requests have in common.
project ` + name + `

defaults
  header  Accept: application/json
  timeout 5s

# With --env local the service is one that you have started yourself.
environment local
  base http://127.0.0.1:4710

# Otherwise run starts this one, on a free port, and ends it.
service harbour
  start "usualpath demo serve --seed-data --listen 127.0.0.1:{port} --data {folder}"
  ready GET /healthz is 200 within 20s
`}, {"boats.upath", `# Boats: one scenario written by hand, and what follows from a resource.

scenario "a boat is registered and found again"
  tags smoke
  observe boats at /boats by $.id

  step "register"
    send POST /boats
      json { "name": "Avocet {random_text(6)}", "length_m": 7.5 }
    expect status 201
    expect body is { "id": integer as boat, "length_m": 7.5, ... }
    expect boats gains 1  because "a create makes exactly one"

  step "read it back"
    send GET /boats/{boat}
    expect status 200
    expect $.length_m is 7.5

  step "remove it"
    send DELETE /boats/{boat}
    expect status 204
    expect boats loses 1

  step "it is gone"
    send GET /boats/{boat}
    expect status 404 or 410

afterwards
  step "leave nothing behind"
    send DELETE /boats/{boat}

# The checks follow from these lines: usualpath derive prints them.
resource boats
  collection /boats
  make       { "name": "Redshank {turn}", "length_m": 8 }
  remake     { "name": "Redshank {turn}", "length_m": 8.5 }
  amend      { "length_m": 9 }
  assigned   id, registered_at
  required   name, length_m
  supports   list, create, read, replace, amend, delete
`}}
}

// drafted is the project file of a draft.
func drafted(name, base string) page {
	return page{"project.upath", "# What all requests have in common.\nproject " + name + "\n\nbase " + base + "\n\ndefaults\n  header  Accept: application/json\n  timeout 5s\n"}
}

func (a *app) fromService(ctx context.Context, name string, f *newFlags) ([]page, []string, string, error) {
	if !strings.Contains(f.service, "://") {
		return nil, nil, "", usage("--from-service "+f.service+" is not a URL", "write --from-service http://127.0.0.1:4710/boats")
	}
	if u, err := url.Parse(f.service); err == nil && u.User != nil {
		return nil, nil, "", usage("--from-service "+u.Redacted()+": a user and password in a URL are not sent", "write --header 'Authorization: …'")
	}
	// An interrupt ends the trying, and what was made is removed; a second one ends all.
	ctx, stop := signal.NotifyContext(orBackground(ctx), stopSignals...)
	context.AfterFunc(ctx, stop)
	defer stop()
	fields := []exchange.Field{{Name: "Accept", Value: "application/json"}}
	for _, h := range f.header {
		n, v, ok := strings.Cut(h, ":")
		if !ok || strings.TrimSpace(n) == "" {
			return nil, nil, "", usage(fmt.Sprintf("--header %q is not a header", h), "write --header 'Name: value'")
		}
		fields = append(fields, exchange.Field{Name: strings.TrimSpace(n), Value: strings.TrimSpace(v)})
	}
	client := exchange.NewClient(exchange.Options{Allow: f.allow, MaxBody: 16 << 20, Agent: agent()})
	defer client.Close()
	with := func(fields []exchange.Field) draft.Send {
		return func(method, at string, body []byte, media string) *exchange.Exchange {
			q := &exchange.Request{Method: method, URL: at, Body: body, Timeout: 10 * time.Second, Header: slices.Clone(fields)}
			if media != "" {
				q.Header = append(q.Header, exchange.Field{Name: "Content-Type", Value: media})
			}
			if ctx.Err() != nil && (!f.writes || !syntax.SafeMethod(method) && method != "DELETE") {
				return &exchange.Exchange{Request: q, Failure: &exchange.Failure{Kind: exchange.Interrupted}}
			}
			return client.Do(context.WithoutCancel(ctx), q)
		}
	}
	credentials, auth, more := draft.Credentials(f.header)
	var bare draft.Send
	if auth != "" {
		bare = with(fields[:1])
	}
	r, base, err := draft.FromService(f.service, f.writes, with(fields), bare)
	if ctx.Err() != nil {
		left := ""
		if r != nil {
			left = strings.Join(slices.DeleteFunc(r.Notes, func(n string) bool { return !strings.HasPrefix(n, "left on the service") }), "\n")
		}
		return nil, nil, "", &exit{code: exitInterrupted, message: "interrupted: nothing was written", hint: left}
	}
	if err != nil {
		var failed *exchange.Failure
		if errors.As(err, &failed) {
			code := exitUnreachable
			if failed.Kind == exchange.BadRequest || failed.Kind == exchange.HostRefused {
				code = exitUsage
			}
			return nil, nil, "", &exit{code: code, message: err.Error(), hint: failed.Look()}
		}
		return nil, nil, "", usage(err.Error(), "usualpath try GET "+quoteArg(f.service)+" shows what is there")
	}
	notes := r.Notes
	r.Notes = nil
	notes = append(notes, more...)
	r.Auth = auth
	life := r.Life("", nil)
	if n := strings.Count(life, draft.OnlyUnguarded); n > 0 {
		life = draft.Unguarded(n) + life
		notes = append(notes, event.Count(n, "step")+" may change what a run did not make, or leave something: sent with --let unguarded=true only.")
	}
	text := "# Drafted from " + f.service + ": read it, and mend what was guessed.\n\n" + life + "\n" + r.Text()
	return []page{withCredentials(drafted(name, base), credentials, auth), {r.Name + ".upath", draft.Canonical(text)}}, notes, r.Harm, nil
}

// withCredentials adds where credentials come from, and that they are sent.
func withCredentials(p page, secrets []string, auth string) page {
	if auth != "" {
		p.text = strings.Replace(p.text, "\ndefaults\n", "\n"+strings.Join(secrets, "\n")+"\n\ndefaults\n  "+auth+"\n", 1)
		p.text = draft.Canonical(p.text)
	}
	return p
}
