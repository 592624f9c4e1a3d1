package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"usualpath/internal/contract"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/draft"
	"usualpath/internal/report"
)

// draftedFile keeps which operations were drafted, so that --update knows what is new.
const draftedFile = "drafted-operations.txt"

func (a *app) newFromOpenAPI(ctx context.Context, dir, name string, f *newFlags) error {
	doc, err := a.readContract(ctx, f.openapi, f.allow)
	if err != nil {
		return err
	}
	c := draft.Choice{Tags: f.tags, Paths: f.paths, Operations: f.operations, Allowed: func(host string) bool {
		return exchange.Loopback(host) || slices.Contains(f.allow, host)
	}}
	if f.list {
		return a.listOperations(doc, &c)
	}
	var there []string
	known := filepath.Join(dir, draftedFile)
	if f.update {
		if there, err = titles(dir); err != nil {
			return err
		}
		if data, err := os.ReadFile(known); err == nil {
			c.Known = strings.Split(strings.TrimSpace(string(data)), "\n")
		}
	}
	if !slices.ContainsFunc(doc.Operations, c.Takes) {
		switch {
		case f.update && len(c.Known) > 0:
			fmt.Fprintf(a.out, "nothing new: all %s of %s were drafted before\n", event.Count(len(doc.Operations), "operation"), f.openapi)
			return nil
		case len(doc.Operations) == 0:
			return usage(f.openapi+" describes no operation", "")
		}
		return usage("no operation of "+f.openapi+" is chosen", "usualpath new --from-openapi "+quoteArg(f.openapi)+" --list shows what there is")
	}
	suite := draft.FromOpenAPI(doc, c)
	base, notes := baseOf(doc, f.base)
	head := draftedProject(name, base, suite.Project)
	suite.Vet(head)
	if f.update {
		suite.Without(there)
	}
	if len(suite.Names) == 0 {
		return usage("nothing could be drafted of "+f.openapi+": "+strings.Join(suite.Left(), "; "), "")
	}
	list := slices.Concat(c.Known, suite.Drafted)
	slices.Sort(list)
	operations := page{draftedFile, strings.Join(slices.Compact(list), "\n") + "\n"}
	var wrote []string
	if f.update {
		wrote, err = update(dir, head, suite, operations)
	} else {
		pages := []page{{"project.upath", head}}
		for _, n := range suite.Names {
			pages = append(pages, page{n, draft.Canonical("# Drafted from " + path.Base(filepath.ToSlash(f.openapi)) + ": read it, and mend what was guessed.\n\n" + suite.Files[n])})
		}
		for n, data := range suite.Pictures {
			pages = append(pages, page{n, data})
		}
		pages = append(pages, operations)
		err = writeAll(dir, pages)
		for _, p := range pages {
			wrote = append(wrote, "wrote "+filepath.Join(dir, p.name))
		}
	}
	if err != nil {
		return err
	}
	if len(wrote) > 12 {
		wrote = append(wrote[:10], fmt.Sprintf("and %d more files", len(wrote)-10))
	}
	wrote = append(wrote, "", event.Count(suite.Resources, "resource")+", "+event.Count(suite.Scenarios, "scenario")+" for "+event.Count(len(suite.Drafted), "operation"))
	a.written(dir, wrote, slices.Concat(notes, suite.Left()))
	return nil
}

// baseOf is the base URL of a draft, and what is to be said of it.
func baseOf(doc *contract.Document, given string) (base string, notes []string) {
	if given != "" {
		return given, nil
	}
	b := doc.Base()
	if b.Host == "" {
		return "http://127.0.0.1:8080", nil
	}
	base = b.Scheme + "://" + b.Host
	if local(base) {
		return base, nil
	}
	return "http://127.0.0.1:8080", []string{"the document's server is " + base + ": runs go to this machine only, so 127.0.0.1:8080 was put there; --base names another"}
}

// draftedProject is the project file of a draft.
func draftedProject(name, base string, c draft.Credits) string {
	p := drafted(name, base)
	text := p.text
	if len(c.Defaults) > 0 {
		text = strings.Replace(text, "\ndefaults\n", "\ndefaults\n  "+strings.Join(c.Defaults, "\n  ")+"\n", 1)
	}
	if len(c.Secrets) > 0 {
		text = strings.Replace(text, "\ndefaults\n", "\n"+strings.Join(c.Secrets, "\n")+"\n\ndefaults\n", 1)
	}
	if c.Before != "" {
		text += "\n" + c.Before
	}
	return draft.Canonical(text)
}

// listOperations shows what a document describes.
func (a *app) listOperations(doc *contract.Document, c *draft.Choice) error {
	w := tabwriter.NewWriter(a.out, 0, 4, 2, ' ', 0)
	n := 0
	for _, op := range doc.Operations {
		if !c.Takes(op) {
			continue
		}
		n++
		tag, id := strings.Join(op.Spec.Tags, ", "), op.Spec.OperationID
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", op.Method, report.Clean(op.Path, true), report.Clean(tag, true), report.Clean(id, true))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	fmt.Fprintln(a.out, event.Count(n, "operation"))
	return nil
}

// titles are those of all statements of a project's files.
func titles(dir string) ([]string, error) {
	var out []string
	err := filepath.WalkDir(dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(at) != ".upath" {
			return err
		}
		data, err := source.ReadFile(at)
		if err != nil {
			return err
		}
		list, ok := draft.Statements(at, string(data))
		if !ok {
			return usage(at+" cannot be read: nothing was written", "usualpath lint "+quoteArg(at))
		}
		out = append(out, list...)
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil, usage("--update: there is no project in "+dir, "leave --update out to draft one")
	}
	return out, err
}

// update adds to files what is new, each whole or not at all.
func update(dir, head string, suite *draft.Suite, operations page) ([]string, error) {
	var wrote []string
	pages := []page{}
	if _, err := os.Lstat(filepath.Join(dir, "project.upath")); errors.Is(err, fs.ErrNotExist) {
		pages = append(pages, page{"project.upath", head})
	}
	for _, n := range suite.Names {
		data, err := os.ReadFile(filepath.Join(dir, n))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, &exit{code: exitBroken, message: err.Error()}
		}
		pages = append(pages, page{n, suite.Added(n, string(data))})
	}
	for n, data := range suite.Pictures {
		pages = append(pages, page{n, data})
	}
	for _, p := range append(pages, operations) {
		word := "added to "
		if _, err := os.Lstat(filepath.Join(dir, p.name)); err != nil {
			word = "wrote "
		}
		if err := source.WriteWhole(filepath.Join(dir, p.name), []byte(p.text)); err != nil {
			return nil, &exit{code: exitBroken, message: err.Error()}
		}
		wrote = append(wrote, word+filepath.Join(dir, p.name))
	}
	return wrote, nil
}

// readContract reads a document from a file or a URL, a JSON Schema as one of a
// collection.
func (a *app) readContract(ctx context.Context, name string, allow []string) (*contract.Document, error) {
	if !strings.Contains(name, "://") {
		if data, err := source.ReadFile(name); err == nil && draft.IsSchema(data) {
			return a.schemaDocument(name, data)
		}
		return a.loadContract(name, "--from-openapi")
	}
	u, err := url.Parse(name)
	if err != nil {
		return nil, usage("--from-openapi: "+name+" is not a URL", "")
	}
	if ctx == nil {
		ctx = context.Background()
	}
	client := exchange.NewClient(exchange.Options{Allow: allow, MaxBody: 64 << 20, Agent: agent()})
	defer client.Close()
	x := client.Do(ctx, &exchange.Request{Method: "GET", URL: name, Timeout: 30 * time.Second, Follow: 3, Header: []exchange.Field{{Name: "Accept", Value: "application/json, application/yaml;q=0.9, */*;q=0.8"}}})
	switch {
	case x.Failure != nil:
		return nil, &exit{code: exitUnreachable, message: "--from-openapi: " + x.Failure.Error(), hint: "a document elsewhere is read with --allow-host " + u.Hostname()}
	case x.Answer.Status != 200:
		return nil, usage("--from-openapi: "+name+" answered "+x.Answer.StatusText(), "usualpath try GET "+quoteArg(name)+" shows what is there")
	}
	at := path.Base(u.Path)
	if draft.IsSchema(x.Answer.Body) {
		return a.schemaDocument(at, x.Answer.Body)
	}
	doc, err := contract.LoadData(at, x.Answer.Body, "")
	if err != nil {
		return nil, usage("--from-openapi: "+err.Error(), "OpenAPI 3.0 and 3.1 and Swagger 2.0 are read, as JSON or YAML")
	}
	a.flawed(name, doc)
	if doc.Base().Host == "" {
		doc.At(u.Scheme, u.Host)
	}
	return doc, nil
}

func (a *app) schemaDocument(name string, data []byte) (*contract.Document, error) {
	made, err := draft.FromSchema(name, data)
	if err != nil {
		return nil, usage("--from-openapi: "+err.Error(), "")
	}
	doc, err := contract.LoadData(name, made, "")
	if err != nil {
		return nil, usage("--from-openapi: "+err.Error(), "")
	}
	return doc, nil
}

// loadContract reads an OpenAPI document that an option names.
func (a *app) loadContract(name, option string) (*contract.Document, error) {
	doc, err := contract.Load(name)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil, unread(option, name, err)
	case err != nil:
		return nil, usage(option+": "+err.Error(), "OpenAPI 3.0 and 3.1 and Swagger 2.0 are read, as JSON or YAML")
	}
	a.flawed(name, doc)
	return doc, nil
}

func (a *app) flawed(name string, doc *contract.Document) {
	if doc.Flaw != "" {
		fmt.Fprintf(a.err, "usualpath: %s is not a valid OpenAPI document, and used as far as it goes: %s\n", name, report.Clean(doc.Flaw, true))
	}
}
