package harbour

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"
	"unicode/utf8"
)

// stored rewrites the item that an answer shows, as it is stored, whatever it is.
func (c *call) stored(a *reply, change func(m members)) {
	var shown struct {
		ID   uint64
		Code string
	}
	_ = json.Unmarshal(a.Body, &shown)
	bucket, key := "boats", number(shown.ID)
	switch {
	case strings.HasPrefix(c.r.URL.Path, "/berths"):
		bucket, key = "berths", []byte(c.name())
	case strings.Contains(c.r.URL.Path, "/stays"):
		bucket = "stays"
	}
	m := members{}
	if c.h.store.get(bucket, key, &m) != nil {
		return
	}
	change(m)
	_ = c.h.store.put(bucket, key, m)
}

// strict refuses a value that is allowed.
func strict(methods, pattern, member string, is func(raw string) bool) middleware {
	return on(methods, pattern, func(c *call) {
		if raw, there := c.members()[member]; there && is(string(raw)) {
			refuse(c.w, c.r, http.StatusUnprocessableEntity, member+" is not allowed", memberError{member, "is not allowed"})
			return
		}
		c.give(c.good())
	})
}

// loose takes a value that is not allowed: another one gets it past the checks,
// and it is stored afterwards.
func loose(methods, pattern, member, standIn string, is func(raw string) bool) middleware {
	return on(methods, pattern, func(c *call) {
		m := c.members()
		raw, there := m[member]
		if !there || !is(string(raw)) {
			c.give(c.good())
			return
		}
		if standIn == "" {
			standIn = fmt.Sprintf(`"Stand-in %d"`, c.h.store.last("boats"))
		}
		m[member] = json.RawMessage(standIn)
		c.Body = encoded(m)
		a := c.good()
		if a.Status/100 == 2 {
			c.stored(a, func(m members) { m[member] = raw })
			a.edit(func(m map[string]any) { m[member] = raw })
		}
		c.give(a)
	})
}

// bent stores another value than the one that was sent, and shows it.
func bent(methods, pattern, member string, how func(raw string) string) middleware {
	return after(methods, pattern, func(c *call, a *reply) {
		raw, there := c.members()[member]
		if a.Status/100 != 2 || !there {
			return
		}
		if now := how(string(raw)); now != string(raw) {
			c.stored(a, func(m members) { m[member] = json.RawMessage(now) })
			a.edit(func(m map[string]any) { m[member] = json.RawMessage(now) })
		}
	})
}

// textOf is what a raw string says; -1 characters for what is none.
func textOf(raw string) (string, int) {
	var s string
	if !strings.HasPrefix(raw, `"`) || json.Unmarshal([]byte(raw), &s) != nil {
		return "", -1
	}
	return s, utf8.RuneCountInString(s)
}

// ofLength finds texts of so many characters.
func ofLength(n int) func(string) bool {
	return func(raw string) bool { _, have := textOf(raw); return have == n }
}

func exactly(value string) func(string) bool { return func(raw string) bool { return raw == value } }

// cutAt shortens texts that are longer.
func cutAt(n int) func(string) string {
	return func(raw string) string {
		s, have := textOf(raw)
		if have <= n {
			return raw
		}
		short, _ := json.Marshal(string([]rune(s)[:n]))
		return string(short)
	}
}

func rounded(raw string) string {
	f, err := strconv.ParseFloat(raw, 64)
	if err != nil {
		return raw
	}
	return strconv.FormatFloat(math.Round(f), 'f', -1, 64)
}

// lower finds two letters that are not both capital, and a capital and a small
// letter of a berth's code.
func lower(raw string) bool {
	s, n := textOf(raw)
	return n > 0 && s != strings.ToUpper(s)
}

// failing answers 500 where the body says so.
func failing(methods, pattern string, is func(c *call) bool) middleware {
	return on(methods, pattern, func(c *call) {
		if is(c) {
			refuse(c.w, c.r, http.StatusInternalServerError, "the boat cannot be stored")
			return
		}
		c.give(c.good())
	})
}

// limitFaults are about values on the limits of what is allowed, and beyond.
func limitFaults() []Fault {
	const boats, boat, berth, stays, stay = "/boats", "/boats/*", "/berths/*", "/boats/*/stays", "/boats/*/stays/*"
	edge, beyond, put, patch, pair := []string{"limits/edge-is-taken"}, []string{"limits/beyond-is-refused"}, []string{"limits/on-replace"}, []string{"limits/on-amend"}, []string{"limits/pairs"}
	unknown, deep, several := []string{"limits/unknown-member"}, []string{"limits/deep-and-wide"}, []string{"limits/several-at-once"}
	has := func(name string) func(c *call) bool {
		return func(c *call) bool { _, there := c.members()[name]; return there }
	}
	out := []Fault{
		// One step too strict.
		{Name: "name-of-60-refused", Says: "a boat's name of 60 characters is refused", Finds: edge, middleware: strict("POST", boats, "name", ofLength(60))},
		{Name: "name-of-1-refused", Says: "a boat's name of one character is refused", Finds: edge, middleware: strict("POST", boats, "name", ofLength(1))},
		{Name: "length-60-refused", Says: "a boat of 60 m is refused", Finds: edge, middleware: strict("POST", boats, "length_m", exactly("60"))},
		{Name: "short-boat-refused", Says: "a boat of 0.1 m is refused", Finds: edge, middleware: strict("POST", boats, "length_m", exactly("0.1"))},
		{Name: "draught-60-refused", Says: "a draught of 60 m is refused", Finds: edge, middleware: strict("POST", boats, "draught_m", exactly("60"))},
		{Name: "null-draught-refused", Says: "null for the draught is refused", Finds: edge, middleware: strict("POST", boats, "draught_m", exactly("null"))},
		{Name: "port-of-60-refused", Says: "a home port of 60 characters is refused", Finds: edge, middleware: strict("POST", boats, "home_port", ofLength(60))},
		{Name: "port-is-needed", Says: "a boat without a home port is refused", Finds: edge, Also: []string{"input/wrong-type", "race/creates-together", "precondition/stale-write-refused"}, middleware: on("POST", boats, func(c *call) {
			if m := c.members(); m["home_port"] == nil && m["name"] != nil && m["flag"] != nil {
				refuse(c.w, c.r, http.StatusUnprocessableEntity, "home_port is required", memberError{"home_port", "is required"})
				return
			}
			c.give(c.good())
		})},
		{Name: "emoji-count-as-bytes", Says: "a name is counted in bytes", Finds: edge, middleware: strict("POST", boats, "name", func(raw string) bool { s, _ := textOf(raw); return len(s) > 60 && utf8.RuneCountInString(s) == 60 })},
		{Name: "nights-60-refused", Says: "a stay of 60 nights is refused", Finds: edge, middleware: strict("POST", stays, "nights", exactly("60"))},
		{Name: "leap-day-refused", Says: "a stay from 29 February is refused", Finds: edge, middleware: strict("POST", stays, "from", exactly(`"2028-02-29"`))},
		{Name: "empty-notes-refused", Says: "empty notes of a berth are refused", Finds: edge, Resource: "berths", middleware: strict("PUT", berth, "notes", exactly(`""`))},
		{Name: "notes-of-500-refused", Says: "notes of 500 characters are refused", Finds: edge, Resource: "berths", middleware: strict("PUT", berth, "notes", ofLength(500))},
		{Name: "long-entry-refused", Says: "an entry of 2,000 characters is refused", Finds: edge, Resource: "log", middleware: strict("POST", "/log", "text", ofLength(2000))},
		{Name: "put-length-60-refused", Says: "PUT with 60 m is refused", Finds: put, middleware: strict("PUT", boat, "length_m", exactly("60"))},
		{Name: "patch-power-refused", Says: "PATCH with power is refused", Finds: patch, Resource: "berths", middleware: strict("PATCH", berth, "power", exactly("true"))},
		// One step too loose.
		{Name: "name-of-61-taken", Says: "a boat's name of 61 characters is taken", Finds: beyond, middleware: loose("POST", boats, "name", "", ofLength(61))},
		{Name: "empty-name-taken", Says: "an empty name is taken", Finds: beyond, Also: []string{"limits/several-at-once"}, middleware: loose("POST", boats, "name", "", ofLength(0))},
		{Name: "length-60.1-taken", Says: "a boat of 60.1 m is taken", Finds: beyond, middleware: loose("POST", boats, "length_m", "60", exactly("60.1"))},
		{Name: "length-0-taken", Says: "a boat of 0 m is taken", Finds: beyond, Also: []string{"limits/several-at-once"}, middleware: loose("POST", boats, "length_m", "1", exactly("0"))},
		{Name: "draught-0-taken", Says: "a draught of 0 m is taken", Finds: beyond, Also: []string{"limits/several-at-once"}, middleware: loose("POST", boats, "draught_m", "1", exactly("0"))},
		{Name: "small-flag-taken", Says: "a flag in small letters is taken", Finds: beyond, middleware: loose("POST", boats, "flag", `"DK"`, lower)},
		{Name: "one-letter-flag-taken", Says: "a flag of one letter is taken", Finds: beyond, middleware: loose("POST", boats, "flag", `"DK"`, ofLength(1))},
		{Name: "empty-port-taken", Says: "an empty home port is taken", Finds: beyond, middleware: loose("POST", boats, "home_port", `"Reed Haven"`, ofLength(0))},
		{Name: "port-of-61-taken", Says: "a home port of 61 characters is taken", Finds: beyond, middleware: loose("POST", boats, "home_port", `"Reed Haven"`, ofLength(61))},
		{Name: "nights-61-taken", Says: "a stay of 61 nights is taken", Finds: beyond, middleware: loose("POST", stays, "nights", "1", exactly("61"))},
		{Name: "no-nights-taken", Says: "a stay of no nights is taken", Finds: beyond, Also: []string{"limits/several-at-once"}, middleware: loose("POST", stays, "nights", "1", exactly("0"))},
		{Name: "half-nights-taken", Says: "a stay of one and a half nights is taken", Finds: beyond, middleware: loose("POST", stays, "nights", "1", exactly("1.5"))},
		{Name: "february-30-taken", Says: "a stay from 30 February is taken", Finds: beyond, Also: []string{"limits/several-at-once"}, middleware: loose("POST", stays, "from", `"2027-02-28"`, exactly(`"2027-02-30"`))},
		{Name: "notes-of-501-taken", Says: "notes of 501 characters are taken", Finds: beyond, Also: []string{"limits/several-at-once"}, Resource: "berths", middleware: loose("PUT", berth, "notes", `"x"`, ofLength(501))},
		{Name: "empty-entry-taken", Says: "an empty entry of the log is taken", Finds: beyond, Resource: "log", middleware: on("POST", "/log", func(c *call) {
			if m := c.members(); string(m["text"]) == `""` {
				m["text"] = json.RawMessage(`"stand-in"`)
				c.Body = encoded(m)
			}
			c.give(c.good())
		})},
		{Name: "put-length-60.1-taken", Says: "PUT with 60.1 m is taken", Finds: put, middleware: loose("PUT", boat, "length_m", "60", exactly("60.1"))},
		{Name: "put-stay-any-berth", Says: "PUT takes any code of a berth", Finds: put, middleware: loose("PUT", stay, "berth", `"F1"`, lower)},
		{Name: "patch-small-flag-taken", Says: "PATCH takes a flag in small letters", Finds: patch, middleware: loose("PATCH", boat, "flag", `"SE"`, lower)},
		{Name: "patch-berth-unchecked", Says: "PATCH takes any code of a berth", Finds: patch, middleware: loose("PATCH", stay, "berth", `"E2"`, lower)},
		// Taken, and stored as something else.
		{Name: "name-cut-at-50", Says: "a name is cut at 50 characters", Finds: edge, Also: append(pair, "input/odd-text-survives"), middleware: bent("POST", boats, "name", cutAt(50))},
		{Name: "port-cut-at-59", Says: "a home port is cut at 59 characters", Finds: edge, Also: pair, middleware: bent("POST", boats, "home_port", cutAt(59))},
		{Name: "notes-cut-at-255", Says: "notes are cut at 255 characters", Finds: edge, Also: pair, Resource: "berths", middleware: bent("PUT", berth, "notes", cutAt(255))},
		{Name: "draught-rounded", Says: "a draught is rounded to whole metres", Finds: edge, Also: pair, middleware: bent("POST", boats, "draught_m", rounded)},
		{Name: "null-draught-is-0", Says: "null for the draught is stored as 0", Finds: edge, middleware: bent("POST", boats, "draught_m", func(raw string) string {
			if raw == "null" {
				return "0"
			}
			return raw
		})},
		{Name: "leap-day-is-1-march", Says: "a stay from 29 February is from 1 March", Finds: edge, Also: pair, middleware: bent("POST", stays, "from", func(raw string) string { return strings.Replace(raw, "2028-02-29", "2028-03-01", 1) })},
		{Name: "emoji-are-questions", Says: "emoji in a name are stored as question marks", Finds: edge, Also: []string{"lifecycle/create-keeps-values"}, middleware: bent("POST", boats, "name", func(raw string) string { return strings.ReplaceAll(raw, "🚢", "?") })},
		{Name: "put-rounds-down", Says: "PUT rounds the length down at the edge", Finds: put, middleware: bent("PUT", boat, "length_m", func(raw string) string { return strings.Replace(raw, "0.1", "1", 1) })},
		// Two members at once.
		{Name: "long-name-loses-port", Says: "a name of 60 characters leaves no room for a home port of 60", Finds: pair, middleware: after("POST", boats, func(c *call, a *reply) {
			m := c.members()
			if a.Status == http.StatusCreated && ofLength(60)(string(m["name"])) && ofLength(60)(string(m["home_port"])) {
				c.stored(a, func(m members) { m["home_port"] = json.RawMessage(`"x"`) })
			}
		})},
		{Name: "long-and-deep-is-500", Says: "a boat of 60 m with a draught of 60 m answers 500", Finds: pair, middleware: failing("POST", boats, func(c *call) bool {
			m := c.members()
			return string(m["length_m"]) == "60" && string(m["draught_m"]) == "60"
		})},
		// What is said of it, and what nobody has thought of.
		{Name: "several-faults-500", Says: "a body with several faults answers 500", Finds: several, middleware: onErrors(func(c *call, a *reply) {
			var p struct {
				Errors []memberError `json:"errors"`
			}
			if json.Unmarshal(a.Body, &p) == nil && len(p.Errors) > 1 {
				a.Status = 500
				a.edit(func(m map[string]any) { m["status"] = 500 })
			}
		})},
		{Name: "limits-unnamed", Says: "what is beyond a limit is refused without saying which member", Finds: beyond, Also: several, middleware: after("POST", boats, func(c *call, a *reply) {
			if a.Status == http.StatusUnprocessableEntity && len(c.members()) >= 4 {
				a.Say("application/problem+json", `{"type":"about:blank","title":"Unprocessable Entity","status":422,"detail":"the boat is not as it must be"}`)
			}
		})},
		{Name: "unknown-member-500", Says: "a member that nobody knows answers 500", Finds: unknown, middleware: failing("POST", boats, has("gull_unknown"))},
		{Name: "proto-member-500", Says: "the member __proto__ answers 500", Finds: unknown, middleware: failing("POST", boats, has("__proto__"))},
		{Name: "other-case-wins", Says: "NAME writes over name", Finds: unknown, middleware: on("POST", boats, func(c *call) {
			m := c.members()
			if other := m["NAME"]; other != nil {
				delete(m, "NAME")
				m["name"] = other
				c.Body = encoded(m)
			}
			c.give(c.good())
		})},
		{Name: "deep-body-500", Says: "a body that is nested deep answers 500", Finds: deep, middleware: failing("POST", boats, has("gull_deep"))},
		{Name: "wide-body-500", Says: "a body of 1,000 members answers 500", Finds: deep, middleware: failing("POST", boats, has("gull_wide"))},
		{Name: "long-number-500", Says: "a number of 400 digits answers 500", Finds: deep, middleware: failing("POST", boats, has("gull_digits"))},
	}
	return out
}
