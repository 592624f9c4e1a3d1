package syntax

import (
	"regexp"
	"strings"

	"usualpath/internal/core/source"
)

// compileRegex makes the matcher of a Regex node; `\/` is a slash.
func compileRegex(n *Node) (*regexp.Regexp, error) {
	text := strings.ReplaceAll(n.Text, `\/`, "/")
	if n.Fold {
		text = "(?i)" + text
	}
	return regexp.Compile(text)
}

// IsPattern tells whether a text is a regular expression as the language writes
// it: /…/.
func IsPattern(text string) bool {
	p := &parser{cursor: cursor{file: source.NewFile("pattern", text), s: text}}
	n := p.regexNode()
	return !p.failed && n != nil && p.i == len(text)
}
