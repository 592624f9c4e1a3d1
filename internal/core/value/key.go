package value

import (
	"slices"
	"strconv"
	"strings"
)

// Key is a text that two values share exactly when they are Equal.
func (v *Value) Key() string {
	var b strings.Builder
	v.key(&b)
	return b.String()
}

func (v *Value) key(b *strings.Builder) {
	switch v.Kind {
	case Number:
		d := takeApart(v.Text)
		if d.negative {
			b.WriteByte('-')
		}
		b.WriteString("0." + d.digits + "e")
		if d.far != nil {
			b.WriteString(d.far.String())
		} else {
			b.WriteString(strconv.FormatInt(d.exp, 10))
		}
	case Array:
		b.WriteByte('[')
		for _, item := range v.Items {
			item.key(b)
			b.WriteByte(',')
		}
		b.WriteByte(']')
	case Object:
		order := make([]int, len(v.Names))
		for i := range order {
			order[i] = i
		}
		slices.SortFunc(order, func(a, b int) int { return strings.Compare(v.Names[a], v.Names[b]) })
		b.WriteByte('{')
		for _, i := range order {
			quote(b, v.Names[i])
			b.WriteByte(':')
			v.Items[i].key(b)
			b.WriteByte(',')
		}
		b.WriteByte('}')
	default:
		v.write(b, ",", ":")
	}
}
