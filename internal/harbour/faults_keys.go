package harbour

import (
	"bytes"
	"fmt"
	"net/http"
	"sync"
	"time"

	"usualpath/internal/between"
)

// keyed takes over creates of stays that have a key.
func keyed(do func(c *call, key string)) middleware {
	return on("POST", "/boats/*/stays", func(c *call) {
		if key := c.r.Header.Get("Idempotency-Key"); key != "" {
			do(c, key)
			return
		}
		c.give(c.good())
	})
}

// keyFaults are about keys in other places, later, and at the same time.
func keyFaults() []Fault {
	path, said, together := []string{"repeat/key-per-path"}, []string{"repeat/key-says-what-was-said"}, []string{"race/keys-together"}
	// elsewhere does something with a key that was first used on another path.
	elsewhere := func(do func(c *call, first *reply)) middleware {
		type use struct {
			path  string
			reply *reply
		}
		var uses between.Memory[use]
		return keyed(func(c *call, key string) {
			before, known := uses.Get(key)
			if known && before.path != c.r.URL.Path {
				do(c, before.reply)
				return
			}
			a := c.good()
			if !known && a.Status == http.StatusCreated {
				uses.Swap(key, use{c.r.URL.Path, &reply{between.Reply{Status: a.Status, Fields: a.Fields.Clone(), Body: bytes.Clone(a.Body)}}})
			}
			c.give(a)
		})
	}
	// changed does something with a replay whose stay has changed since.
	changed := func(do func(c *call, said, now *reply)) middleware {
		return keyed(func(c *call, _ string) {
			a := c.good()
			if at := a.Fields.Get("Location"); a.Status == http.StatusCreated {
				if now := c.ask(http.MethodGet, at, nil); now.Status == http.StatusOK && !bytes.Equal(now.Body, a.Body) {
					do(c, a, now)
					return
				}
			}
			c.give(a)
		})
	}
	// racing lets requests with one key run beside each other.
	racing := func(do func(c *call, n int)) middleware {
		var mu sync.Mutex
		busy := map[string]int{}
		return keyed(func(c *call, key string) {
			mu.Lock()
			busy[key]++
			n := busy[key]
			mu.Unlock()
			time.Sleep(window)
			do(c, n)
			mu.Lock()
			busy[key]--
			mu.Unlock()
		})
	}
	return []Fault{
		{Name: "key-across-paths", Says: "an Idempotency-Key gives the stay of one boat for another", Finds: path, middleware: elsewhere(func(c *call, first *reply) { c.give(first) })},
		{Name: "key-across-paths-500", Says: "an Idempotency-Key that was used for another boat answers 500", Finds: path,
			middleware: elsewhere(func(c *call, _ *reply) { refuse(c.w, c.r, http.StatusInternalServerError, "there is such a key") })},
		{Name: "key-shows-now", Says: "an Idempotency-Key that comes again shows the stay as it is now", Finds: said,
			middleware: changed(func(c *call, said, now *reply) { said.Body = now.Body; c.give(said) })},
		{Name: "key-conflicts-later", Says: "an Idempotency-Key that comes again answers 409 when the stay has changed", Finds: said,
			middleware: changed(func(c *call, _, _ *reply) { refuse(c.w, c.r, http.StatusConflict, "the stay has changed") })},
		{Name: "keys-race", Says: "requests with one Idempotency-Key at the same time make a stay each", Finds: together, middleware: racing(func(c *call, n int) {
			if n > 1 {
				c.r.Header.Set("Idempotency-Key", fmt.Sprintf("%s, %d", c.r.Header.Get("Idempotency-Key"), n))
				m := c.members()
				m["from"] = fmt.Appendf(nil, `"20%02d-01-01"`, n+60)
				c.Body = encoded(m)
			}
			c.give(c.good())
		})},
		{Name: "keys-race-500", Says: "requests with one Idempotency-Key at the same time answer 500", Finds: together, middleware: racing(func(c *call, n int) {
			if n > 1 {
				refuse(c.w, c.r, http.StatusInternalServerError, "there is such a key")
				return
			}
			c.give(c.good())
		})},
	}
}
