package cli

import (
	"encoding/json"
	"fmt"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/report"
	"usualpath/internal/runner"
)

// listed is a scenario that would run, as --list=json tells it.
type listed struct {
	File  string   `json:"file"`
	Line  int      `json:"line"`
	Title string   `json:"title"`
	Tags  []string `json:"tags,omitempty"`
	// Times is how often, once for each row.
	Times     int    `json:"times"`
	Check     string `json:"check,omitempty"`
	Resource  string `json:"resource,omitempty"`
	Operation string `json:"operation,omitempty"`
	Level     string `json:"level,omitempty"`
}

// list says what a run would run.
func (a *app) list(p *project.Project, resources []*resource.Resource, f *runFlags) error {
	c, err := a.config(p, resources, f)
	if err != nil {
		return err
	}
	plan, err := runner.Plan(*c)
	if err != nil {
		return a.fault(err)
	}
	var out []listed
	for _, one := range plan {
		l := listed{File: one.File.Source.Name, Line: one.Line(), Title: one.Raw(), Tags: one.Tags, Times: one.Times}
		if k := one.Check; k != nil {
			l.Check, l.Resource, l.Operation, l.Level = k.ID, k.Resource, k.Operation, k.Level
		}
		if one.File.Derived() {
			l.File = one.File.Uses[0].Source.Name
		}
		out = append(out, l)
	}
	if f.list == "json" {
		e := json.NewEncoder(a.out)
		e.SetEscapeHTML(false)
		e.SetIndent("", "  ")
		return e.Encode(out)
	}
	a.listText(out)
	return nil
}

func (a *app) listText(list []listed) {
	s := a.style(a.out)
	file, resource, scenarios, checks := "", "", 0, 0
	for _, l := range list {
		if l.File != file {
			if file != "" {
				fmt.Fprintln(a.out)
			}
			file, resource = l.File, ""
			fmt.Fprintln(a.out, s.Strong(report.Clean(file, false)))
		}
		place := s.Faint(fmt.Sprintf("%5d", l.Line))
		if l.Check != "" {
			checks++
			if l.Resource != resource {
				resource = l.Resource
				fmt.Fprintf(a.out, "  checks of %s\n", s.Strong(resource))
			}
			fmt.Fprintf(a.out, "%s  %-40s %-8s %s\n", place, l.Check, l.Operation, s.Faint(l.Level))
			continue
		}
		scenarios += l.Times
		text := report.Clean(l.Title, false)
		if l.Times > 1 {
			text += s.Faint(fmt.Sprintf("   %d rows", l.Times))
		}
		if len(l.Tags) > 0 {
			text += s.Faint("   " + strings.Join(l.Tags, ", "))
		}
		fmt.Fprintf(a.out, "%s  %s\n", place, text)
	}
	fmt.Fprintf(a.out, "\n%s, %s; nothing was sent\n", event.Count(scenarios, "scenario"), event.Count(checks, "check"))
}
