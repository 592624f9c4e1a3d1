package cli

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
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
	scenarios, checks := a.listText(out)
	for _, r := range resources {
		// Of some checks only, what is not among them is no news.
		if len(f.checks)+len(f.families) == 0 && slices.ContainsFunc(out, func(l listed) bool { return l.Resource == r.Name && l.File == r.File.Source.Name }) {
			a.listLacks(r)
		}
	}
	fmt.Fprintf(a.out, "\n%s, %s; nothing was sent\n", event.Count(scenarios, "scenario"), event.Count(checks, "check"))
	return nil
}

// listLacks says which checks a resource does not get, and an example of the line that would give them.
func (a *app) listLacks(r *resource.Resource) {
	lacks := r.Lacks()
	if len(lacks) == 0 {
		return
	}
	s := a.style(a.out)
	fmt.Fprintf(a.out, "\nchecks that %s does not get\n", s.Strong(r.Name))
	for _, l := range lacks {
		why := "  " + l.Why
		if l.Line != "" {
			why += s.Faint("   for example: ") + value.Cut(l.Line, 60)
		}
		fmt.Fprintln(a.out, why)
		for _, line := range report.Fold(strings.Join(l.Checks, ", "), 90) {
			fmt.Fprintln(a.out, "    "+s.Faint(line))
		}
	}
}

func (a *app) listText(list []listed) (scenarios, checks int) {
	s := a.style(a.out)
	file, resource := "", ""
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
	return scenarios, checks
}
