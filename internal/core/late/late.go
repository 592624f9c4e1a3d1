// Package late makes things when they are first used: what every command would wait for
// otherwise, at each start.
package late

import (
	"regexp"
	"sync"
)

// Regexp gives a regular expression, compiled once; it panics at the first use where the
// text is not one, so a test has to use each.
func Regexp(text string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(text) })
}
