package harbour

import (
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
)

// preconditionFaults are about entity tags and what is asked with them.
func preconditionFaults() []Fault {
	without := func(methods string, headers ...string) middleware {
		one := func(c *call) {
			for _, n := range headers {
				c.r.Header.Del(n)
			}
			c.give(c.good())
		}
		return chain(on(methods, "/boats/*", one), on(methods, "/berths/*", one))
	}
	return []Fault{
		{Name: "etag-never-changes", Says: "the tag of a boat stays when the boat changes",
			Finds: []string{"precondition/etag-is-stable"}, Also: []string{"precondition/not-modified"},
			middleware: chain(after("GET HEAD", "/boats/*", func(c *call, a *reply) {
				if a.Fields.Get("ETag") != "" {
					a.Fields.Set("ETag", fmt.Sprintf(`"boat-%d"`, c.number()))
				}
			}))},
		{Name: "etag-always-changes", Says: "each read of a boat has another tag",
			Finds: []string{"precondition/etag-is-stable"}, Also: []string{"method/head-mirrors-get"},
			middleware: func() middleware {
				var n atomic.Int64
				return after("GET", "/boats/*", func(_ *call, a *reply) {
					if a.Fields.Get("ETag") != "" {
						a.Fields.Set("ETag", fmt.Sprintf(`"%d"`, n.Add(1)))
					}
				})
			}()},
		{Name: "if-none-match-unheard", Says: "If-None-Match of a read is ignored",
			Finds: []string{"precondition/not-modified"}, middleware: without("GET", "If-None-Match")},
		{Name: "not-modified-always", Says: "any If-None-Match answers 304",
			Finds: []string{"precondition/not-modified"},
			middleware: on("GET", "/boats/*", func(c *call) {
				if c.r.Header.Get("If-None-Match") != "" && c.item() != nil {
					c.w.WriteHeader(http.StatusNotModified)
					return
				}
				c.give(c.good())
			})},
		{Name: "if-match-unheard", Says: "If-Match of a write is ignored: what others wrote is lost",
			Finds:      []string{"precondition/stale-write-refused"},
			middleware: without("PUT PATCH DELETE", "If-Match")},
		{Name: "if-match-never-holds", Says: "If-Match of a write is refused, whatever tag it has",
			Finds: []string{"precondition/current-write-taken"},
			middleware: on("PUT PATCH DELETE", "/boats/*", func(c *call) {
				if c.r.Header.Get("If-Match") != "" && c.item() != nil {
					c.w.WriteHeader(http.StatusPreconditionFailed)
					return
				}
				c.give(c.good())
			})},
		{Name: "create-only-unheard", Says: "PUT with If-None-Match: * replaces what is there",
			Finds: []string{"precondition/create-only"}, Resource: "berths", middleware: without("PUT", "If-None-Match")},
	}
}

// accessFaults are about the log, which wants a token.
func accessFaults() []Fault {
	// open lets a request pass as the harbourmaster's.
	open := func(c *call) {
		token := "spare-key"
		_ = c.h.store.put("tokens", []byte(token), session{"harbourmaster", "harbourmaster"})
		c.r.Header.Set("Authorization", "Bearer "+token)
		c.give(c.good())
	}
	log := func(methods string, do func(c *call)) middleware {
		return chain(on(methods, "/log", do), on(methods, "/log/*", do))
	}
	missing := func(c *call) bool { return c.r.Header.Get("Authorization") == "" }
	return []Fault{
		{Name: "log-reads-open", Says: "the log can be read without a token",
			Finds: []string{"access/no-credentials"}, Resource: "log",
			middleware: log("GET", func(c *call) {
				if missing(c) {
					open(c)
					return
				}
				c.give(c.good())
			})},
		{Name: "log-delete-open", Says: "entries can be removed without a token",
			Finds: []string{"access/no-credentials"}, Resource: "log",
			middleware: log("DELETE", func(c *call) {
				if missing(c) {
					open(c)
					return
				}
				c.give(c.good())
			})},
		{Name: "any-token-works", Says: "any token is accepted",
			Finds: []string{"access/wrong-credentials"}, Resource: "log",
			middleware: log("", func(c *call) {
				if strings.HasPrefix(c.r.Header.Get("Authorization"), "Bearer ") {
					open(c)
					return
				}
				c.give(c.good())
			})},
		{Name: "no-challenge", Says: "401 is answered without WWW-Authenticate",
			Finds: []string{"access/no-credentials", "access/wrong-credentials"}, Resource: "log",
			middleware: onErrors(func(_ *call, a *reply) { a.Fields.Del("WWW-Authenticate") })},
		{Name: "refused-and-done", Says: "a DELETE without a token answers 401 and is carried out",
			Finds: []string{"access/no-credentials"}, Resource: "log",
			middleware: log("DELETE", func(c *call) {
				a := c.good()
				if missing(c) {
					_ = c.h.store.remove("log", number(c.number()))
				}
				c.give(a)
			})},
		{Name: "refusal-shows-entry", Says: "the 401 for an entry shows the entry",
			Finds: []string{"access/no-credentials"}, Also: []string{"access/wrong-credentials"}, Resource: "log",
			middleware: after("GET", "/log/*", func(c *call, a *reply) {
				e := &Entry{}
				if a.Status == http.StatusUnauthorized && c.h.store.get("log", number(c.number()), e) == nil {
					a.edit(func(m map[string]any) { m["entry"] = e })
				}
			})},
		{Name: "refusal-tells-existence", Says: "without a token a missing entry answers 404, an existing one 401",
			Finds: []string{"access/refusal-hides-existence"}, Resource: "log",
			middleware: after("GET", "/log/*", func(c *call, a *reply) {
				if a.Status == http.StatusUnauthorized && c.h.store.get("log", number(c.number()), &Entry{}) != nil {
					refuse(a, c.r, http.StatusNotFound, "there is no such entry")
					a.Status, a.Body = http.StatusNotFound, []byte(`{"type":"about:blank","title":"Not Found","status":404}`)
				}
			})},
	}
}
