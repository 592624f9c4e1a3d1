package harbour

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"unicode"

	"usualpath/internal/between"
)

// lifecycleFaults are about what create, read, replace, amend and delete mean.
func lifecycleFaults() []Fault {
	return []Fault{
		{Name: "deleted-still-there", Says: "DELETE answers 204 and the boat is still there",
			Finds: []string{"lifecycle/deleted-is-gone", "lifecycle/deleted-is-unlisted", "absence/deleted-read"}, Also: []string{"absence/deleted-amend", "absence/deleted-replace", "lifecycle/deleted-stays-gone", "race/deletes-together"},
			middleware: on("DELETE", "/boats/*", func(c *call) {
				if a := c.item(); a != nil && !c.conditional() {
					c.w.WriteHeader(http.StatusNoContent)
					return
				}
				c.give(c.good())
			})},
		{Name: "second-delete-revives", Says: "the second DELETE of a boat answers 404 and brings it back",
			Finds: []string{"lifecycle/deleted-stays-gone"}, Also: []string{"absence/deleted-delete", "absence/deleted-read", "repeat/delete-is-idempotent", "race/deletes-say-once", "race/deletes-together"},
			middleware: func() middleware {
				var gone between.Memory[*reply]
				return on("DELETE", "/boats/*", func(c *call) {
					old := c.item()
					a := c.good()
					if was, known := gone.Swap(c.r.URL.Path, old); known && was != nil && a.Status == http.StatusNotFound {
						c.h.restore(was)
					}
					c.give(a)
				})
			}()},
		{Name: "numbers-read-as-text", Says: "the length of a boat reads as a text",
			Finds: []string{"lifecycle/types-are-kept"}, Also: []string{"lifecycle/create-echo-agrees", "lifecycle/read-agrees-with-list"},
			middleware: after("GET HEAD", "/boats/*", func(_ *call, a *reply) {
				a.edit(func(m map[string]any) {
					if n, ok := m["length_m"]; ok {
						m["length_m"] = fmt.Sprint(n)
					}
				})
			})},
		{Name: "delete-removes-all", Says: "deleting one boat removes all of them",
			Finds: []string{"lifecycle/deleted-is-unlisted"}, Also: []string{"race/deletes-together"}, Spreads: true,
			middleware: after("DELETE", "/boats/*", func(c *call, a *reply) {
				if a.Status == http.StatusNoContent {
					_ = c.h.store.clear("boats")
				}
			})},
		{Name: "delete-removes-neighbour", Says: "deleting a boat removes the one registered before it too",
			Finds: []string{"lifecycle/deleted-is-unlisted"}, Also: []string{"race/deletes-together"}, Spreads: true,
			middleware: after("DELETE", "/boats/*", func(c *call, a *reply) {
				list, err := all[Boat](c.h.store, "boats")
				if a.Status != http.StatusNoContent || err != nil {
					return
				}
				before := uint64(0)
				for _, b := range list {
					if b.ID < c.number() {
						before = b.ID
					}
				}
				_ = c.h.store.remove("boats", number(before))
			})},
		{Name: "delete-answers-redirect", Says: "DELETE removes the boat and answers 303",
			Finds: []string{"lifecycle/delete-answers"}, Also: []string{"race/deletes-together"},
			middleware: after("DELETE", "/boats/*", func(_ *call, a *reply) {
				if a.Status == http.StatusNoContent {
					a.Status = http.StatusSeeOther
					a.Fields.Set("Location", "/boats")
				}
			})},
		{Name: "deleted-comes-back", Says: "PUT on a deleted boat answers 200 and brings it back",
			Finds: []string{"absence/deleted-replace"},
			middleware: on("PUT", "/boats/*", func(c *call) {
				if id := c.number(); id > 0 && c.item() == nil && id <= c.h.store.last("boats") {
					if made := c.askPlain("POST", "/boats", c.Body); made.Status == http.StatusCreated {
						c.h.move(made.id(), id)
						a := c.askPlain("GET", "", nil)
						c.give(a)
						return
					}
				}
				c.give(c.good())
			})},
		{Name: "put-appends", Says: "PUT on a boat adds another one in place of replacing it",
			Finds: []string{"lifecycle/replace-hits-one", "lifecycle/replace-takes-effect"}, Also: []string{"limits/on-replace", "input/unique-on-change", "input/unique-own-value", "lifecycle/replace-after-amend", "lifecycle/replace-drops-omitted", "race/reads-beside-replaces", "race/replaces-together", "repeat/replace-is-idempotent"},
			middleware: on("PUT", "/boats/*", func(c *call) {
				if c.item() == nil || c.conditional() {
					c.give(c.good())
					return
				}
				a := c.askPlain("POST", "/boats", c.Body)
				if a.Status == http.StatusConflict {
					a = c.h.forced(c)
				}
				if a.Status == http.StatusCreated {
					a.Status = http.StatusOK
				}
				c.give(a)
			})},
		{Name: "put-merges", Says: "PUT keeps the members that were left out",
			Finds: []string{"lifecycle/replace-drops-omitted"},
			middleware: on("PUT", "/boats/*", func(c *call) {
				old := c.item()
				if old == nil || !json.Valid(c.Body) {
					c.give(c.good())
					return
				}
				var m members
				_ = json.Unmarshal(old.Body, &m)
				_, hasName := c.members()["name"]
				_, hasLength := c.members()["length_m"]
				if !hasName || !hasLength {
					c.give(c.good())
					return
				}
				for n, v := range c.members() {
					m[n] = v
				}
				c.give(c.ask("PUT", "", encoded(m)))
			})},
		{Name: "put-ignored", Says: "PUT answers 200 with what was sent, and nothing changes",
			Finds: []string{"lifecycle/replace-takes-effect"}, Also: []string{"limits/on-replace", "lifecycle/amend-after-replace", "lifecycle/replace-after-amend", "lifecycle/replace-drops-omitted", "race/reads-beside-replaces", "race/replaces-together"},
			middleware: on("PUT", "/boats/*", func(c *call) {
				old := c.item()
				a := c.good()
				if old != nil && a.Status == http.StatusOK {
					c.h.restore(old)
				}
				c.give(a)
			})},
		{Name: "put-hits-neighbour", Says: "replacing a boat changes another one too",
			Finds: []string{"lifecycle/replace-hits-one"},
			middleware: after("PUT", "/boats/*", func(c *call, a *reply) {
				if a.Status == http.StatusOK {
					c.h.change(1, func(b *Boat) { port := "Reed " + strconv.FormatUint(a.id(), 10); b.HomePort = &port })
				}
			})},
		{Name: "put-moves-id", Says: "another id inside the body of a PUT moves the boat there",
			Finds: []string{"lifecycle/replace-keeps-identity"},
			middleware: after("PUT", "/boats/*", func(c *call, a *reply) {
				var to uint64
				if a.Status == http.StatusOK && json.Unmarshal(c.members()["id"], &to) == nil && to != a.id() {
					c.h.move(a.id(), to)
				}
			})},
		{Name: "put-answers-teapot", Says: "PUT replaces the boat and answers 226",
			Finds: []string{"lifecycle/replace-answers"},
			middleware: after("PUT", "/boats/*", func(_ *call, a *reply) {
				if a.Status == http.StatusOK {
					a.Status = http.StatusIMUsed
				}
			})},
		{Name: "patch-replaces", Says: "PATCH drops the optional members that it does not name",
			Finds: []string{"lifecycle/amend-merges"}, Also: []string{"lifecycle/amends-add-up", "race/amends-together"},
			middleware: after("PATCH", "/boats/*", func(c *call, a *reply) {
				if a.Status == http.StatusOK {
					sent := c.members()
					c.h.change(a.id(), func(b *Boat) {
						for n, at := range map[string]**string{"flag": &b.Flag, "home_port": &b.HomePort} {
							if _, named := sent[n]; !named {
								*at = nil
							}
						}
					})
				}
			})},
		{Name: "patch-ignored", Says: "PATCH answers with the amended boat and stores nothing",
			Finds: []string{"lifecycle/amend-merges"}, Also: []string{"limits/on-amend", "lifecycle/amend-after-replace", "lifecycle/amend-null-removes", "lifecycle/amends-add-up", "race/amends-together"},
			middleware: on("PATCH", "/boats/*", func(c *call) {
				old := c.item()
				a := c.good()
				if old != nil && a.Status == http.StatusOK {
					c.h.restore(old)
				}
				c.give(a)
			})},
		{Name: "patch-null-ignored", Says: "null in a PATCH leaves the member as it was",
			Finds: []string{"lifecycle/amend-null-removes"}, Also: []string{"limits/on-amend"},
			middleware: on("PATCH", "/boats/*", func(c *call) {
				m := c.members()
				for n, v := range m {
					if string(v) == "null" && n != "name" && n != "length_m" {
						delete(m, n)
					}
				}
				if len(m) == len(c.members()) {
					c.give(c.good())
					return
				}
				c.give(c.ask("PATCH", "", encoded(m)))
			})},
		{Name: "patch-hits-all", Says: "PATCH of one boat changes the flag of all",
			Finds: []string{"lifecycle/amend-hits-one"},
			middleware: after("PATCH", "/boats/*", func(c *call, a *reply) {
				if a.Status != http.StatusOK {
					return
				}
				if list, err := all[Boat](c.h.store, "boats"); err == nil {
					for _, b := range list {
						if b.ID != a.id() {
							c.h.change(b.ID, func(b *Boat) { flag := "XX"; b.Flag = &flag })
						}
					}
				}
			})},
		{Name: "patch-answers-redirect", Says: "PATCH amends the boat and answers 303",
			Finds: []string{"lifecycle/amend-answers"}, Also: []string{"limits/on-amend"},
			middleware: after("PATCH", "/boats/*", func(_ *call, a *reply) {
				if a.Status == http.StatusOK {
					a.Status = http.StatusSeeOther
				}
			})},
		{Name: "create-stores-twice", Says: "one POST stores two boats",
			Finds: []string{"lifecycle/created-is-listed"}, Also: []string{"limits/on-replace", "limits/on-amend", "input/unique-freed-by-change", "input/unique-freed-by-delete", "input/unique-own-value", "lifecycle/amend-answers", "lifecycle/paging-covers", "lifecycle/replace-answers", "race/creates-together", "race/unique-together"},
			middleware: after("POST", "/boats", func(c *call, a *reply) {
				if a.Status == http.StatusCreated {
					b := &Boat{}
					if c.h.store.get("boats", number(a.id()), b) == nil {
						b.ID, _ = c.h.store.next("boats")
						_ = c.h.store.put("boats", number(b.ID), b)
					}
				}
			})},
		{Name: "create-unlisted", Says: "a new boat can be read, and the list does not show it",
			Finds: []string{"lifecycle/created-is-listed"}, Also: []string{"lifecycle/deleted-is-unlisted", "lifecycle/paging-covers", "race/creates-together", "race/unique-together"},
			middleware: after("GET HEAD", "/boats", func(_ *call, a *reply) {
				var list, shown []Boat
				if a.Status == http.StatusOK && json.Unmarshal(a.Body, &list) == nil {
					for _, b := range list {
						if b.ID <= 12 {
							shown = append(shown, b)
						}
					}
					a.Body, _ = encode(append([]Boat{}, shown...))
				}
			})},
		{Name: "create-answers-200", Says: "a create answers 200 in place of 201",
			Finds: []string{"lifecycle/create-answers"},
			middleware: after("POST", "/boats", func(_ *call, a *reply) {
				if a.Status == http.StatusCreated {
					a.Status = http.StatusOK
				}
			})},
		{Name: "location-nowhere", Says: "Location of a create leads to a boat that is not there",
			Finds: []string{"lifecycle/location-leads-there"},
			middleware: after("POST", "/boats", func(_ *call, a *reply) {
				if a.Status == http.StatusCreated {
					a.Fields.Set("Location", fmt.Sprintf("/boats/%d", a.id()+1000))
				}
			})},
		{Name: "create-names-nothing", Says: "a create answers 201 with no Location and no id",
			Finds: []string{"lifecycle/create-locates"}, Resource: "log",
			middleware: after("POST", "/log", func(_ *call, a *reply) {
				if a.Status == http.StatusCreated {
					a.Fields.Del("Location")
					a.edit(func(m map[string]any) { delete(m, "id") })
				}
			})},
		{Name: "echo-differs", Says: "the answer to a create shows another name than is stored",
			Finds: []string{"lifecycle/create-echo-agrees"},
			middleware: after("POST", "/boats", func(_ *call, a *reply) {
				if a.Status == http.StatusCreated {
					a.edit(func(m map[string]any) { m["name"] = strings.ToUpper(fmt.Sprint(m["name"])) })
				}
			})},
		{Name: "same-id-twice", Says: "two boats made one after the other get the same id",
			Finds: []string{"lifecycle/created-are-distinct"}, Also: []string{"input/unique-on-change", "lifecycle/create-overwrites-none", "lifecycle/paging-covers", "lifecycle/replace-keeps-identity", "race/creates-together"},
			middleware: after("POST", "/boats", func(c *call, a *reply) {
				if id := a.id(); a.Status == http.StatusCreated && id > 1 && c.h.store.get("boats", number(id-1), &Boat{}) == nil {
					c.h.move(id, id-1)
					a.edit(func(m map[string]any) { m["id"] = id - 1 })
					a.Fields.Set("Location", fmt.Sprintf("/boats/%d", id-1))
				}
			})},
		{Name: "id-settable", Says: "a client that sends an id gets it",
			Finds: []string{"lifecycle/assigned-is-assigned"}, Also: []string{"lifecycle/create-overwrites-none"},
			middleware: after("POST", "/boats", func(c *call, a *reply) {
				var to uint64
				if a.Status == http.StatusCreated && json.Unmarshal(c.members()["id"], &to) == nil && to > 0 {
					c.h.move(a.id(), to)
					a.edit(func(m map[string]any) { m["id"] = to })
					a.Fields.Set("Location", fmt.Sprintf("/boats/%d", to))
				}
			})},
		{Name: "ids-reused", Says: "a new boat gets the id of one that was deleted last",
			Finds: []string{"lifecycle/id-is-not-reused"}, Also: []string{"lifecycle/assigned-is-assigned"},
			middleware: func() middleware {
				var freed between.Memory[uint64]
				return chain(
					after("DELETE", "/boats/*", func(c *call, a *reply) {
						if a.Status == http.StatusNoContent {
							freed.Swap("id", c.number())
						}
					}),
					after("POST", "/boats", func(c *call, a *reply) {
						if a.Status != http.StatusCreated {
							return
						}
						if to, known := freed.Swap("id", 0); known && to > 0 {
							c.h.move(a.id(), to)
							a.edit(func(m map[string]any) { m["id"] = to })
							a.Fields.Set("Location", fmt.Sprintf("/boats/%d", to))
						}
					}))
			}()},
		{Name: "text-cut-at-20", Says: "names longer than 20 characters are cut",
			Finds: []string{"lifecycle/create-keeps-values"}, Also: []string{"limits/pairs", "limits/edge-is-taken"},
			middleware: storing(func(b *Boat) {
				if r := []rune(b.Name); len(r) > 20 {
					b.Name = string(r[:20])
				}
			})},
		{Name: "accents-lost", Says: "letters with accents are stored without",
			Finds: []string{"lifecycle/create-keeps-values"},
			middleware: storing(func(b *Boat) {
				b.Name = strings.Map(func(r rune) rune {
					if r > 127 && unicode.Is(unicode.Latin, r) {
						return 'e'
					}
					return r
				}, b.Name)
			})},
		{Name: "emoji-lost", Says: "characters outside the basic plane become question marks",
			Finds: []string{"lifecycle/create-keeps-values"}, Also: []string{"limits/edge-is-taken"},
			middleware: storing(func(b *Boat) {
				b.Name = strings.Map(func(r rune) rune {
					if r > 0xffff {
						return '?'
					}
					return r
				}, b.Name)
			})},
		{Name: "markup-escaped", Says: "markup in a name is stored escaped for HTML",
			Finds: []string{"lifecycle/create-keeps-values"},
			middleware: storing(func(b *Boat) {
				b.Name = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(b.Name)
			})},
		{Name: "numbers-through-float", Says: "lengths pass through a 32-bit float",
			Finds: []string{"lifecycle/create-keeps-values"}, Also: []string{"limits/pairs", "limits/on-replace", "limits/edge-is-taken", "lifecycle/created-are-distinct", "lifecycle/location-leads-there", "lifecycle/replace-keeps-identity"},
			middleware: storing(func(b *Boat) {
				if f, err := strconv.ParseFloat(string(b.LengthM), 32); err == nil {
					b.LengthM = json.Number(strconv.FormatFloat(float64(float32(f)), 'f', -1, 64))
				}
			})},
		{Name: "list-rounds", Says: "the list shows rounded lengths, the boat itself does not",
			Finds: []string{"lifecycle/read-agrees-with-list"},
			middleware: after("GET HEAD", "/boats", func(_ *call, a *reply) {
				a.edit(func(m map[string]any) { m["length_m"] = json.Number(strings.Split(fmt.Sprint(m["length_m"]), ".")[0]) })
			})},
		{Name: "list-of-one-is-object", Says: "a list that holds one boat is that boat, without an array",
			Finds: []string{"lifecycle/list-is-a-list"},
			middleware: after("GET", "/boats", func(_ *call, a *reply) {
				var list []json.RawMessage
				if json.Unmarshal(a.Body, &list) == nil && len(list) == 1 {
					a.Body = list[0]
				}
			})},
		{Name: "list-is-wrapped-object", Says: "the list is an object with a boat under each id",
			Finds: []string{"lifecycle/list-is-a-list"}, Also: []string{"absence/deleted-amend", "absence/deleted-delete", "absence/missing-amend", "absence/missing-delete", "input/duplicate-unique", "input/empty-body", "input/malformed-json", "input/missing-member", "input/null-member", "input/refused-changes-nothing", "input/wrong-container", "input/wrong-media-type", "input/wrong-type", "lifecycle/amend-hits-one", "lifecycle/created-is-listed", "lifecycle/deleted-is-unlisted", "lifecycle/filter-none", "lifecycle/links-lead-there", "lifecycle/odd-pages", "lifecycle/paging-covers", "lifecycle/replace-hits-one", "method/unknown-method", "method/unsupported-method", "precondition/stale-write-refused", "race/creates-together", "race/deletes-together", "race/unique-together", "repeat/amend-repeat", "repeat/delete-is-idempotent", "repeat/post-makes-another", "repeat/read-is-safe", "repeat/replace-is-idempotent"},
			middleware: after("GET HEAD", "/boats", func(_ *call, a *reply) {
				var list []Boat
				if a.Status == http.StatusOK && json.Unmarshal(a.Body, &list) == nil {
					out := map[string]Boat{}
					for _, b := range list {
						out[strconv.FormatUint(b.ID, 10)] = b
					}
					a.Body, _ = encode(out)
				}
			})},
		{Name: "empty-list-404", Says: "a filter that selects nothing answers 404",
			Finds: []string{"lifecycle/filter-none"},
			middleware: after("GET", "/boats", func(c *call, a *reply) {
				if bytes.Equal(a.Body, []byte("[]")) && c.r.URL.RawQuery != "" {
					a.Status = http.StatusNotFound
					a.Say("application/problem+json", `{"type":"about:blank","title":"Not Found","status":404}`)
				}
			})},
		{Name: "empty-list-null", Says: "a filter that selects nothing answers null",
			Finds: []string{"lifecycle/filter-none"}, Also: []string{"absence/deleted-amend", "absence/deleted-delete", "absence/missing-amend", "absence/missing-delete", "input/duplicate-unique", "input/empty-body", "input/malformed-json", "input/missing-member", "input/null-member", "input/refused-changes-nothing", "input/wrong-container", "input/wrong-media-type", "input/wrong-type", "lifecycle/amend-hits-one", "lifecycle/created-is-listed", "lifecycle/deleted-is-unlisted", "lifecycle/odd-pages", "lifecycle/paging-covers", "lifecycle/replace-hits-one", "method/unknown-method", "method/unsupported-method", "precondition/stale-write-refused", "race/creates-together", "race/deletes-together", "race/unique-together", "repeat/amend-repeat", "repeat/delete-is-idempotent", "repeat/post-makes-another", "repeat/read-is-safe", "repeat/replace-is-idempotent"},
			middleware: after("GET", "/boats", func(_ *call, a *reply) {
				if bytes.Equal(a.Body, []byte("[]")) {
					a.Body = []byte("null")
				}
			})},
		{Name: "filter-ignored", Says: "the filter by flag is ignored",
			Finds: []string{"lifecycle/filter-selects", "lifecycle/filter-none"}, Also: []string{"lifecycle/filter-is-literal"},
			middleware: on("GET", "/boats", func(c *call) {
				q := c.r.URL.Query()
				q.Del("flag")
				c.r.URL.RawQuery = q.Encode()
				c.give(c.good())
			})},
		{Name: "paging-overlaps", Says: "each page begins with the last boat of the one before",
			Finds: []string{"lifecycle/paging-covers"}, Also: []string{"lifecycle/created-is-listed", "lifecycle/links-lead-there", "race/creates-together", "race/unique-together"},
			middleware: on("GET", "/boats", func(c *call) {
				q := c.r.URL.Query()
				if n, err := strconv.Atoi(q.Get("offset")); err == nil && n > 0 && n < 100 {
					q.Set("offset", strconv.Itoa(n-1))
					c.r.URL.RawQuery = q.Encode()
				}
				c.give(c.good())
			})},
	}
}

// storing changes boats behind the back of a create or replace that worked,
// and tells of it in the answer.
func storing(change func(b *Boat)) middleware {
	keep := func(c *call, a *reply) {
		if a.Status/100 != 2 || a.id() == 0 {
			return
		}
		c.h.change(a.id(), change)
		now := &Boat{}
		if c.h.store.get("boats", number(a.id()), now) == nil {
			a.Body, _ = encode(now)
			a.Fields.Set("ETag", tag(a.Body))
		}
	}
	return chain(after("POST", "/boats", keep), after("PUT PATCH", "/boats/*", keep))
}

// number is the number at the end of the path, 0 for none.
func (c *call) number() uint64 {
	raw := c.r.URL.Path[strings.LastIndexByte(c.r.URL.Path, '/')+1:]
	n, err := strconv.ParseUint(raw, 10, 64)
	if err != nil || strconv.FormatUint(n, 10) != raw {
		return 0
	}
	return n
}

// change rewrites a boat, if it is there.
func (h *harbour) change(id uint64, do func(b *Boat)) {
	b := &Boat{}
	if h.store.get("boats", number(id), b) != nil {
		return
	}
	do(b)
	_ = h.store.put("boats", number(b.ID), b)
}

// move gives a boat another id.
func (h *harbour) move(from, to uint64) {
	h.change(from, func(b *Boat) { b.ID = to })
	_ = h.store.remove("boats", number(from))
}

// restore puts a boat back as it was shown.
func (h *harbour) restore(old *reply) {
	b := &Boat{}
	if json.Unmarshal(old.Body, b) == nil {
		_ = h.store.put("boats", number(b.ID), b)
	}
}
