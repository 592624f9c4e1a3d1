package expect

import (
	"bytes"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// sameBytes compares a whole body with another, or with a file, as bytes: equal ones are the same,
// whatever they are. Told is false where they differ and are to be compared as what they say.
func (c *Context) sameBytes(p *syntax.Predicate) (out Outcome, told bool) {
	if p.Source == nil || p.Source.Path != nil || len(p.Except) > 0 {
		return Outcome{}, false
	}
	var want []byte
	what := sourceText(p.Source)
	switch p.Source.Kind {
	case "file":
		name, err := c.Names.Text(p.Source.Title.Template)
		if err != nil {
			return broken(err), true
		}
		if want, err = c.ReadFile(name); err != nil {
			return broken(err), true
		}
		what = name
	case "step":
		other, out := c.other(p.Source)
		if other == nil {
			return out, true
		}
		want = other.Answer.Body
	case "sent":
		if want = c.Reply.Request.Body; len(want) == 0 {
			return Outcome{}, false
		}
	default:
		return Outcome{}, false
	}
	got := c.Reply.Answer.Body
	if bytes.Equal(got, want) {
		return Outcome{Held: true}, true
	}
	_, errGot := c.Reply.JSON()
	_, errWant := value.Decode(string(want), value.Limits{})
	if errGot == nil || errWant == nil || len(got) == 0 {
		return Outcome{}, false
	}
	at := 0
	for at < min(len(got), len(want)) && got[at] == want[at] {
		at++
	}
	return miss("the body has %d bytes, %s has %d: they differ from byte %d on", len(got), what, len(want), at+1), true
}
