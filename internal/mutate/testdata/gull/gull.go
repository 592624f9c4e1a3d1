// Package gull is broken by the test of the tool that does so.
package gull

// Flies tells whether it is warm enough.
func Flies(degrees int, windy bool) bool {
	if degrees > 10 && !windy {
		return true
	}
	return false
}

// Never is not tested.
func Never() string { return "never" }
