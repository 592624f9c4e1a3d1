package resource

import (
	"strconv"
	"strings"

	"usualpath/internal/core/syntax"
)

// Observe makes the list part of the state; loose leaves out what the service
// assigns, which may move with each write.
func (s *Scene) Observe(loose bool) bool {
	if s.watched {
		return true
	}
	if !s.Supports(List) || s.By == "" {
		return false
	}
	s.watched = true
	s.observes = append(s.observes, "  observe "+s.Observed()+" at "+s.list()+s.listing("")+s.ignoring(loose, func(p string) string { return p })+s.sent()+s.paged()+"\n")
	return true
}

// sent leaves what the service keeps beside what was sent out of account, where the check
// is about repeats: a time or a version may move with each (RFC 9110 §9.2.2).
func (s *Scene) sent() string {
	if s.sentOnly {
		return " sent only"
	}
	return ""
}

// observeOthers makes all but one item a part of the state.
func (s *Scene) observeOthers(id string) bool {
	if !s.Supports(List) || s.By == "" || s.Header != "" {
		return false
	}
	s.observes = append(s.observes, "  observe others at "+s.list()+s.listing("{"+id+"}")+s.ignoring(false, func(p string) string { return p })+s.paged()+"\n")
	return true
}

// observeItem makes one item by itself a part of the state.
func (s *Scene) observeItem(id string, loose bool) {
	if s.Supports(Read) {
		s.observes = append(s.observes, "  observe item at "+s.at(id)+s.ignoring(loose, s.inItem)+s.sent()+"\n")
	}
}

// guards are the lists whose members must not be written to, those of the
// parents among them.
func (s *Scene) guards() string {
	out := ""
	for _, p := range append(s.outer(), s.Resource) {
		one := &Scene{Resource: p}
		switch {
		case p.Disposable:
			continue
		case p.Supports(List) && p.By != "":
			out += "  guard " + one.list() + one.listing("") + one.ignoring(true, func(p string) string { return p }) + one.items(one.list()) + one.paged() + "\n"
			if p.ListPath == "" {
				continue
			}
			fallthrough
		default:
			out += "  guard " + one.coll() + one.items(one.coll()) + "\n"
		}
	}
	return out
}

// items is where one item is, where that is not below its list.
func (s *Scene) items(list string) string {
	if at := strings.Replace(s.parented(s.Item), "{id}", "*", 1); at != strings.TrimSuffix(list, "/")+"/*" {
		return " items " + at
	}
	return ""
}

func (s *Scene) listing(without string) string {
	out := ""
	if s.XML != "" {
		out = " in xml " + syntax.XPathText(s.XML) + " by xml " + s.byXML
		if without != "" {
			out += " without " + without
		}
		return out
	}
	if within := s.Within(); within != "" {
		out = " in " + within
	}
	if s.MembersIfThere {
		out += " if there"
	}
	out += " by " + s.By
	if without != "" {
		out += " without " + without
	}
	return out
}

func (s *Scene) ignoring(loose bool, place func(string) string) string {
	var list []string
	for _, p := range s.Volatile {
		list = append(list, place(p))
	}
	if loose {
		for _, n := range s.Assigned {
			if p := MemberPath(n); p != s.By {
				list = append(list, place(p))
			}
		}
	}
	if len(list) == 0 {
		return ""
	}
	return " ignoring " + strings.Join(list, ", ")
}

func (s *Scene) paged() string {
	if text := syntax.PagingText(s.Paging); text != "" {
		return " " + text
	}
	return ""
}

// page are the query lines of the page number n, from 0, of a size; nil where
// pages cannot be asked for.
func (s *Scene) page(size, n int) []line {
	p := s.Paging
	switch {
	case p == nil || len(p.Names) != 2:
		return nil
	case p.By == "offset":
		return []line{queryLine(p.Names[0], strconv.Itoa(size)), queryLine(p.Names[1], strconv.Itoa(size*n))}
	}
	return []line{queryLine(p.Names[0], strconv.Itoa(size)), queryLine(p.Names[1], strconv.Itoa(p.From+n))}
}

// unchanged expects the state to be what it was, where any is observed.
func (s *Scene) unchanged(when string) line {
	if !s.watched && len(s.observes) == 0 {
		return line{}
	}
	return expect(strings.TrimSpace("state unchanged " + when))
}
