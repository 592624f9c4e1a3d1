// Package runner says what a run is: files are read, a service is started where
// one is needed, the engine runs, records and reports are written. It takes
// values and gives an outcome; flags, terminals and exit codes are cli's.
package runner

import "usualpath/internal/core/source"

// Kind tells whose fault it is that something could not be done.
type Kind int

// The kinds of faults.
const (
	// Usage is a value or a file that cannot be used as it is.
	Usage Kind = iota
	// Unreachable is a service that could not be started or reached.
	Unreachable
	// Interrupted is an end that was asked for.
	Interrupted
	// Broken is the tool itself, or the machine below it.
	Broken
)

// Fault is why a run did not begin, or could not be told.
type Fault struct {
	Kind Kind
	// Message is empty when Mistakes say all.
	Message, Hint string
	// Mistakes are what is wrong with the files.
	Mistakes source.Diagnostics
}

func (f *Fault) Error() string { return f.Message }

func usage(message, hint string) error {
	return &Fault{Kind: Usage, Message: message, Hint: hint}
}

func broken(message string) error { return &Fault{Kind: Broken, Message: message} }
