package harbour

import (
	"encoding/json"
	"net/http"
	"sync"
)

// named is the name in a body, "" for none.
func (c *call) named() string {
	var name string
	if json.Unmarshal(c.members()["name"], &name) != nil {
		return ""
	}
	return name
}

// taking lets a write of a boat through although its name is taken.
func taking(methods string) middleware {
	return on(methods, "/boats/*", func(c *call) {
		a := c.good()
		if a.Status != http.StatusConflict {
			c.give(a)
			return
		}
		// Written under another name, and then named as was asked for.
		name := c.named()
		m := c.members()
		m["name"] = json.RawMessage(`"A name that nobody has, for a moment"`)
		if a = c.ask(c.r.Method, "", encoded(m)); a.Status == http.StatusOK {
			c.h.change(a.id(), func(b *Boat) { b.Name = name })
			a.edit(func(m map[string]any) { m["name"] = name })
		}
		c.give(a)
	})
}

// names are those that a fault remembers.
type names struct {
	mu   sync.Mutex
	seen map[string]bool
}

func (n *names) add(name string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.seen == nil {
		n.seen = map[string]bool{}
	}
	n.seen[name] = true
}

func (n *names) has(name string) bool {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.seen[name]
}

// remembering notes the names that boats lose by requests of these methods, and
// refuses them to new boats.
func remembering(methods string) middleware {
	n := &names{}
	return chain(
		on(methods, "/boats/*", func(c *call) {
			before := &Boat{}
			_ = c.h.store.get("boats", number(c.number()), before)
			a := c.good()
			now := &Boat{}
			_ = c.h.store.get("boats", number(c.number()), now)
			if a.Status/100 == 2 && now.Name != before.Name {
				n.add(before.Name)
			}
			c.give(a)
		}),
		keeping(n))
}

// keeping refuses names to new boats as if others had them.
func keeping(old *names) middleware {
	return on("POST", "/boats", func(c *call) {
		if old.has(c.named()) {
			refuse(c.w, c.r, http.StatusConflict, "another boat has this name", memberError{"name", "is taken"})
			return
		}
		c.give(c.good())
	})
}

// uniqueFaults are about names of boats while they come, change and go.
func uniqueFaults() []Fault {
	// own answers a PATCH that gives a boat the name it has.
	own := func(status int) middleware {
		return on("PATCH", "/boats/*", func(c *call) {
			b := &Boat{}
			if c.h.store.get("boats", number(c.number()), b) == nil && b.Name == c.named() {
				refuse(c.w, c.r, status, "another boat has this name")
				return
			}
			c.give(c.good())
		})
	}
	change := []string{"input/unique-on-change"}
	return []Fault{
		{Name: "name-free-on-replace", Says: "PUT gives a boat the name of another", Finds: change, middleware: taking("PUT")},
		{Name: "name-free-on-amend", Says: "PATCH gives a boat the name of another", Finds: change, middleware: taking("PATCH")},
		{Name: "changed-name-is-free", Says: "a new boat may have the name that another was changed to", Finds: change, middleware: func() middleware {
			n := &names{}
			return chain(
				after("PUT PATCH", "/boats/*", func(c *call, a *reply) {
					if a.Status == http.StatusOK && c.named() != "" {
						n.add(c.named())
					}
				}),
				on("POST", "/boats", func(c *call) {
					a := c.good()
					if a.Status == http.StatusConflict && n.has(c.named()) {
						a = c.h.forced(c)
					}
					c.give(a)
				}))
		}()},
		{Name: "own-name-conflicts", Says: "PATCH with the name that the boat has answers 409", Finds: []string{"input/unique-own-value"}, middleware: own(http.StatusConflict)},
		{Name: "own-name-500", Says: "PATCH with the name that the boat has answers 500", Finds: []string{"input/unique-own-value"}, middleware: own(http.StatusInternalServerError)},
		{Name: "old-name-stays-taken", Says: "a name stays taken when its boat has got another", Finds: []string{"input/unique-freed-by-change"}, middleware: remembering("PUT PATCH")},
		{Name: "deleted-name-stays-taken", Says: "a name stays taken when its boat is deleted", Finds: []string{"input/unique-freed-by-delete"}, middleware: remembering("DELETE")},
	}
}
