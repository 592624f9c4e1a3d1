package source

import (
	"cmp"
	"slices"
	"strings"
)

// Severity tells whether a diagnostic stops a run.
type Severity int

const (
	// Error stops a run before anything is sent.
	Error Severity = iota
	// Warning is worth a look and stops nothing.
	Warning
)

func (s Severity) String() string {
	if s == Warning {
		return "warning"
	}
	return "error"
}

// Diagnostic is one thing to be said about one place. It is data: how it is
// drawn is decided elsewhere.
type Diagnostic struct {
	Severity Severity
	File     *File
	Span     Span
	// Message says what is wrong, in one line without a full stop.
	Message string
	// Hint says how to mend it; may be empty.
	Hint string
	// Whole marks a diagnostic about the file itself, with no line to show.
	Whole bool
}

// Diagnostics is a list in any order.
type Diagnostics []Diagnostic

// Errors counts the diagnostics that stop a run.
func (d Diagnostics) Errors() int {
	n := 0
	for _, one := range d {
		if one.Severity == Error {
			n++
		}
	}
	return n
}

// Sort orders by file name, then place, then severity, and drops exact repeats.
func (d Diagnostics) Sort() Diagnostics {
	slices.SortStableFunc(d, func(a, b Diagnostic) int {
		return cmp.Or(strings.Compare(a.File.Name, b.File.Name), a.Span.Start-b.Span.Start, int(a.Severity)-int(b.Severity))
	})
	out := d[:0]
	for i, one := range d {
		if i > 0 {
			last := d[i-1]
			if last.File.Name == one.File.Name && last.Span == one.Span && last.Message == one.Message {
				continue
			}
		}
		out = append(out, one)
	}
	return out
}
