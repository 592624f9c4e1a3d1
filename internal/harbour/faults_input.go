package harbour

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
)

var trailingComma = regexp.MustCompile(`,\s*}`)

// inputFaults are about bodies that must be refused, and refused whole.
func inputFaults() []Fault {
	// mend makes a body good that the service would refuse, and lets it pass.
	mend := func(methods string, how func(c *call, m members) members) middleware {
		one := func(c *call) {
			if m := how(c, c.members()); m != nil {
				c.Body = encoded(m)
			}
			c.give(c.good())
		}
		return chain(on(methods, "/boats", one), on(methods, "/boats/*", one))
	}
	unless := func(m members, name, v string) members {
		if _, there := m[name]; !there {
			m[name] = json.RawMessage(v)
			return m
		}
		return nil
	}
	refused := func(change func(c *call, a *reply)) middleware {
		one := func(c *call, a *reply) {
			if a.Status == http.StatusBadRequest || a.Status == http.StatusUnprocessableEntity {
				change(c, a)
			}
		}
		return chain(after("POST", "/boats", one), after("PUT PATCH", "/boats/*", one))
	}
	return []Fault{
		{Name: "refused-still-stored", Says: "a POST that is refused stores a boat all the same",
			Finds: []string{"input/missing-member", "input/wrong-type"}, Also: []string{"limits/unknown-member", "limits/several-at-once", "limits/beyond-is-refused", "input/null-member"},
			middleware: after("POST", "/boats", func(c *call, a *reply) {
				if a.Status == http.StatusUnprocessableEntity {
					n := c.h.store.last("boats")
					c.askPlain("POST", "/boats", fmt.Appendf(nil, `{"name":"Ghost %d","length_m":1}`, n))
				}
			})},
		{Name: "errors-under-200", Says: "what is refused answers 200 with an error inside",
			Finds: []string{"input/missing-member", "input/malformed-json", "representation/success-means-success"}, Also: []string{"limits/several-at-once", "limits/on-replace", "limits/on-amend", "limits/beyond-is-refused", "input/empty-body", "input/null-member", "input/wrong-container", "input/wrong-media-type", "input/wrong-type", "lifecycle/amend-empties", "lifecycle/replace-empties"},
			middleware: refused(func(_ *call, a *reply) {
				a.Status = http.StatusOK
				a.Say("application/json", `{"status":"fail","error":"bad response"}`)
			})},
		{Name: "refused-is-500", Says: "a member that is left out answers 500",
			Finds: []string{"input/missing-member"}, Also: []string{"input/null-member"},
			middleware: refused(func(_ *call, a *reply) {
				if a.Status == http.StatusUnprocessableEntity && strings.Contains(string(a.Body), "is required") {
					a.Status = 500
					a.edit(func(m map[string]any) { m["status"] = 500 })
				}
			})},
		{Name: "length-not-required", Says: "a boat without a length is stored with length 1",
			Finds: []string{"input/missing-member"},
			middleware: mend("POST PUT", func(c *call, m members) members {
				if len(m) == 0 {
					return nil
				}
				return unless(m, "length_m", "1")
			})},
		{Name: "put-length-not-required", Says: "a PUT without a length is accepted",
			Finds: []string{"input/missing-member"},
			middleware: mend("PUT", func(c *call, m members) members {
				if len(m) == 0 {
					return nil
				}
				return unless(m, "length_m", "1")
			})},
		{Name: "null-taken", Says: "null for a required member is stored as a default",
			Finds: []string{"input/null-member"},
			middleware: mend("POST PUT", func(_ *call, m members) members {
				if string(m["length_m"]) == "null" {
					m["length_m"] = json.RawMessage("1")
					return m
				}
				return nil
			})},
		{Name: "types-coerced", Says: "a number in place of a text is stored as text, written otherwise",
			Finds: []string{"input/wrong-type"},
			middleware: mend("POST PUT", func(_ *call, m members) members {
				if raw := bytes.TrimSpace(m["name"]); len(raw) > 0 && raw[0] >= '0' && raw[0] <= '9' {
					m["name"] = json.RawMessage(`"` + string(raw) + `.0"`)
					return m
				}
				return nil
			})},
		{Name: "array-taken", Says: "an array around the boat is opened",
			Finds: []string{"input/wrong-container"},
			middleware: on("POST", "/boats", func(c *call) {
				if b := bytes.TrimSpace(c.Body); bytes.HasPrefix(b, []byte("[{")) && bytes.HasSuffix(b, []byte("}]")) {
					c.Body = b[1 : len(b)-1]
				}
				c.give(c.good())
			})},
		{Name: "trailing-comma-taken", Says: "JSON with a trailing comma is accepted",
			Finds: []string{"input/malformed-json"},
			middleware: on("POST", "/boats", func(c *call) {
				c.Body = trailingComma.ReplaceAll(c.Body, []byte("}"))
				c.give(c.good())
			})},
		{Name: "malformed-is-html", Says: "malformed JSON answers an HTML page with a stack trace",
			Finds: []string{"representation/errors-leak-nothing", "representation/errors-look-alike"},
			middleware: refused(func(_ *call, a *reply) {
				if a.Status == http.StatusBadRequest {
					a.Say("text/html", trace)
				}
			})},
		{Name: "refused-put-is-kept-in-part", Says: "a PUT of malformed JSON answers 400, and clears the flag of the boat",
			Finds: []string{"input/refused-changes-nothing"},
			middleware: after("PUT", "/boats/*", func(c *call, a *reply) {
				if a.Status == http.StatusBadRequest {
					c.h.change(c.number(), func(b *Boat) { b.Flag = nil })
				}
			})},
		{Name: "malformed-is-500", Says: "malformed JSON answers 500",
			Finds: []string{"input/malformed-json"}, Also: []string{"limits/unknown-member", "input/empty-body", "input/odd-text-survives", "input/refused-changes-nothing", "input/wrong-container", "input/wrong-media-type"},
			middleware: refused(func(_ *call, a *reply) {
				if a.Status == http.StatusBadRequest {
					a.Status = 500
					a.edit(func(m map[string]any) { m["status"] = 500 })
				}
			})},
		{Name: "empty-body-makes-boat", Says: "an empty body makes a boat without a proper name",
			Finds: []string{"input/empty-body"},
			middleware: on("POST", "/boats", func(c *call) {
				if len(bytes.TrimSpace(c.Body)) == 0 {
					c.Body = fmt.Appendf(nil, `{"name":"Unnamed %d","length_m":1}`, c.h.store.last("boats"))
				}
				c.give(c.good())
			})},
		{Name: "plain-text-makes-default", Says: "JSON labelled as text makes a boat of default values",
			Finds: []string{"input/wrong-media-type"},
			middleware: on("POST", "/boats", func(c *call) {
				if strings.HasPrefix(c.r.Header.Get("Content-Type"), "text/plain") {
					c.give(c.askPlain("POST", "", fmt.Appendf(nil, `{"name":"Unnamed %d","length_m":1}`, c.h.store.last("boats"))))
					return
				}
				c.give(c.good())
			})},
		{Name: "names-twice", Says: "two boats may have the same name",
			Finds: []string{"input/duplicate-unique"}, Also: []string{"input/unique-on-change", "race/unique-together"},
			middleware: on("POST", "/boats", func(c *call) {
				a := c.good()
				if a.Status == http.StatusConflict {
					a = c.h.forced(c)
				}
				c.give(a)
			})},
		{Name: "odd-text-500", Says: "a NUL in a name answers 500",
			Finds: []string{"input/odd-text-survives"},
			middleware: on("POST", "/boats", func(c *call) {
				if bytes.Contains(c.Body, []byte(`\u0000`)) {
					refuse(c.w, c.r, http.StatusInternalServerError, "the boat cannot be stored")
					return
				}
				c.give(c.good())
			})},
		{Name: "big-body-500", Says: "a body of a mebibyte answers 500",
			Finds: []string{"input/big-body"},
			middleware: on("POST", "/boats", func(c *call) {
				if len(c.Body) > 500_000 {
					refuse(c.w, c.r, http.StatusInternalServerError, "the boat cannot be stored")
					return
				}
				c.give(c.good())
			})},
		{Name: "refusal-is-mute", Says: "a refusal does not say which member is at fault",
			Finds: []string{"input/names-the-member"}, Also: []string{"limits/several-at-once", "limits/beyond-is-refused"},
			middleware: refused(func(_ *call, a *reply) {
				a.edit(func(m map[string]any) { m["detail"] = "something is wrong"; delete(m, "errors") })
			})},
	}
}

// forced stores a boat although its name is taken.
func (h *harbour) forced(c *call) *reply {
	m := c.members()
	name := m["name"]
	m["name"] = json.RawMessage(fmt.Sprintf(`"Twin %d"`, h.store.last("boats")))
	a := c.askPlain("POST", "/boats", encoded(m))
	if id := a.id(); a.Status == http.StatusCreated {
		h.change(id, func(b *Boat) { _ = json.Unmarshal(name, &b.Name) })
		a.edit(func(m map[string]any) { m["name"] = name })
	}
	return a
}
