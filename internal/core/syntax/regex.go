package syntax

import (
	"regexp"
	"strings"
)

// compileRegex makes the matcher of a Regex node; `\/` is a slash.
func compileRegex(n *Node) (*regexp.Regexp, error) {
	text := strings.ReplaceAll(n.Text, `\/`, "/")
	if n.Fold {
		text = "(?i)" + text
	}
	return regexp.Compile(text)
}
