package harbour

import (
	"fmt"
	"net/http"
	"strings"
)

// listingFaults are about what lists are asked for, what types and parts are,
// and in what coding bodies come.
func listingFaults() []Fault {
	failed := func(c *call) { refuse(c.w, c.r, http.StatusInternalServerError, "the query cannot be run") }
	// asked takes over lists whose query is as told.
	asked := func(is func(get func(string) string) bool, do func(c *call)) middleware {
		return on("GET", "/boats", func(c *call) {
			if is(c.r.URL.Query().Get) {
				do(c)
				return
			}
			c.give(c.good())
		})
	}
	links := func(to func(c *call, link string) string) middleware {
		return after("GET", "/boats", func(c *call, a *reply) {
			for i, l := range a.Fields["Link"] {
				a.Fields["Link"][i] = to(c, l)
			}
		})
	}
	accepts := func(is func(accept string) bool) middleware {
		return on("GET", "/boats/*", func(c *call) {
			if is(c.r.Header.Get("Accept")) {
				failed(c)
				return
			}
			c.give(c.good())
		})
	}
	ranged := func(do func(c *call, a *reply, which string)) middleware {
		return after("GET", "/boats/*", func(c *call, a *reply) {
			if a.Status != http.StatusOK {
				return
			}
			a.Fields.Set("Accept-Ranges", "bytes")
			if which := c.r.Header.Get("Range"); which != "" {
				do(c, a, which)
			}
		})
	}
	coded := func(coding string, do func(c *call)) middleware {
		return on("POST", "/boats", func(c *call) {
			if c.r.Header.Get("Content-Encoding") == coding {
				do(c)
				return
			}
			c.give(c.good())
		})
	}
	heads := func(name, v string) middleware {
		return on("HEAD", "/boats", func(c *call) {
			a := c.good()
			a.Fields.Set(name, v)
			for n, values := range a.Fields {
				c.w.Header()[n] = values
			}
			c.w.WriteHeader(a.Status)
		})
	}
	pages, literal, coding := []string{"lifecycle/odd-pages"}, []string{"lifecycle/filter-is-literal"}, []string{"input/content-coding"}
	return []Fault{
		{Name: "page-of-words-500", Says: "a page size in words answers 500", Finds: pages, middleware: asked(func(get func(string) string) bool { return get("limit") == "many" }, failed)},
		{Name: "page-before-first-500", Says: "a negative offset answers 500", Finds: pages, middleware: asked(func(get func(string) string) bool { return strings.HasPrefix(get("offset"), "-") }, failed)},
		{Name: "page-of-none-is-null", Says: "a page size of 0 answers null", Finds: pages, middleware: asked(func(get func(string) string) bool { return get("limit") == "0" }, func(c *call) {
			c.w.Header().Set("Content-Type", "application/json")
			_, _ = c.w.Write([]byte("null"))
		})},
		{Name: "next-leads-nowhere", Says: "the link to the next page leads to a path that is not there", Finds: []string{"lifecycle/links-lead-there"},
			middleware: links(func(_ *call, l string) string { return strings.Replace(l, "/boats", "/fleet", 1) })},
		{Name: "next-is-this-page", Says: "the link to the next page leads to the same page", Finds: []string{"lifecycle/links-lead-there"}, Also: []string{"lifecycle/paging-covers"},
			middleware: links(func(c *call, l string) string {
				if !strings.Contains(l, `rel="next"`) {
					return l
				}
				return fmt.Sprintf(`<%s>; rel="next"`, c.r.URL.RequestURI())
			})},
		{Name: "unknown-sort-500", Says: "an order by a member that is not there answers 500", Finds: []string{"lifecycle/unknown-queries"},
			middleware: asked(func(get func(string) string) bool { return get("sort") != "" }, failed)},
		{Name: "unknown-filter-500", Says: "a quotation mark in a parameter that nobody knows answers 500", Finds: []string{"lifecycle/unknown-queries"},
			middleware: asked(func(get func(string) string) bool { return strings.Contains(get("filter"), "'") }, failed)},
		{Name: "filter-is-query", Says: "a flag that holds an OR selects all boats", Finds: literal, middleware: asked(func(get func(string) string) bool { return strings.Contains(get("flag"), " OR ") }, func(c *call) {
			c.r.URL.RawQuery = ""
			c.give(c.good())
		})},
		{Name: "filter-quote-500", Says: "a quotation mark in the filter answers 500", Finds: literal, middleware: asked(func(get func(string) string) bool { return get("flag") == "'" }, failed)},
		{Name: "head-of-list-differs", Says: "HEAD of the list has another type than GET", Finds: []string{"method/head-mirrors-get"}, middleware: heads("Content-Type", "text/plain")},
		{Name: "head-of-list-length-wrong", Says: "HEAD of the list says that its body has one byte", Finds: []string{"method/head-length-agrees"}, middleware: heads("Content-Length", "1")},
		{Name: "accept-weight-500", Says: "a weight in Accept that is not a number answers 500", Finds: []string{"representation/any-accept"}, middleware: accepts(func(a string) bool { return strings.Contains(a, "q=high") })},
		{Name: "accept-commas-500", Says: "an Accept of commas answers 500", Finds: []string{"representation/any-accept"}, middleware: accepts(func(a string) bool { return strings.Contains(a, ",,") })},
		{Name: "range-is-whole", Says: "a part of a boat is answered 206 with the whole, without saying which part", Finds: []string{"representation/range-is-right"}, middleware: ranged(func(_ *call, a *reply, _ string) { a.Status = http.StatusPartialContent })},
		{Name: "range-beyond-500", Says: "a part beyond the end of a boat answers 500", Finds: []string{"representation/range-is-right"}, middleware: ranged(func(_ *call, a *reply, which string) {
			if strings.Contains(which, "99999999") {
				a.Status = http.StatusInternalServerError
			}
		})},
		{Name: "unknown-coding-500", Says: "a body in an unknown content coding answers 500", Finds: coding, middleware: coded("x-gull-feathers", failed)},
		{Name: "coding-500", Says: "a body that says it is compressed, and is not, answers 500", Finds: coding, middleware: coded("gzip", failed)},
	}
}
