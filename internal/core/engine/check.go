package engine

import (
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
)

func (r *environment) checkOf(s *project.Scenario) *event.Check {
	c := s.Check
	if c == nil {
		return nil
	}
	out := &event.Check{ID: c.ID, Level: c.Level, Resource: c.Resource, Operation: c.Operation}
	if r.o.Describe != nil {
		r.o.Describe(out)
	}
	return out
}

func resourceKey(f *project.File, c *event.Check) string { return keyOf(f, c.Resource) }

func keyOf(f *project.File, resource string) string { return f.Path + "\x00" + resource }

// blockedBy tells why a check is blocked without being run, or "".
func (r *environment) blockedBy(f *project.File, c *event.Check) string {
	if c == nil {
		return ""
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if c.Anyway && r.unnamed[resourceKey(f, c)] {
		return ""
	}
	return r.blocked[resourceKey(f, c)]
}

func (r *environment) shutOff(f *project.File, c *event.Check, why string) {
	if why == "" {
		why = "the examples of the resource do not work"
	}
	r.mu.Lock()
	r.blocked[resourceKey(f, c)] = why
	r.mu.Unlock()
}
