package bend

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"sync/atomic"
	"unicode"

	"usualpath/internal/between"
)

// Fault is one habit of a service that a standard does not allow. Needs are the methods that the
// service must have for it to show, and "tags", "filter" or "pages".
type Fault struct {
	Name, Needs string
	Bend        Middleware
}

const trace = "goroutine 41 [running]:\nmain.(*register).add(0xc0000b4000)\n\t/srv/harbour/register.go:118 +0x2a1"

const known = "GET HEAD POST PUT PATCH DELETE OPTIONS TRACE"

// Faults lists them.
func Faults() []Fault {
	missing := func(methods string, change func(c *call, a *reply)) Middleware {
		return after(methods, one, func(c *call, a *reply) {
			if c.p.Get(c.id) == nil && a.Status/100 == 4 {
				change(c, a)
			}
		})
	}
	as := func(status int) func(*call, *reply) { return func(_ *call, a *reply) { a.Status = status } }
	says := func(body string) func(*call, *reply) {
		return func(_ *call, a *reply) { a.Status = http.StatusOK; a.Say("application/json", body) }
	}
	refused := func(change func(c *call, a *reply)) Middleware {
		bad := func(c *call, a *reply) {
			if a.Status == 400 || a.Status == 422 || a.Status == 409 {
				change(c, a)
			}
		}
		return chain(after("POST", list, bad), after("PUT PATCH", one, bad))
	}
	read := func(change func(c *call, a *reply)) Middleware {
		return after("GET HEAD", one, func(c *call, a *reply) {
			if a.Status == http.StatusOK {
				change(c, a)
			}
		})
	}
	// storing changes what a create or a replace stores, and what it shows of that.
	storing := func(change func(c *call, m map[string]any)) Middleware {
		keep := func(c *call, a *reply) {
			id := c.written(a)
			if m := c.p.Get(id); m != nil {
				change(c, m)
				c.p.Set(id, m)
				c.edit(a, func(m map[string]any) { change(c, m) })
			}
		}
		return chain(after("POST", list, keep), after("PUT PATCH", one, keep))
	}
	texts := func(change func(text string) string) Middleware {
		return storing(func(c *call, m map[string]any) {
			if text, is := m[c.p.Text()].(string); is {
				m[c.p.Text()] = change(text)
			}
		})
	}
	// mend makes a body good that the service would refuse.
	mend := func(methods string, how func(c *call, m map[string]any) bool) Middleware {
		mended := func(c *call) {
			c.resend(func(m map[string]any) bool { return how(c, m) })
			c.give(c.good())
		}
		return chain(on(methods, list, mended), on(methods, one, mended))
	}
	number := func(c *call, m map[string]any) bool {
		if _, there := m[c.p.Number()]; there || len(m) == 0 {
			return false
		}
		m[c.p.Number()] = 1
		return true
	}
	without := func(methods string, headers ...string) Middleware {
		return on(methods, one, func(c *call) {
			for _, n := range headers {
				c.r.Header.Del(n)
			}
			c.give(c.good())
		})
	}
	asGet := func(unknown bool) Middleware {
		return on("", anything, func(c *call) {
			a := c.good()
			if (c.list || c.id != "") && (a.Status == 405 || a.Status == 501) && strings.Contains(known, c.r.Method) != unknown && c.r.Method != "HEAD" {
				a = c.ask(http.MethodGet, "", nil)
			}
			c.give(a)
		})
	}
	notAllowed := func(change func(c *call, a *reply)) Middleware {
		return after("", anything, func(c *call, a *reply) {
			if a.Status == http.StatusMethodNotAllowed {
				change(c, a)
			}
		})
	}
	// undone answers a write and stores nothing; spread writes to all others too.
	undone := func(method string) Middleware {
		return on(method, one, func(c *call) {
			old := c.p.Get(c.id)
			a := c.good()
			if old != nil && a.fine() {
				c.p.Set(c.id, old)
			}
			c.give(a)
		})
	}
	spread := func(method string) Middleware {
		return after(method, one, func(c *call, a *reply) {
			for _, id := range c.p.Items() {
				if m := c.p.Get(id); a.fine() && id != c.id && m != nil {
					m[c.p.Optional()] = "written with another " + c.id
					c.p.Set(id, m)
				}
			}
		})
	}
	return []Fault{
		{"deleted-still-there", "DELETE again", on("DELETE", one, func(c *call) {
			if c.p.Get(c.id) != nil && !c.conditional() {
				c.w.WriteHeader(http.StatusNoContent)
				return
			}
			c.give(c.good())
		})},
		{"second-delete-revives", "DELETE PUT", with(func(m *between.Memory[map[string]any]) Middleware {
			return on("DELETE", one, func(c *call) {
				old := c.p.Get(c.id)
				a := c.good()
				if was, known := m.Swap(c.id, old); known && was != nil && old == nil {
					c.p.Set(c.id, was)
				}
				c.give(a)
			})
		})},
		{"delete-removes-all", "DELETE", after("DELETE", one, func(c *call, a *reply) {
			if a.fine() {
				for _, id := range c.p.Items() {
					c.p.Drop(id)
				}
			}
		})},
		{"delete-removes-neighbour", "DELETE", on("DELETE", one, func(c *call) {
			before := ""
			for _, id := range c.p.Items() {
				if id == c.id {
					break
				}
				before = id
			}
			a := c.good()
			if a.fine() && before != "" {
				c.p.Drop(before)
			}
			c.give(a)
		})},
		{"delete-answers-redirect", "DELETE", after("DELETE", one, func(_ *call, a *reply) {
			if a.fine() {
				a.Status = http.StatusSeeOther
				a.Fields.Set("Location", "/")
			}
		})},
		{"put-appends", "PUT", on("PUT", one, func(c *call) {
			old := c.p.Get(c.id)
			a := c.good()
			if old != nil && a.fine() {
				c.p.Set(c.p.Fresh(), c.p.Get(c.id))
				c.p.Set(c.id, old)
			}
			c.give(a)
		})},
		{"put-ignored", "PUT replaced", undone("PUT")},
		{"put-adds-to-text", "PUT again", on("PUT", one, func(c *call) {
			old := c.p.Get(c.id)
			a := c.good()
			was, _ := old[c.p.Optional()].(string)
			if now := c.p.Get(c.id); a.fine() && now[c.p.Optional()] != nil {
				now[c.p.Optional()] = was + fmt.Sprint(now[c.p.Optional()])
				c.p.Set(c.id, now)
			}
			c.give(a)
		})},
		{"create-is-500", "POST", on("POST", list, func(c *call) {
			a := c.good()
			if a.fine() {
				c.p.Drop(c.written(a))
				a.Status, a.Body = http.StatusInternalServerError, nil
			}
			c.give(a)
		})},
		{"put-hits-neighbour", "PUT", spread("PUT")},
		{"put-answers-226", "PUT", on("PUT", one, func(c *call) {
			was := c.p.Get(c.id)
			a := c.good()
			if a.fine() && was != nil {
				a.Status = http.StatusIMUsed
			}
			c.give(a)
		})},
		{"patch-replaces", "PATCH", on("PATCH", one, func(c *call) {
			a := c.good()
			m := c.p.Get(c.id)
			if _, named := c.sent()[c.p.Optional()]; a.fine() && m != nil && !named {
				delete(m, c.p.Optional())
				c.p.Set(c.id, m)
			}
			if _, named := c.sent()[c.p.Number()]; a.fine() && m != nil && !named {
				m[c.p.Number()] = json.Number("1")
				c.p.Set(c.id, m)
			}
			c.give(a)
		})},
		{"patch-ignored", "PATCH amended", undone("PATCH")},
		{"patch-hits-all", "PATCH", spread("PATCH")},
		{"patch-answers-redirect", "PATCH", after("PATCH", one, func(_ *call, a *reply) {
			if a.fine() {
				a.Status = http.StatusSeeOther
			}
		})},
		{"create-stores-twice", "POST list", after("POST", list, func(c *call, a *reply) {
			if m := c.p.Get(c.written(a)); m != nil {
				c.p.Set(c.p.Fresh(), m)
			}
		})},
		{"create-unlisted", "POST list", with(func(m *between.Memory[bool]) Middleware {
			return chain(
				after("POST", list, func(c *call, a *reply) { m.Swap(c.written(a), true) }),
				after("GET HEAD", list, func(c *call, a *reply) {
					v := a.decoded()
					hide := func(list []any) []any {
						out := []any{}
						for _, one := range list {
							mine := false
							objects(one, func(o map[string]any) {
								for _, n := range c.p.Names() {
									made, _ := m.Get(fmt.Sprint(o[n]))
									mine = mine || made
								}
							})
							if !mine {
								out = append(out, one)
							}
						}
						return out
					}
					if l, is := v.([]any); is {
						a.encode(hide(l))
						return
					}
					objects(v, func(o map[string]any) {
						for n, one := range o {
							if l, is := one.([]any); is {
								o[n] = hide(l)
							}
						}
					})
					if v != nil {
						a.encode(v)
					}
				}))
		})},
		{"location-nowhere", "POST location", after("POST", list, func(c *call, a *reply) {
			if a.fine() && a.Fields.Get("Location") != "" {
				a.Fields.Set("Location", c.p.At(c.p.Fresh()))
			}
		})},
		{"echo-differs", "POST echo", after("POST", list, func(c *call, a *reply) {
			if a.fine() {
				c.edit(a, func(m map[string]any) { m[c.p.Text()] = strings.ToUpper(fmt.Sprint(m[c.p.Text()])) + "!" })
			}
		})},
		{"text-cut-at-20", "text", texts(func(t string) string {
			if r := []rune(t); len(r) > 20 {
				return string(r[:20])
			}
			return t
		})},
		{"accents-lost", "text", texts(func(t string) string {
			return strings.Map(func(r rune) rune {
				if r > 127 && unicode.Is(unicode.Latin, r) {
					return 'e'
				}
				return r
			}, t)
		})},
		{"emoji-lost", "text", texts(func(t string) string {
			return strings.Map(func(r rune) rune {
				if r > 0xffff {
					return '?'
				}
				return r
			}, t)
		})},
		{"markup-escaped", "text", texts(strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace)},
		{"numbers-through-float", "number", storing(func(c *call, m map[string]any) {
			if f, err := strconv.ParseFloat(fmt.Sprint(m[c.p.Number()]), 32); err == nil {
				if _, is := m[c.p.Number()].(json.Number); is {
					m[c.p.Number()] = json.Number(strconv.FormatFloat(float64(float32(f)), 'f', -1, 64))
				}
			}
		})},
		{"list-is-null-when-empty", "filter", after("GET", list, func(c *call, a *reply) {
			if c.r.URL.RawQuery != "" && !bytes.Contains(a.Body, []byte(`"`+c.p.Text()+`"`)) && a.Status == http.StatusOK {
				a.Body = []byte("null")
			}
		})},
		{"empty-list-404", "filter", after("GET", list, func(c *call, a *reply) {
			if c.r.URL.Query().Has(c.p.Text()) && !bytes.Contains(a.Body, []byte(`"`+c.p.Text()+`"`)) && a.Status == http.StatusOK {
				a.Status = http.StatusNotFound
			}
		})},
		{"filter-ignored", "filter", on("GET", list, func(c *call) {
			q := c.r.URL.Query()
			q.Del(c.p.Text())
			c.r.URL.RawQuery = q.Encode()
			c.give(c.good())
		})},
		{"reads-are-counted", "list", func(p Place, next http.Handler) http.Handler {
			var views atomic.Int64
			return chain(after("GET", one, func(*call, *reply) { views.Add(1) }),
				after("GET HEAD", list, func(c *call, a *reply) {
					n := views.Load()
					c.edit(a, func(o map[string]any) { o["views"] = n })
				}))(p, next)
		}},
		{"second-put-conflicts", "PUT again", with(func(m *between.Memory[string]) Middleware {
			return on("PUT", one, func(c *call) {
				before, known := m.Swap(c.id, string(c.body))
				if known && before == string(c.body) && c.p.Get(c.id) != nil {
					http.Error(c.w, "nothing would change", http.StatusConflict)
					return
				}
				c.give(c.good())
			})
		})},
		{"put-counts-up", "PUT again", with(func(m *between.Memory[string]) Middleware {
			return after("PUT", one, func(c *call, a *reply) {
				before, known := m.Swap(c.id, string(c.body))
				if o := c.p.Get(c.id); a.fine() && known && before == string(c.body) && o != nil {
					o[c.p.Optional()] = fmt.Sprint(o[c.p.Optional()], "+")
					c.p.Set(c.id, o)
				}
			})
		})},
		{"second-delete-500", "DELETE missed", missing("DELETE", as(500))},
		{"missing-is-empty-200", "", missing("GET HEAD", func(_ *call, a *reply) {
			a.Status, a.Body = http.StatusOK, nil
			a.Fields.Del("Content-Type")
		})},
		{"missing-is-null", "", missing("GET HEAD", says("null"))},
		{"missing-is-500", "", missing("GET HEAD", as(500))},
		{"missing-redirects", "", missing("GET HEAD", func(_ *call, a *reply) { a.Status = 302; a.Fields.Set("Location", "/") })},
		{"missing-put-200", "PUT refuses", missing("PUT", func(c *call, a *reply) { a.Status = 200; a.Say("application/json", string(c.body)) })},
		{"missing-patch-200", "PATCH", missing("PATCH", func(c *call, a *reply) { a.Status = 200; a.Say("application/json", string(c.body)) })},
		{"missing-head-200", "HEAD", missing("HEAD", as(200))},
		{"malformed-id-500", "", missing("GET", func(c *call, a *reply) {
			if strings.Trim(c.id, "0123456789-") != "" {
				a.Status = 500
			}
		})},
		{"read-says-fail", "", missing("GET", says(`{"success":false,"error":"no such item"}`))},
		{"unknown-path-200", "", after("GET", anything, func(c *call, a *reply) {
			if !c.list && c.id == "" && a.Status/100 == 4 {
				a.Status = 200
				a.Say("application/json", `{"harbour":"Gull Point","welcome":true}`)
			}
		})},
		{"unhandled-as-get", "405 unoffered", asGet(false)},
		{"unknown-method-as-get", "405", asGet(true)},
		{"unhandled-500", "405", notAllowed(as(500))},
		{"no-allow", "405", notAllowed(func(_ *call, a *reply) { a.Fields.Del("Allow") })},
		{"allow-is-short", "405", notAllowed(func(_ *call, a *reply) { a.Fields.Set("Allow", "TRACE") })},
		{"head-differs", "HEAD", after("HEAD", one, func(_ *call, a *reply) {
			if a.Status == http.StatusOK {
				a.Fields.Set("Content-Type", "text/plain")
			}
		})},
		{"head-404", "HEAD", after("HEAD", one, func(_ *call, a *reply) { a.Status = http.StatusNotFound })},
		{"head-length-wrong", "HEAD length", on("HEAD", one, func(c *call) {
			a := c.good()
			maps.Copy(c.w.Header(), a.Fields)
			c.w.Header().Set("Content-Length", "1")
			c.w.WriteHeader(a.Status)
		})},
		{"refused-still-stored", "POST list", after("POST", list, func(c *call, a *reply) {
			if a.Status/100 == 4 && a.Status != 401 && a.Status != 404 && a.Status != 429 {
				c.p.Set(c.p.Fresh(), map[string]any{c.p.Text(): "ghost", c.p.Number(): json.Number("1")})
			}
		})},
		{"errors-under-200", "POST", refused(says(`{"status":"fail","error":"bad response"}`))},
		{"refused-is-500", "", refused(as(500))},
		{"number-not-required", "required JSON", mend("POST PUT", number)},
		{"null-taken", "required JSON", mend("POST PUT", func(c *call, m map[string]any) bool {
			if v, there := m[c.p.Number()]; there && v == nil {
				m[c.p.Number()] = 1
				return true
			}
			return false
		})},
		{"types-coerced", "JSON", mend("POST PUT", func(c *call, m map[string]any) bool {
			if n, is := m[c.p.Text()].(json.Number); is {
				m[c.p.Text()] = string(n) + ".0"
				return true
			}
			return false
		})},
		{"empty-body-makes", "POST required", on("POST", list, func(c *call) {
			if len(bytes.TrimSpace(c.body)) == 0 {
				c.p.Set(c.p.Fresh(), map[string]any{c.p.Text(): "unnamed", c.p.Number(): json.Number("1")})
				c.w.WriteHeader(http.StatusCreated)
				return
			}
			c.give(c.good())
		})},
		{"odd-text-500", "", after("POST PUT", anything, func(c *call, a *reply) {
			if bytes.Contains(c.body, []byte(`\u0000`)) {
				a.Status = 500
			}
		})},
		{"members-twice", "", read(func(_ *call, a *reply) {
			a.Body = []byte(strings.Replace(string(a.Body), "{", `{"state":"in","state":"out",`, 1))
		})},
		{"json-is-latin", "", read(func(c *call, a *reply) {
			c.edit(a, func(m map[string]any) { m["moored"] = "Mole" })
			a.Body = []byte(strings.ReplaceAll(string(a.Body), `"Mole"`, "\"M\xf4le\""))
		})},
		{"item-in-array", "", read(func(_ *call, a *reply) { a.Body = fmt.Appendf(nil, "[%s]", a.Body) })},
		{"errors-leak", "", after("", anything, func(_ *call, a *reply) {
			if a.Status == 400 || a.Status == 422 || a.Status == 404 {
				a.Say("text/plain", trace)
			}
		})},
		{"accept-500", "", on("GET", one, func(c *call) {
			if strings.Contains(c.r.Header.Get("Accept"), "x-") {
				http.Error(c.w, "no writer", 500)
				return
			}
			c.give(c.good())
		})},
		{"etag-never-changes", "tags", after("GET HEAD", one, func(c *call, a *reply) {
			if a.Fields.Get("ETag") != "" {
				a.Fields.Set("ETag", `"item-`+c.id+`"`)
			}
		})},
		{"if-none-match-unheard", "tags", without("GET", "If-None-Match")},
		{"not-modified-always", "tags", on("GET", one, func(c *call) {
			if c.r.Header.Get("If-None-Match") != "" && c.p.Get(c.id) != nil {
				c.w.WriteHeader(http.StatusNotModified)
				return
			}
			c.give(c.good())
		})},
		{"if-match-never-holds", "strong again", on("PUT PATCH DELETE", one, func(c *call) {
			if c.r.Header.Get("If-Match") != "" && c.p.Get(c.id) != nil {
				c.w.WriteHeader(http.StatusPreconditionFailed)
				return
			}
			c.give(c.good())
		})},
		{"if-match-unheard", "strong", without("PUT PATCH DELETE", "If-Match")},
	}
}
