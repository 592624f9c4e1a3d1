package harbour

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"
)

// berthNames lets berths have any name, beside those of the harbour, and does
// with names what a fault does.
type berthNames struct {
	mu    sync.Mutex
	order []string
	items map[string]members
	// put is the name that a new berth is stored under, shown the one that it
	// shows; nil for the name itself.
	put, shown func(name string) string
	// found is another berth that a read of a name gives.
	found func(name string) string
	// gone tells whether removing a name removes another too.
	gone func(name, other string) bool
	// bad makes a name an error of the service's own.
	bad func(name string) bool
}

// name is that of the path, decoded once.
func (c *call) name() string {
	raw := c.r.URL.EscapedPath()
	name, err := url.PathUnescape(raw[strings.LastIndexByte(raw, '/')+1:])
	if err != nil {
		return ""
	}
	return name
}

func (n *berthNames) middleware() middleware {
	n.items = map[string]members{}
	return chain(
		on("GET PUT DELETE", "/berths/*", n.one),
		after("GET HEAD", "/berths", func(c *call, a *reply) {
			if a.Status != http.StatusOK || c.r.URL.RawQuery != "" {
				return
			}
			n.mu.Lock()
			defer n.mu.Unlock()
			var list []json.RawMessage
			_ = json.Unmarshal(a.Body, &list)
			for _, k := range n.order {
				list = append(list, encoded(n.items[k]))
			}
			a.Body, _ = encode(list)
			a.Fields.Del("ETag")
		}))
}

func (n *berthNames) one(c *call) {
	n.mu.Lock()
	defer n.mu.Unlock()
	name := c.name()
	if n.bad != nil && n.bad(name) {
		refuse(c.w, c.r, http.StatusInternalServerError, "the name cannot be read")
		return
	}
	if codePattern.MatchString(name) {
		a := c.good()
		c.give(a)
		if c.r.Method == http.MethodDelete && a.Status == http.StatusNoContent {
			n.remove(c, name)
		}
		return
	}
	switch c.r.Method {
	case http.MethodGet:
		if n.found != nil {
			if other := n.found(name); codePattern.MatchString(other) {
				if a := c.ask(http.MethodGet, "/berths/"+other, nil); a.Status == http.StatusOK {
					c.give(a)
					return
				}
			}
		}
		if m := n.items[name]; m != nil {
			show(c.w, c.r, http.StatusOK, m)
			return
		}
		refuse(c.w, c.r, http.StatusNotFound, "there is no such berth")
	case http.MethodPut:
		n.store(c, name)
	default:
		if n.items[name] == nil {
			refuse(c.w, c.r, http.StatusNotFound, "there is no such berth")
			return
		}
		n.remove(c, name)
		c.w.WriteHeader(http.StatusNoContent)
	}
}

func (n *berthNames) store(c *call, name string) {
	key := name
	if n.put != nil {
		key = n.put(name)
	}
	if codePattern.MatchString(key) {
		c.give(c.ask(http.MethodPut, "/berths/"+key, c.Body))
		return
	}
	m, err := object(c.Body)
	if err != nil || m["max_length_m"] == nil || c.r.Header.Get("Content-Type") != "application/json" || c.r.Header.Get("Content-Encoding") != "" {
		refuse(c.w, c.r, http.StatusUnprocessableEntity, "a berth has a max_length_m")
		return
	}
	status := http.StatusOK
	if n.items[key] == nil {
		n.order, status = append(n.order, key), http.StatusCreated
	}
	shown := key
	if n.shown != nil {
		shown = n.shown(key)
	}
	m["code"], _ = json.Marshal(shown)
	n.items[key] = m
	show(c.w, c.r, status, m)
}

func (n *berthNames) remove(c *call, name string) {
	drop := func(other string) bool { return other == name || n.gone != nil && n.gone(name, other) }
	for k := range n.items {
		if drop(k) {
			delete(n.items, k)
		}
	}
	n.order = slices.DeleteFunc(n.order, func(k string) bool { return n.items[k] == nil })
	if n.gone == nil {
		return
	}
	list, _ := all[Berth](c.h.store, "berths")
	for _, b := range list {
		if drop(b.Code) {
			_ = c.h.store.remove("berths", []byte(b.Code))
		}
	}
}

// nameFaults are about names that are taken for others, or for none.
func nameFaults() []Fault {
	berth := func(name, says, finds string, n *berthNames, also ...string) Fault {
		return Fault{Name: name, Says: says, Finds: []string{finds}, Also: also, Resource: "berths", middleware: n.middleware()}
	}
	const near, odd = "names/near-names-are-two", "names/odd-names-are-kept"
	cut := func(at string) func(string) string {
		return func(name string) string { head, _, _ := strings.Cut(name, at); return head }
	}
	failed := func(c *call) { refuse(c.w, c.r, http.StatusInternalServerError, "the name cannot be read") }
	// asked takes over reads of boats whose names are as told.
	asked := func(is func(name string) bool, do func(c *call)) middleware {
		return on("GET", "/boats/*", func(c *call) {
			if is(c.name()) {
				do(c)
				return
			}
			c.give(c.good())
		})
	}
	nothing := func(c *call) {
		c.w.Header().Set("Content-Type", "application/json")
		_, _ = c.w.Write([]byte("{}"))
	}
	return []Fault{
		berth("names-folded-when-written", "PUT of f12 writes to F12, while GET of f12 finds nothing", near, &berthNames{put: strings.ToUpper}, odd),
		berth("names-removed-alike", "removing F120 removes F12 too", near, &berthNames{gone: func(name, other string) bool { return strings.HasPrefix(name, other) }}, odd),
		berth("names-found-by-beginning", "GET of a berth that is not there gives one whose name is the beginning", near, &berthNames{found: func(name string) string { return name[:max(len(name)-1, 0)] }}),
		berth("names-cut-in-front", "PUT of aF12 writes to F12", near, &berthNames{put: func(name string) string { return strings.TrimPrefix(name, "a") }}),
		berth("names-end-at-dot", "PUT of F12.b writes to F12", odd, &berthNames{put: cut(".")}),
		berth("names-end-at-semicolon", "PUT of F12;b writes to F12", odd, &berthNames{put: cut(";")}),
		berth("names-plus-is-blank", "a plus sign in a name is shown as a blank", odd, &berthNames{shown: func(name string) string { return strings.ReplaceAll(name, "+", " ") }}),
		berth("names-decoded-twice", "a percent sign in a name answers 500", odd, &berthNames{bad: func(name string) bool { _, err := url.PathUnescape(name); return err != nil }}),
		berth("names-lose-accents", "letters beyond ASCII in a name become question marks", odd, &berthNames{shown: func(name string) string {
			return strings.Map(func(r rune) rune {
				if r > 126 {
					return '?'
				}
				return r
			}, name)
		}}),
		berth("names-lose-blanks", "blanks in a name are left out when it is stored", odd, &berthNames{put: func(name string) string { return strings.ReplaceAll(name, " ", "") }}),
		{Name: "built-in-is-item", Says: "the boat `constructor` answers 200 with an empty object", Finds: []string{"names/built-in-names"},
			middleware: asked(func(n string) bool { return n == "constructor" || n == "toString" }, nothing)},
		{Name: "built-in-is-500", Says: "the boat `__proto__` answers 500", Finds: []string{"names/built-in-names"},
			middleware: asked(func(n string) bool { return n == "__proto__" }, failed)},
		{Name: "long-name-500", Says: "a name of more than 1,000 letters answers 500", Finds: []string{"names/long-names"},
			middleware: asked(func(n string) bool { return len(n) > 1000 }, failed)},
		{Name: "long-name-is-item", Says: "a name of more than 255 letters that are not digits answers 200 with an empty object", Finds: []string{"names/long-names"},
			middleware: asked(func(n string) bool { return len(n) > 255 && n[0] > '9' }, nothing)},
		{Name: "half-character-500", Says: "a path that is not UTF-8 answers 500", Finds: []string{"names/broken-escapes"},
			middleware: asked(func(n string) bool { return !utf8.ValidString(n) }, failed)},
		{Name: "overlong-is-dot", Says: "an overlong encoding of a dot is taken for the dot, and answers the list", Finds: []string{"names/broken-escapes"},
			middleware: asked(func(n string) bool { return strings.Contains(n, "\xc0\xae") }, func(c *call) { c.give(c.ask(http.MethodGet, "/boats", nil)) })},
	}
}
