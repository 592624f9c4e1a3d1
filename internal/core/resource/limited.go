package resource

import (
	"regexp"
	"strconv"
	"time"

	"usualpath/internal/core/pattern"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// taken is a member of what a body may hold.
type taken struct {
	Name     string
	Optional bool
	Shape    *syntax.Node
}

// reading is how a value on a limit may read.
type reading int

// limited is a value of a member on a limit, or one step beyond it.
type limited struct {
	// says is what it is in words: "60 characters, the longest".
	says string
	// text is the value as text of the language; "" leaves the member out.
	text string
	// usual is what many services see otherwise, with good reason.
	usual bool
	reads reading
	// like is an ordinary value of the kind: where that is refused too, the reason is
	// another one, such as an end before its beginning.
	like string
}

// longest bounds the texts that are sent, in characters, and mostElements arrays.
const (
	longest      = 100_000
	mostElements = 1_000
)

// sampler works values out that the tool writes itself.
var sampler = func() *scope.Scope {
	names := scope.New(&scope.World{Rand: scope.Seeded(1, "takes"), Now: time.Now})
	names.Bind("turn", value.NewInt(123_456))
	return names
}

// sample is what a text of the language is worth, with numbers and random texts
// as they might come; nil where it cannot be told.
func sample(text string) *value.Value {
	tree, diags := syntax.Parse(source.NewFile("takes", "let x = "+text+"\n"))
	if diags.Errors() > 0 || len(tree.Statements) != 1 {
		return nil
	}
	let, ok := tree.Statements[0].Body.(*syntax.Let)
	if !ok || let.Value == nil {
		return nil
	}
	v, err := sampler().Value(let.Value)
	if err != nil {
		return nil
	}
	return v
}

// fits tells whether a text of the language has a shape.
func fits(n *syntax.Node, text string) (fits, known bool) {
	v := sample(text)
	if v == nil {
		return false, false
	}
	r, err := shape.Match(n, v, sampler())
	return err == nil && r.Held(), err == nil
}

func missesOf(re *regexp.Regexp) []limited {
	short, _, ok := pattern.Fit(re)
	if !ok {
		return nil
	}
	var out []limited
	for _, m := range pattern.Near(re, short) {
		out = append(out, limited{says: value.Quoted(value.Cut(m.Text, 40)) + ", the pattern " + m.How, text: syntax.Quoted(m.Text)})
	}
	return out
}

// whole is a bound as a whole number; false where it is none, or a name.
func whole(n *syntax.Node) (int, bool) {
	if n == nil || n.Kind != syntax.Number {
		return 0, false
	}
	i, err := strconv.Atoi(value.PlainInteger(n.Text))
	return i, err == nil && i >= 0
}

const (
	asSent reading = iota
	// asNull is null, absent or a default, asInstant the same time in any offset, anyCase the
	// same text in either case; unread is not looked at.
	asNull
	asInstant
	anyCase
	unread
)
