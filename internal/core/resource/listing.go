package resource

import (
	"strings"

	"usualpath/internal/core/syntax"
)

// listChecks are about what a list is asked for.
func listChecks() []Check {
	const safe = "RFC 9110 §9.2.1, §15.5.1"
	return []Check{
		{
			Name: "odd-pages", Causes: []string{"lifecycle/list-is-a-list"}, On: List, Requires: needs(can(List), pages), Source: safe,
			Proves: "page sizes and places of zero, below zero, far too large or in words are refused or disregarded: no error of the service's own",
			Cause:  "the parameters go to the database as they are",
			Mend:   "check them, and answer 400",
			Write: func(s *Scene) {
				s.Parents()
				size, place := s.Paging.Names[0], s.Paging.Names[1]
				for _, one := range [][3]string{{"a page of none", size, "0"}, {"a page of less than none", size, "-1"}, {"a page of a billion", size, "1000000000"}, {"a page of more than a number holds", size, "99999999999999999999"}, {"a page of many", size, "many"},
					{"a page before the first", place, "-1"}, {"a page far beyond the last", place, "1000000000"}, {"a page that is a word", place, "first"}} {
					lines := []line{s.ask(List, ""), queryLine(one[1], one[2]), expect("status not 5xx")}
					switch {
					case s.MembersIfThere:
					case s.ListAt == "$":
						lines = append(lines, expect(s.aList()+" when status 200"))
					default:
						// A page of none may leave the list out.
						lines = append(lines, expect(s.aList()+" when "+s.ListAt+" exists"))
					}
					s.step(one[0], lines...)
				}
			},
		},
		{
			Name: "links-lead-there", Causes: []string{"lifecycle/paging-covers"}, On: List, Level: "should", Requires: needs(makes, listed, pages), Source: "RFC 8288 §3",
			Proves: "where a page links to the next one, the link leads to it",
			Cause:  "the link is built from another path, or loses what was asked for",
			Mend:   "build links from the request's own URL",
			Write: func(s *Scene) {
				s.make(2)
				first := []line{s.ask(List, "")}
				first = append(first, s.page(1, 0)...)
				key := s.Members + strings.TrimPrefix(s.By, "$")
				s.step("a page of one", append(first, need("status 200"), keep("shown from "+key).ifThere(), keep(`next from header Link /<([^<>]*)>[^,<]*;\s*rel="?next/`).ifThere())...)
				s.step("follow its link", when("{shown} count 1"), when("{next} exists"), send("GET", "{next}"), prefer("status 200"), prefer(s.aList()+" when status 200"), prefer(key+" none {nth(shown, 1)} when status 200"))
			},
		},
		{
			Name: "unknown-queries", On: List, Requires: can(List), Source: safe,
			Proves: "parameters that nobody knows, and orders by what is not there, are refused or disregarded",
			Cause:  "names of parameters or columns go to the database as they are",
			Mend:   "choose from a list of known names",
			Write: func(s *Scene) {
				s.have()
				s.Observe(false)
				for _, one := range [][2]string{{"no_such_parameter", "1"}, {"sort", "no_such_member"}, {"order_by", "no_such_member;--"}, {"order", "sideways"}, {"fields", "no_such_member"}, {"q[]", "{"}, {"filter", "'"}} {
					s.step("ask with "+one[0]+" = "+one[1], s.ask(List, ""), queryLine(one[0], syntax.Quoted(one[1])), expect("status not 5xx"), s.unchanged(""))
				}
			},
		},
		{
			Name: "filter-is-literal", Causes: []string{"lifecycle/filter-selects", "lifecycle/filter-none"}, On: List, Requires: needs(can(List), makes, filters), Source: safe,
			Proves: "what a filter asks for is compared, and never part of a command",
			Cause:  "the value is put into the text of a query",
			Mend:   "bind values as parameters",
			Write: func(s *Scene) {
				s.have()
				// A number or a choice may be taken from how such a text begins,
				// or the filter be disregarded.
				text := s.Make.field(s.FilterName)
				for _, one := range []string{`' OR '1'='1`, `" OR "1"="1`, `') OR ('1'='1`, `1 OR 1=1`} {
					none := line{}
					if text != nil && text.Kind == syntax.String {
						none = expect(s.Members + " count 0 when status 200")
					}
					s.step("ask for "+one, s.ask(List, ""), queryLine(s.FilterName, syntax.Quoted(one)), expect("status not 5xx"), none)
				}
				for _, one := range []string{`'`, `\`, `%`, `[`, `*`, `$ne`} {
					s.step("ask for "+one, s.ask(List, ""), queryLine(s.FilterName, syntax.Quoted(one)), expect("status not 5xx"))
				}
			},
		},
	}
}
