package bound

import (
	"bytes"
	"fmt"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// Bounds of a document in JSON or YAML: how deep it is nested, and how many values it has once its
// aliases are written out.
const (
	deepest = 500
	widest  = 2_000_000
)

// Document tells whether a document in JSON or YAML is within bounds, before anything reads it
// into memory: aliases of aliases make a few lines more than a machine holds.
func Document(data []byte) error {
	deep, most, quoted := 0, 0, false
	indent, start := 0, true
	for i := 0; i < len(data); i++ {
		switch c := data[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
			start = false
		case c == '\n':
			// A text in YAML may have a quotation mark of its own: it ends with the line there.
			quoted, indent, start = false, 0, true
		case quoted:
		case c == '{' || c == '[':
			deep++
			start = false
		case c == '}' || c == ']':
			deep = max(0, deep-1)
		case c == ' ' && start:
			indent++
		default:
			start = false
		}
		most = max(most, deep, indent/2)
	}
	if most > deepest {
		return fmt.Errorf("it is nested deeper than %d levels", deepest)
	}
	if !bytes.Contains(data, []byte("*")) || !bytes.Contains(data, []byte("&")) || len(bytes.TrimSpace(data)) == 0 || bytes.TrimSpace(data)[0] == '{' {
		return nil
	}
	f, err := parser.ParseBytes(data, 0)
	if err != nil {
		// Whoever reads it says what is wrong.
		return nil
	}
	sizes := map[string]int{}
	total := 0
	for _, d := range f.Docs {
		total += size(d.Body, sizes)
	}
	if total > widest {
		return fmt.Errorf("it has more than %s values once its aliases are written out", Millions(widest))
	}
	return nil
}

// size is how many values a node has, at most a little more than there may be.
func size(n ast.Node, sizes map[string]int) int {
	total := 1
	switch n := n.(type) {
	case *ast.MappingNode:
		for _, v := range n.Values {
			total += size(v, sizes)
		}
	case *ast.MappingValueNode:
		total += size(n.Value, sizes)
	case *ast.SequenceNode:
		for _, v := range n.Values {
			total += size(v, sizes)
		}
	case *ast.AnchorNode:
		total = size(n.Value, sizes)
		sizes[n.Name.String()] = total
	case *ast.AliasNode:
		total += sizes[n.Value.String()]
	case *ast.TagNode:
		total += size(n.Value, sizes)
	}
	return min(total, widest+1)
}
