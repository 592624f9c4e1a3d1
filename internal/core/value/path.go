package value

import (
	"fmt"
	"strconv"
	"strings"
)

// Path is a place in a value. The zero Path is the root.
type Path struct {
	parent  *Path
	name    string
	index   int
	element bool
	deep    int
}

// Member is the path of a member below p; p may be nil, the root.
func (p *Path) Member(name string) *Path { return p.below(Path{name: name}) }

// Element is the path of an array element below p; p may be nil, the root.
func (p *Path) Element(index int) *Path { return p.below(Path{index: index, element: true}) }

func (p *Path) below(child Path) *Path {
	child.parent, child.deep = p, 1
	if p != nil {
		child.deep = p.deep + 1
	}
	return &child
}

// String is the path as one writes it: $.name[0]['odd name'] (RFC 9535 §2.5.1).
func (p Path) String() string {
	return p.text(func(name string) string {
		if plainName(name) {
			return "." + name
		}
		return "[" + QuoteName(name) + "]"
	})
}

// First is the name of the member of the root that the path goes through; "" for none.
func (p Path) First() string {
	out := ""
	for at := &p; at != nil && at.deep > 0; at = at.parent {
		if at.deep == 1 && !at.element {
			out = at.name
		}
	}
	return out
}

// Within tells whether the path goes through a member of one of these names, or through no
// member at all. Of a name that is false only the path of the member itself counts, not one of a member
// below it.
func (p Path) Within(names map[string]bool) bool {
	members := false
	for at := &p; at != nil && at.deep > 0; at = at.parent {
		if whole, there := names[at.name]; !at.element && there && (whole || !members) {
			return true
		}
		members = members || !at.element
	}
	return !members
}

// plainName tells of a name that needs no quotes.
func plainName(name string) bool {
	for i := range len(name) {
		c := name[i]
		letter := c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
		if !letter && (i == 0 || c < '0' || c > '9') {
			return false
		}
	}
	return name != ""
}

// Normalized is the normalized path (RFC 9535 §2.7): $['name'][0].
func (p Path) Normalized() string {
	return p.text(func(name string) string { return "[" + QuoteName(name) + "]" })
}

func (p Path) text(member func(name string) string) string {
	parts := make([]string, 0, p.deep+1)
	for at := &p; at != nil && at.deep > 0; at = at.parent {
		if at.element {
			parts = append(parts, "["+strconv.Itoa(at.index)+"]")
		} else {
			parts = append(parts, member(at.name))
		}
	}
	var b strings.Builder
	b.WriteByte('$')
	for i := len(parts) - 1; i >= 0; i-- {
		b.WriteString(parts[i])
	}
	return b.String()
}

// QuoteName is a member name as normalized paths write it, in single quotes
// (RFC 9535 §2.7).
func QuoteName(name string) string {
	var b strings.Builder
	b.WriteByte('\'')
	for _, r := range name {
		switch r {
		case '\'', '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case '\b':
			b.WriteString(`\b`)
		case '\t':
			b.WriteString(`\t`)
		case '\n':
			b.WriteString(`\n`)
		case '\f':
			b.WriteString(`\f`)
		case '\r':
			b.WriteString(`\r`)
		default:
			if r < ' ' {
				fmt.Fprintf(&b, `\u%04x`, r)
			} else {
				b.WriteRune(r)
			}
		}
	}
	b.WriteByte('\'')
	return b.String()
}

// Join is the path of something found at below, seen from p; p may be nil.
func (p *Path) Join(below Path) *Path {
	if below.deep == 0 {
		if p == nil {
			return &Path{}
		}
		return p
	}
	out := p
	if below.parent != nil {
		out = p.Join(*below.parent)
	}
	if below.element {
		return out.Element(below.index)
	}
	return out.Member(below.name)
}
