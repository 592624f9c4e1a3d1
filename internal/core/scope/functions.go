package scope

import (
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// function is one of the language's functions.
type function struct {
	// min and max are how many arguments it takes; max -1 for any number.
	min, max int
	// form is how it is written, help what it gives.
	form, help string
	run        func(w *World, args []*value.Value) (*value.Value, error)
}

const (
	letters    = "abcdefghijklmnopqrstuvwxyz0123456789"
	dateLayout = "2006-01-02"
)

var functions = map[string]function{
	"uuid": {0, 0, "uuid()", "a random UUID", func(w *World, _ []*value.Value) (*value.Value, error) {
		id, err := uuid.NewRandomFromReader(randomReader{w.Rand})
		return w.drawn(value.NewString(id.String())), err
	}},
	"random_int": {2, 2, "random_int(1, 6)", "a random whole number from the first to the second, both included", func(w *World, a []*value.Value) (*value.Value, error) {
		lo, hi, err := twoInts(a)
		if err != nil {
			return nil, err
		}
		if hi < lo {
			return nil, fmt.Errorf("random_int(%d, %d): the smaller number comes first", lo, hi)
		}
		return w.drawn(value.NewInt(int64(lo) + w.Rand.Int64N(int64(hi)-int64(lo)+1))), nil
	}},
	"random_text": {1, 1, "random_text(12)", "a string of this many random letters and digits", func(w *World, a []*value.Value) (*value.Value, error) {
		n, err := size(a[0])
		if err != nil {
			return nil, err
		}
		b := make([]byte, n)
		for i := range b {
			b[i] = letters[w.Rand.IntN(len(letters))]
		}
		return w.drawn(value.NewString(string(b))), nil
	}},
	"pick": {1, -1, `pick("a", "b")`, "one of the values, or of the elements of one list", func(w *World, a []*value.Value) (*value.Value, error) {
		if len(a) == 1 && a[0].Kind == value.Array && len(a[0].Items) > 0 {
			a = a[0].Items
		}
		return a[w.Rand.IntN(len(a))], nil
	}},
	"now": {0, 1, "now(-5m)", "the time, RFC 3339 in UTC, or so long before or after it", func(w *World, a []*value.Value) (*value.Value, error) {
		by, err := offset(a)
		return value.NewString(w.Now().UTC().Add(by).Format(time.RFC3339)), err
	}},
	"today": {0, 1, "today(3d)", "the date in UTC, or so many days before or after it", func(w *World, a []*value.Value) (*value.Value, error) {
		by, err := offset(a)
		return value.NewString(w.Now().UTC().Add(by).Format(dateLayout)), err
	}},
	"in_days": {1, 1, "in_days(3)", "the date this many days from today", func(w *World, a []*value.Value) (*value.Value, error) {
		n, ok := a[0].Int()
		if !ok || n > 4_000_000 || n < -4_000_000 {
			return nil, fmt.Errorf("%s is not a number of days", value.Cut(a[0].String(), 40))
		}
		return value.NewString(w.Now().UTC().AddDate(0, 0, n).Format(dateLayout)), nil
	}},
	"repeat": {2, 2, `repeat("ab", 3)`, "a text, repeated this many times", func(_ *World, a []*value.Value) (*value.Value, error) {
		n, err := size(a[1])
		if err != nil {
			return nil, err
		}
		text := a[0].Plain()
		if n*len(text) > bound.Text() {
			return nil, fmt.Errorf("repeat() would make more than %s, which is the limit (%s)", bound.MiB(bound.Text()), bound.Hint)
		}
		return value.NewString(strings.Repeat(text, n)), nil
	}},
	"base64": {1, 1, `base64("text")`, "a text in Base64", func(_ *World, a []*value.Value) (*value.Value, error) {
		return value.NewString(base64.StdEncoding.EncodeToString([]byte(a[0].Plain()))), nil
	}},
	"lower": {1, 1, `lower("Text")`, "a text in lower case", func(_ *World, a []*value.Value) (*value.Value, error) {
		return value.NewString(strings.ToLower(a[0].Plain())), nil
	}},
	"upper": {1, 1, `upper("Text")`, "a text in upper case", func(_ *World, a []*value.Value) (*value.Value, error) {
		return value.NewString(strings.ToUpper(a[0].Plain())), nil
	}},
	"number": {1, 1, `number("51")`, "the number that a text spells; anything else as it is", func(_ *World, a []*value.Value) (*value.Value, error) {
		if v, err := value.Decode(a[0].Text, value.Limits{}); a[0].Kind == value.String && err == nil && v.Kind == value.Number {
			return v, nil
		}
		return a[0], nil
	}},
	"another": {1, 2, "another(id)", "a value of the same form that nothing is likely to have; with a list, none of the list", func(w *World, a []*value.Value) (*value.Value, error) {
		if len(a) == 1 {
			return Another(w.Rand, a[0])
		}
		return anotherThan(w.Rand, a[0], a[1])
	}},
	"members": {1, 1, "members(3)", "an object of this many members, m1, m2, …", func(_ *World, a []*value.Value) (*value.Value, error) {
		n, err := size(a[0])
		if err == nil && n > bound.Values() {
			err = fmt.Errorf("members() would make more than %s values, which is the limit (%s)", bound.Millions(bound.Values()), bound.Hint)
		}
		out := value.NewObject()
		for i := 1; i <= n && err == nil; i++ {
			out.Add(fmt.Sprintf("m%d", i), value.NewInt(int64(i)))
		}
		return out, err
	}},
	"nth": {2, 2, "nth(ids, 1)", "an element of a list, counted from 1", func(_ *World, a []*value.Value) (*value.Value, error) {
		n, ok := a[1].Int()
		if a[0].Kind != value.Array || !ok || n < 1 {
			return nil, fmt.Errorf("nth() takes a list and a place in it, counted from 1")
		}
		if n > len(a[0].Items) {
			return nil, &Unbound{fmt.Sprintf("element %d of a list of %d", n, len(a[0].Items))}
		}
		return a[0].Items[n-1], nil
	}},
	"with_member": {3, 3, `with_member(boat, "name", "Tern")`, "an object with one member more, or another value for it", func(_ *World, a []*value.Value) (*value.Value, error) {
		if a[0].Kind != value.Object || a[1].Kind != value.String {
			return nil, fmt.Errorf("with_member() takes an object, a member's name and its value, not %s", value.Cut(a[0].String(), 40))
		}
		out, done := value.NewObject(), false
		for i, n := range a[0].Names {
			v := a[0].Items[i]
			if n == a[1].Text {
				v, done = a[2], true
			}
			out.Add(n, v)
		}
		if !done {
			out.Add(a[1].Text, a[2])
		}
		return out, nil
	}},
	"join": {2, 2, `join(tags, ", ")`, "the elements of a list as one text, with another between them", func(_ *World, a []*value.Value) (*value.Value, error) {
		if a[0].Kind != value.Array {
			return nil, fmt.Errorf("join() takes a list, not %s", value.Cut(a[0].String(), 40))
		}
		var parts []string
		for _, it := range a[0].Items {
			parts = append(parts, it.Plain())
		}
		return value.NewString(strings.Join(parts, a[1].Plain())), nil
	}},
	"length": {1, 1, "length(name)", "how many characters, elements or members it has", func(_ *World, a []*value.Value) (*value.Value, error) {
		n, ok := a[0].Length()
		if !ok {
			return nil, fmt.Errorf("%s has no length", value.Cut(a[0].String(), 40))
		}
		return value.NewInt(int64(n)), nil
	}},
	"file": {1, 1, `file("boat.json")`, "the text of a file, or the value of one that ends in .json", func(w *World, a []*value.Value) (*value.Value, error) {
		data, err := w.ReadFile(a[0].Plain())
		if err != nil {
			return nil, err
		}
		if !strings.HasSuffix(strings.ToLower(a[0].Plain()), ".json") {
			return value.NewString(string(data)), nil
		}
		v, err := value.Decode(string(data), value.Limits{})
		if err != nil {
			return nil, fmt.Errorf("%s is not JSON: %w", a[0].Plain(), err)
		}
		return v, nil
	}},
}

// Functions are the names of the language's functions, sorted.
func Functions() []string {
	var out []string
	for n := range functions {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// Describe is how a function is written, and what it gives; both are empty for
// a name that is none.
func Describe(name string) (form, help string) {
	f := functions[name]
	return f.form, f.help
}

// CheckCall tells what is wrong with a call before anything runs: an unknown
// function or a wrong number of arguments. Both texts are empty when all is
// well.
func CheckCall(e *syntax.Expr) (message, form string) {
	f, ok := functions[e.Name]
	switch {
	case !ok:
		return "unknown function " + e.Name + "()", ""
	case len(e.Args) < f.min || f.max >= 0 && len(e.Args) > f.max:
		return fmt.Sprintf("%s() takes %s, not %d", e.Name, arguments(f), len(e.Args)), f.form
	}
	return "", ""
}

// offset is the duration, with or without a sign, that a call may be given.
func offset(a []*value.Value) (time.Duration, error) {
	if len(a) == 0 {
		return 0, nil
	}
	text, minus := strings.CutPrefix(a[0].Plain(), "-")
	by, err := syntax.ParseDuration(text)
	if minus {
		by = -by
	}
	return by, err
}

func arguments(f function) string {
	switch {
	case f.min == 0 && f.max == 1:
		return "one argument or none"
	case f.max < 0:
		return "one argument or more"
	case f.max == 0:
		return "no arguments"
	case f.max == 1:
		return "one argument"
	}
	return fmt.Sprintf("%d arguments", f.max)
}

func (s *Scope) call(e *syntax.Expr) (*value.Value, error) {
	if message, _ := CheckCall(e); message != "" {
		return nil, fmt.Errorf("%s", message)
	}
	args := make([]*value.Value, len(e.Args))
	for i, a := range e.Args {
		v, err := s.Expr(a)
		if err != nil {
			return nil, err
		}
		args[i] = v
	}
	v, err := functions[e.Name].run(s.world, args)
	if keep := s.world.Secret; err == nil && keep != nil && v.Kind == value.String {
		// What is made of a secret is one, unless the secret shows in it and is
		// hidden there.
		if slices.ContainsFunc(args, func(a *value.Value) bool { return keep.Holds(a.Plain()) }) && !keep.Holds(v.Text) {
			keep.Add(v.Text)
		}
	}
	return v, err
}

func twoInts(a []*value.Value) (int, int, error) {
	x, ok1 := a[0].Int()
	y, ok2 := a[1].Int()
	if !ok1 || !ok2 {
		return 0, 0, fmt.Errorf("whole numbers were expected, found %s and %s", value.Cut(a[0].String(), 40), value.Cut(a[1].String(), 40))
	}
	return x, y, nil
}

func size(v *value.Value) (int, error) {
	n, ok := v.Int()
	if !ok || n < 0 || n > bound.Text() {
		return 0, fmt.Errorf("expected a count from 0 to %d, found %s", bound.Text(), value.Cut(v.String(), 40))
	}
	return n, nil
}
