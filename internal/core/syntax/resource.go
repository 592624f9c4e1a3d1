package syntax

import (
	"strings"
)

// Operations are what a resource can do, in the order of its life.
var Operations = []string{"list", "create", "read", "replace", "amend", "delete"}

// Levels are those of derived checks, the strictest first.
var Levels = []string{"must", "should", "usual"}

var answerWords = []string{"list", "create", "read", "replace", "amend", "delete", "repeat delete", "missing", "invalid"}

// oneOf reads one of a few words.
func (p *parser) oneOf(words []string, what string) string {
	for _, w := range words {
		if p.takeWord(w) {
			return w
		}
	}
	p.spaces()
	hint := nearest(p.nextWord(), append([]string(nil), words...))
	if hint == "" {
		hint = "there are " + strings.Join(words, ", ")
	}
	p.failHere("expected "+what+", found "+p.found(), hint)
	return ""
}
