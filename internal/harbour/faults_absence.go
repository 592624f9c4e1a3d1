package harbour

import (
	"net/http"
	"strings"
)

const trace = `<!doctype html><html><head><title>Error</title></head><body><h1>NoSuchBoat</h1><pre>
Traceback (most recent call last):
  File "/srv/harbour/app/boats.py", line 87, in show
    boat = register[ident]
KeyError: ident
</pre></body></html>`

// absenceFaults are about what is not there.
func absenceFaults() []Fault {
	missing := func(methods string, change func(c *call, a *reply)) middleware {
		return after(methods, "/boats/*", func(c *call, a *reply) {
			if a.Status == http.StatusNotFound {
				change(c, a)
			}
		})
	}
	as := func(status int) func(*call, *reply) {
		return func(_ *call, a *reply) {
			a.Status = status
			a.edit(func(m map[string]any) { m["status"], m["title"] = status, http.StatusText(status) })
		}
	}
	return []Fault{
		{Name: "missing-is-empty-200", Says: "a boat that is not there answers 200 with nothing",
			Finds: []string{"absence/missing-read"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-replace", "absence/neighbour-id", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "names/broken-escapes", "names/built-in-names", "names/long-names", "race/deletes-together", "representation/success-means-success"},
			middleware: missing("GET HEAD", func(_ *call, a *reply) {
				a.Status, a.Body = http.StatusOK, nil
				a.Fields.Del("Content-Type")
			})},
		{Name: "missing-is-null", Says: "a boat that is not there answers 200 with null",
			Finds: []string{"absence/missing-read"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-replace", "absence/neighbour-id", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "names/broken-escapes", "names/built-in-names", "names/long-names", "race/deletes-together"},
			middleware: missing("GET HEAD", func(_ *call, a *reply) { a.Status = 200; a.Say("application/json", "null") })},
		{Name: "missing-is-500", Says: "a boat that is not there answers 500",
			Finds: []string{"absence/missing-read"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-replace", "absence/neighbour-id", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "names/broken-escapes", "names/built-in-names", "names/long-names", "race/deletes-together"}, middleware: missing("GET HEAD", as(500))},
		{Name: "missing-is-401", Says: "a boat that is not there answers 401",
			Finds: []string{"absence/missing-read"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-replace", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "race/deletes-together"}, middleware: missing("GET HEAD", as(401))},
		{Name: "missing-is-html", Says: "a boat that is not there answers an HTML page with a stack trace",
			Finds: []string{"absence/missing-is-not-html", "absence/missing-explains", "representation/errors-leak-nothing"}, Also: []string{"representation/errors-look-alike"},
			middleware: missing("GET HEAD", func(_ *call, a *reply) { a.Say("text/html; charset=utf-8", trace) })},
		{Name: "missing-says-nothing", Says: "a boat that is not there answers 404 without a body",
			Finds:      []string{"absence/missing-explains"},
			middleware: missing("GET HEAD", func(_ *call, a *reply) { a.Body = nil; a.Fields.Del("Content-Type") })},
		{Name: "missing-redirects", Says: "a boat that is not there redirects to the list",
			Finds: []string{"absence/missing-read"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-replace", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "names/broken-escapes", "names/long-names", "race/deletes-together", "representation/status-agrees"},
			middleware: missing("GET HEAD", func(_ *call, a *reply) { a.Status = 302; a.Fields.Set("Location", "/boats") })},
		{Name: "missing-put-creates", Says: "PUT on a boat that never was makes one with that id",
			Finds: []string{"absence/missing-replace"},
			middleware: on("PUT", "/boats/*", func(c *call) {
				if id := c.number(); id > c.h.store.last("boats") {
					if made := c.askPlain("POST", "/boats", c.Body); made.Status == http.StatusCreated {
						c.h.move(made.id(), id)
						made.edit(func(m map[string]any) { m["id"] = id })
						c.give(made)
						return
					}
				}
				c.give(c.good())
			})},
		{Name: "missing-put-200", Says: "PUT on a boat that is not there answers 200 with what was sent",
			Finds: []string{"absence/missing-replace"}, Also: []string{"absence/deleted-replace"},
			middleware: missing("PUT", func(c *call, a *reply) { a.Status = 200; a.Say("application/json", string(c.Body)) })},
		{Name: "missing-patch-200", Says: "PATCH on a boat that is not there answers 200 with what was sent",
			Finds: []string{"absence/missing-amend"}, Also: []string{"absence/deleted-amend"},
			middleware: missing("PATCH", func(c *call, a *reply) { a.Status = 200; a.Say("application/json", string(c.Body)) })},
		{Name: "missing-delete-500", Says: "DELETE of a boat that never was answers 500",
			Finds: []string{"absence/missing-delete"},
			middleware: missing("DELETE", func(c *call, a *reply) {
				if id := c.number(); id > c.h.store.last("boats") {
					as(500)(c, a)
				}
			})},
		{Name: "missing-head-200", Says: "HEAD of a boat that is not there answers 200",
			Finds: []string{"absence/missing-head"}, middleware: missing("HEAD", as(200))},
		{Name: "deleted-is-500", Says: "reading a boat that was deleted answers 500",
			Finds: []string{"absence/deleted-read", "lifecycle/deleted-is-gone"}, Also: []string{"absence/deleted-replace", "lifecycle/deleted-stays-gone", "race/deletes-together"},
			middleware: missing("GET HEAD", func(c *call, a *reply) {
				if id := c.number(); id > 0 && id <= c.h.store.last("boats") {
					as(500)(c, a)
				}
			})},
		{Name: "deleted-patch-200", Says: "PATCH on a boat that was deleted answers 200 with nothing",
			Finds: []string{"absence/deleted-amend"},
			middleware: missing("PATCH", func(c *call, a *reply) {
				if id := c.number(); id > 0 && id <= c.h.store.last("boats") {
					a.Status = 200
					a.Say("application/json", "{}")
				}
			})},
		{Name: "malformed-id-500", Says: "an id that is not a number answers 500",
			Finds: []string{"absence/malformed-id"}, Also: []string{"names/broken-escapes", "names/built-in-names", "names/long-names"},
			middleware: missing("GET", func(c *call, a *reply) {
				if c.number() == 0 && strings.Trim(c.r.URL.Path[len("/boats/"):], "0123456789-") != "" {
					as(500)(c, a)
				}
			})},
		{Name: "malformed-id-is-first", Says: "an id that is not a number answers the first boat",
			Finds: []string{"absence/malformed-id"}, Also: []string{"names/broken-escapes", "names/built-in-names", "names/long-names"},
			middleware: on("GET", "/boats/*", func(c *call) {
				if c.number() == 0 && strings.Trim(c.r.URL.Path[len("/boats/"):], "0123456789-") != "" {
					c.give(c.ask("GET", "/boats/1", nil))
					return
				}
				c.give(c.good())
			})},
		{Name: "id-zero-is-first", Says: "id 0 answers the first boat",
			Finds:      []string{"absence/neighbour-id", "absence/malformed-id"},
			middleware: on("GET HEAD", "/boats/0", func(c *call) { c.give(c.ask(c.r.Method, "/boats/1", nil)) })},
		{Name: "unknown-path-200", Says: "a path that is not there answers 200 with a welcome",
			Finds: []string{"absence/unknown-path"},
			middleware: on("", "", func(c *call) {
				a := c.good()
				if a.Status == http.StatusNotFound && strings.Contains(string(a.Body), "nothing at this path") && !strings.HasPrefix(c.r.URL.Path, "/boats/") {
					a.Status = http.StatusOK
					a.Say("application/json", `{"harbour":"Gull Point","welcome":true}`)
				}
				c.give(a)
			})},
		{Name: "missing-parent-empty", Says: "the stays of a boat that is not there are an empty list",
			Finds: []string{"absence/missing-parent"},
			middleware: after("GET", "/boats/*/stays", func(_ *call, a *reply) {
				if a.Status == http.StatusNotFound {
					a.Status = http.StatusOK
					a.Say("application/json", "[]")
				}
			})},
		{Name: "no-stays-404", Says: "a boat without stays answers 404 for their list",
			Finds: []string{"absence/empty-is-not-missing"}, Also: []string{"lifecycle/list-is-a-list"},
			middleware: after("GET", "/boats/*/stays", func(_ *call, a *reply) {
				if string(a.Body) == "[]" {
					a.Status = http.StatusNotFound
					a.Say("application/problem+json", `{"type":"about:blank","title":"Not Found","status":404}`)
				}
			})},
	}
}
