package cli

import (
	"fmt"
	"net/url"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/source"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
	"usualpath/internal/report"
	"usualpath/internal/traffic"
)

// newFromHAR drafts scenarios of a recording.
func (a *app) newFromHAR(dir, name string, f *newFlags) error {
	r, err := readHAR(f.har)
	if err != nil {
		return err
	}
	choice := traffic.Choice{Paths: f.paths}
	if f.host != "" {
		choice.Base = hostOf(r, f.host)
	}
	if f.list {
		return a.listCalls(r, choice)
	}
	d, err := traffic.From(r, choice)
	if err != nil {
		return usage(f.har+": "+err.Error(), "usualpath new --from-har "+quoteArg(f.har)+" --list shows what there is")
	}
	base, notes := runBase(d.Base, f.base)
	head := drafted(name, base)
	more := strings.Join(d.Secrets, "\n")
	if len(d.Secrets) > 0 {
		more = "\n" + more + "\n"
	}
	text := strings.Replace(head.text, "\ndefaults\n", more+"\ndefaults\n  "+strings.Join(append(d.Defaults, ""), "\n  "), 1)
	if len(d.SignIn) > 0 {
		text += "\n" + strings.Join(d.SignIn, "\n") + "\n"
	}
	head.text = draft.Canonical(text)
	d.Vet(head.text)
	file := page{"recorded.upath", "# Drafted from " + filepath.Base(f.har) + ": read it, and mend what was guessed.\n\n" + d.Text()}
	file.text = draft.Canonical(file.text)
	if err := writeAll(dir, []page{head, file}); err != nil {
		return err
	}
	a.written(dir, []string{"wrote " + filepath.Join(dir, head.name), "wrote " + filepath.Join(dir, file.name), "", event.Count(strings.Count(d.Scenario, "\n  step "), "step") + ", " + event.Count(len(d.Resources), "resource") + " of " + event.Count(len(r.Calls), "request")}, append(notes, d.Notes...))
	return nil
}

// runBase is the base URL that a run goes to: this machine, unless another was named.
func runBase(recorded, given string) (string, []string) {
	if given != "" {
		return given, nil
	}
	if local(recorded) {
		return recorded, nil
	}
	return "http://127.0.0.1:8080", []string{"it was recorded at " + recorded + ": runs go to this machine only, so 127.0.0.1:8080 was put there; --base names another"}
}

// local tells whether a URL leads to this machine.
func local(base string) bool {
	u, err := url.Parse(base)
	return err == nil && exchange.Loopback(u.Hostname())
}

func readHAR(name string) (*traffic.Recording, error) {
	data, err := source.ReadFile(name)
	if err != nil {
		return nil, unread("--from-har", name, err)
	}
	r, err := traffic.Read(data)
	if err != nil {
		return nil, usage("--from-har "+name+": "+err.Error(), "browsers save one from the network panel of their tools: \"Save all as HAR\"")
	}
	return r, nil
}

// hostOf is the origin of a host that calls went to, as they name it.
func hostOf(r *traffic.Recording, host string) string {
	if strings.Contains(host, "://") {
		return host
	}
	for _, c := range r.Calls {
		if scheme, rest, _ := strings.Cut(c.URL(), "://"); strings.HasPrefix(rest+"/", host+"/") || strings.HasPrefix(rest, host+":") {
			at, _, _ := strings.Cut(rest, "/")
			return scheme + "://" + at
		}
	}
	return "http://" + host
}

// listCalls lists the calls of a recording; those that a draft would take are marked.
func (a *app) listCalls(r *traffic.Recording, o traffic.Choice) error {
	_, chosen, notes, err := r.Choose(o)
	taken := map[int]bool{}
	for _, c := range chosen {
		taken[c.Number] = true
	}
	hidden := mask.New()
	for _, c := range r.Calls {
		for _, f := range mask.InURL(c.URL()) {
			hidden.Add(f.Value)
		}
		for _, h := range c.Exchange.Request.Header {
			for _, f := range mask.InHeader(h.Name, h.Value) {
				hidden.Add(f.Value)
			}
		}
	}
	w := tabwriter.NewWriter(a.out, 0, 8, 2, ' ', 0)
	for _, c := range r.Calls {
		mark := " "
		if taken[c.Number] {
			mark = a.style(a.out).Arrow()
		}
		status := "no answer"
		if c.Status() > 0 {
			status = exchange.StatusText(c.Status())
		}
		fmt.Fprintf(w, "%s %d\t%s %s\t%s\n", mark, c.Number, c.Method(), report.Clean(value.Cut(hidden.Text(c.URL()), 90), false), status)
	}
	if err := w.Flush(); err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	if err != nil {
		fmt.Fprintf(a.out, "\n%s\n", err)
	}
	for i, n := range notes {
		if i == 0 {
			fmt.Fprintln(a.out)
		}
		fmt.Fprintln(a.out, report.Clean(n, false))
	}
	return nil
}
