package resource

import (
	"fmt"
	"strings"

	"usualpath/internal/core/syntax"
)

// ofElements are arrays with the fewest and the most elements, and with an element
// on a limit of its own; or beyond these.
func ofElements(l *syntax.Limits, example *syntax.Node, within bool) []limited {
	one, known := "", false
	if example != nil && example.Kind == syntax.Array && len(example.Items) > 0 {
		one, known = syntax.OneLine(example.Items[0].Value), true
	} else if l.Of != nil {
		one, known = normal(l.Of)
	} else {
		one, known = `"{random_text(4)}"`, true
	}
	var out []limited
	list := func(n int, says string) {
		if n < 0 || n > mostElements || n > 0 && !known {
			return
		}
		out = append(out, limited{says: fmt.Sprintf("%d elements, %s", n, says), text: "[" + strings.TrimSuffix(strings.Repeat(one+", ", n), ", ") + "]"})
	}
	if c := l.Count; c != nil {
		if n, ok := whole(c.Lo); ok {
			if within {
				list(n, "the fewest")
			} else {
				list(n-1, "one too few")
			}
		}
		if n, ok := whole(c.Hi); ok {
			if within {
				list(n, "the most")
			} else {
				list(n+1, "one too many")
			}
		}
	}
	if l.Of == nil {
		return out
	}
	of := edges
	if !within {
		of = beyonds
	}
	var inner *syntax.Node
	if example != nil && example.Kind == syntax.Array && len(example.Items) > 0 {
		inner = example.Items[0].Value
	}
	fewest := 1
	if l.Count != nil {
		if n, ok := whole(l.Count.Lo); ok {
			fewest = max(1, n)
		}
	}
	if fewest > mostElements || fewest > 1 && !known {
		return out
	}
	for _, e := range of(l.Of, inner) {
		out = append(out, limited{says: "an element is " + e.says, text: "[" + e.text + strings.Repeat(", "+one, fewest-1) + "]", usual: e.usual, reads: nestedReading(e.reads)})
	}
	return out
}
