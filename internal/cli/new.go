package cli

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"usualpath/internal/contract"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/draft"
	"usualpath/internal/report"
)

type newFlags struct {
	service, openapi, base string
	allow, header          []string
	writes                 bool
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
With --from-openapi every operation of an OpenAPI document (3.0 or 3.1, JSON or
YAML) is drafted, and what could not be is listed. Files that exist are never
overwritten.`,
		Example: `  usualpath new harbour-tests
  usualpath new drafted --from-service http://127.0.0.1:4710/boats
  usualpath new drafted --from-openapi openapi.yaml --base http://127.0.0.1:4710`,
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
	fl.StringVar(&f.openapi, "from-openapi", "", "draft resources and scenarios of this OpenAPI document")
	fl.StringVar(&f.base, "base", "", "with --from-openapi: the base URL (default: the document's first server)")
	fl.StringArrayVar(&f.allow, "allow-host", nil, "another host, besides this machine, that requests may go to (repeatable)")
	c.MarkFlagsMutuallyExclusive("from-service", "from-openapi")
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
	full, err := filepath.Abs(dir)
	if err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	name := draft.Name(filepath.Base(full), "service")
	var pages []page
	var notes []string
	switch {
	case f.service != "":
		pages, notes, err = a.fromService(ctx, name, f)
	case f.openapi != "":
		pages, notes, err = a.fromOpenAPI(name, f)
	default:
		pages = starter(name)
	}
	if err != nil {
		return err
	}
	if err := writeAll(dir, pages); err != nil {
		return err
	}
	s := a.style(a.out)
	for _, p := range pages {
		fmt.Fprintf(a.out, "wrote %s\n", filepath.Join(dir, p.name))
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
	return nil
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

func (a *app) fromService(ctx context.Context, name string, f *newFlags) ([]page, []string, error) {
	if !strings.Contains(f.service, "://") {
		return nil, nil, usage("--from-service "+f.service+" is not a URL", "write --from-service http://127.0.0.1:4710/boats")
	}
	if ctx == nil {
		ctx = context.Background()
	}
	fields := []exchange.Field{{Name: "Accept", Value: "application/json"}}
	for _, h := range f.header {
		n, v, ok := strings.Cut(h, ":")
		if !ok || strings.TrimSpace(n) == "" {
			return nil, nil, usage(fmt.Sprintf("--header %q is not a header", h), "write --header 'Name: value'")
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
			return client.Do(ctx, q)
		}
	}
	credentials, auth, more := draft.Credentials(f.header)
	var bare draft.Send
	if auth != "" {
		bare = with(fields[:1])
	}
	r, base, err := draft.FromService(f.service, f.writes, with(fields), bare)
	if err != nil {
		var failed *exchange.Failure
		if errors.As(err, &failed) {
			return nil, nil, &exit{code: exitUnreachable, message: err.Error(), hint: "does it listen there? usualpath try GET " + quoteArg(f.service)}
		}
		return nil, nil, usage(err.Error(), "usualpath try GET "+quoteArg(f.service)+" shows what is there")
	}
	notes := r.Notes
	r.Notes = nil
	notes = append(notes, more...)
	r.Auth = auth
	text := "# Drafted from " + f.service + ": read it, and mend what was guessed.\n\n" + r.Life("", nil) + "\n" + r.Text()
	return []page{withCredentials(drafted(name, base), credentials, auth), {r.Name + ".upath", draft.Canonical(text)}}, notes, nil
}

// withCredentials adds where credentials come from, and that they are sent.
func withCredentials(p page, secrets []string, auth string) page {
	if auth != "" {
		p.text = strings.Replace(p.text, "\ndefaults\n", "\n"+strings.Join(secrets, "\n")+"\n\ndefaults\n  "+auth+"\n", 1)
		p.text = draft.Canonical(p.text)
	}
	return p
}

func (a *app) fromOpenAPI(name string, f *newFlags) ([]page, []string, error) {
	doc, err := a.loadContract(f.openapi, "--from-openapi")
	if err != nil {
		return nil, nil, err
	}
	base, prefix := f.base, ""
	var notes []string
	for _, server := range doc.Servers {
		u, err := url.Parse(server.URL)
		if err != nil || strings.Contains(server.URL, "{") {
			continue
		}
		prefix = strings.TrimSuffix(u.Path, "/")
		if base == "" && u.Host != "" {
			base = u.Scheme + "://" + u.Host
			if !exchange.Loopback(u.Hostname()) {
				notes = append(notes, "the document's server is "+base+": runs go to this machine only, so 127.0.0.1:8080 was put there; --base names another")
				base = ""
			}
		}
		break
	}
	if base == "" {
		base = "http://127.0.0.1:8080"
	}
	suite := draft.FromOpenAPI(doc, prefix)
	if len(suite.Names) == 0 {
		return nil, nil, usage(f.openapi+" describes no operation", "")
	}
	pages := []page{drafted(name, base)}
	for _, n := range suite.Names {
		pages = append(pages, page{n, draft.Canonical("# Drafted from " + filepath.Base(f.openapi) + ": read it, and mend what was guessed.\n\n" + suite.Files[n])})
	}
	return pages, slices.Concat(notes, suite.Left), nil
}

// loadContract reads an OpenAPI document that an option names.
func (a *app) loadContract(name, option string) (*contract.Document, error) {
	doc, err := contract.Load(name)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil, usage(option+": there is no file "+name, "")
	case err != nil:
		return nil, usage(option+": "+err.Error(), "OpenAPI 3.0 and 3.1 are read, as JSON or YAML")
	}
	if doc.Flaw != "" {
		fmt.Fprintf(a.err, "usualpath: %s is not a valid OpenAPI document, and used as far as it goes: %s\n", name, report.Clean(doc.Flaw, true))
	}
	return doc, nil
}
