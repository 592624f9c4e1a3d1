package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/syntax"
)

// unwrap finds where examples, and what the resource takes, have the item within another object, as
// its own answer does (`content`): from here on they are what is within.
func (rd *reader) unwrap() {
	r := rd.r
	q, err := jsonpath.Parse(r.Content)
	if err != nil || len(q.Names()) == 0 {
		return
	}
	// Paths in the item may be written from the answer's root too.
	r.Identity = r.relative(r.Identity)
	for i, p := range r.Volatile {
		r.Volatile[i] = r.relative(p)
	}
	for _, e := range []*Example{r.Make, r.Remake, r.Amend} {
		if e == nil || !e.json() {
			continue
		}
		inner, outer := *e, [2]string{}
		for _, name := range q.Names() {
			f := inner.field(name)
			if f == nil || f.Kind != syntax.Object {
				outer = [2]string{}
				break
			}
			mark := "\x00"
			before, after, _ := strings.Cut(inner.object(map[string]*string{name: &mark}), mark)
			outer[0], outer[1] = outer[0]+before, after+outer[1]
			inner = Example{Text: f.Text, Fields: rd.fieldsOf(f.Node)}
		}
		if outer[0] != "" {
			e.Text, e.Fields, e.Outer = inner.Text, inner.Fields, outer
		}
	}
	if r.Make == nil || r.Make.Outer[0] == "" {
		return
	}
	for _, name := range q.Names() {
		t := r.taken(name)
		if t == nil || t.Shape.Kind != syntax.Object {
			return
		}
		shape := t.Shape
		r.Takes = nil
		rd.takesOf(shape)
	}
}

// carries leaves the revision out of examples that name it: each write carries the current one.
func (rd *reader) carries() {
	v := rd.r.Revision
	if v == nil || v.As.Path == nil {
		return
	}
	name := strings.TrimPrefix(v.As.Path.Raw, "$.")
	for _, e := range []*Example{rd.r.Remake, rd.r.Amend} {
		if e.Has(name) {
			e.Fields = slices.DeleteFunc(e.Fields, func(f Field) bool { return f.Name == name })
			e.Text = e.object(nil)
		}
	}
}
