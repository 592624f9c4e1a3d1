package resource

import (
	"slices"
	"strings"
)

// namedInBody is the resource as its checks see it where the examples repeat the name that the
// client gives: what the body says follows the path, and is not varied. A service may take the
// name from either (RFC 9110 §9.3.4 leaves it free to refuse or to redirect what disagrees).
func (r *Resource) namedInBody() *Resource {
	if r == nil {
		return r
	}
	name := r.NameInBody()
	if name == "" {
		return r
	}
	v := *r
	v.Make, v.Remake, v.Amend = r.Make.named(name), r.Remake.named(name), r.Amend.named(name)
	if r.Remake == r.Make {
		v.Remake = v.Make
	}
	other := func(n string) bool { return n == name }
	v.Required, v.OnCreate, v.Unique = slices.DeleteFunc(slices.Clone(r.Required), other), slices.DeleteFunc(slices.Clone(r.OnCreate), other), slices.DeleteFunc(slices.Clone(r.Unique), other)
	if r.Takes != nil {
		v.Takes = slices.DeleteFunc(slices.Clone(r.Takes), func(t taken) bool { return t.Name == name })
	}
	return &v
}

// nameBodies puts into each body the name of the item that it is written to.
func (s *Scene) nameBodies() {
	if s.Make == nil || s.Make.Name == "" {
		return
	}
	for _, steps := range [][]step{s.body, s.after} {
		for _, st := range steps {
			i := slices.IndexFunc(st.lines, func(l line) bool { return l.item != "" && (l.op == Create || l.op == Replace || l.op == Amend) })
			if i < 0 {
				continue
			}
			name := "{" + st.lines[i].item + "}"
			for k := range st.lines {
				st.lines[k].text = strings.ReplaceAll(st.lines[k].text, itsName, name)
				for j, b := range s.lets {
					if strings.Contains(b.text, itsName) && mentions(st.lines[k].text, b.name) {
						s.nameLet(j, name)
					}
				}
			}
		}
	}
	for j := range s.lets {
		s.lets[j].text = strings.ReplaceAll(s.lets[j].text, itsName, inQuotes(s.chosen(0)))
	}
}

// nameLet puts a name into a body that is bound before the steps, and binds the name before it.
func (s *Scene) nameLet(j int, name string) {
	at := slices.IndexFunc(s.lets, func(b binding) bool { return "{"+b.name+"}" == name })
	if at < 0 {
		return
	}
	s.lets[j].text = strings.ReplaceAll(s.lets[j].text, itsName, name)
	if at > j {
		b := s.lets[at]
		s.lets = slices.Insert(slices.Delete(s.lets, at, at+1), j, b)
	}
}
