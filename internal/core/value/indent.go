package value

import "strings"

// Indented is JSON on several lines, two spaces a level, as it is saved and
// shown; empty objects and arrays stay on their line.
func (v *Value) Indented() string {
	var b strings.Builder
	v.indent(&b, 0)
	return b.String()
}

func (v *Value) indent(b *strings.Builder, level int) {
	if len(v.Items) == 0 || v.Kind != Array && v.Kind != Object {
		v.write(b, ", ", ": ")
		return
	}
	open, end := byte('{'), byte('}')
	if v.Kind == Array {
		open, end = '[', ']'
	}
	b.WriteByte(open)
	for i, item := range v.Items {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteByte('\n')
		b.WriteString(strings.Repeat("  ", level+1))
		if v.Kind == Object {
			quote(b, v.Names[i])
			b.WriteString(": ")
		}
		item.indent(b, level+1)
	}
	b.WriteByte('\n')
	b.WriteString(strings.Repeat("  ", level))
	b.WriteByte(end)
}
