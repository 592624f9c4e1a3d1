package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

func (s *Scene) step(title string, lines ...line) {
	now := len(s.body)
	lines = s.revised(&s.body, lines...)
	if len(s.body) > now {
		s.body[now].lines = append(s.pending, s.body[now].lines...)
	} else {
		lines = append(s.pending, lines...)
	}
	s.pending = nil
	s.body = append(s.body, step{title, lines})
}

// cleanup adds a step that runs whatever happened before. Later ones come
// first: what depends on an item goes before the item.
func (s *Scene) cleanup(title string, lines ...line) {
	var before []step
	lines = s.revised(&before, lines...)
	s.after = slices.Concat(before, []step{{title, lines}}, s.after)
}

func (s *Scene) Let(name, text string) {
	b := binding{name, text}
	switch {
	case slices.Contains(s.lets, b):
	case strings.HasPrefix(text, "{random_int("):
		// Others are made of it.
		s.lets = append([]binding{b}, s.lets...)
	default:
		s.lets = append(s.lets, b)
	}
}

// writes tells whether some step sends what may change the state.
func (s *Scene) writes() bool {
	return slices.ContainsFunc(slices.Concat(s.body, s.after), func(st step) bool {
		return slices.ContainsFunc(st.lines, func(l line) bool {
			return l.place == request && !slices.Contains([]string{"GET", "HEAD", "OPTIONS", invented}, l.method)
		})
	})
}

// text is a derived check's scenario.
func (s *Scene) text() string {
	s.nameBodies()
	title := s.Name + " " + s.check.ID()
	if s.level != s.check.Level {
		title += ", " + s.level
	}
	if s.of != "" {
		title += ", " + s.of
	}
	line := "  check " + s.check.ID() + " of " + s.Name + " on " + s.check.Operation(s.Resource).String()
	if s.level != "must" {
		line += " level " + s.level
	}
	line += "\n"
	guards := ""
	if s.writes() {
		guards = s.guards()
	}
	return s.scenario(title, s.check.Because(), line, guards)
}

// Text is the whole scenario, which keeps away from what was there before.
func (s *Scene) Text(title, about string) string { return s.scenario(title, about, "", s.guards()) }

func (s *Scene) scenario(title, about, check, guards string) string {
	var b strings.Builder
	b.WriteString("scenario " + syntax.Quoted(title) + "\n  about " + syntax.Quoted(about) + "\n" + check + "  need status not 429 and not 503\n")
	if s.check.Alone {
		b.WriteString("  alone\n")
	}
	for _, l := range slices.Concat(s.head, s.Lines) {
		b.WriteString("  " + l + "\n")
	}
	b.WriteString(guards + strings.Join(s.observes, "") + s.rest())
	return b.String()
}

// rest is the scenario from its lets on.
func (s *Scene) rest() string {
	var steps, b strings.Builder
	for _, st := range s.body {
		steps.WriteString(st.text())
	}
	for i, st := range s.after {
		if i == 0 {
			steps.WriteString("\nafterwards")
		}
		steps.WriteString(st.text())
	}
	for i, l := range s.lets {
		// A let that nothing uses would only be in the way.
		used := func() bool {
			return mentions(steps.String(), l.name) || slices.ContainsFunc(s.lets[i+1:], func(later binding) bool { return mentions(later.text, l.name) })
		}
		if s.All || used() {
			b.WriteString("  let " + l.name + " = " + l.text + "\n")
		}
	}
	return b.String() + steps.String()
}
