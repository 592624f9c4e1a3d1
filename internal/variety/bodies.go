package variety

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/big"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"usualpath/internal/core/value"
)

// members are what clients send of a lamp, in the order in which they are looked at.
var members = []string{"kind", "depth", "note", "marks", "lit"}

// oddly are members of names that JSON knows and few give, and oddText how a file writes them.
var oddly = map[string]any{"@type": "crate", "$ref": "x", "é": json.Number("1"), "a b": "c", "1": true, "": "e", "it's": "q", `say "so"`: "q", "two\nlines": "t", "{turn}": "b", `back\slash`: "s"}

const oddText = `, "@type": "crate", "$ref": "x", "é": 1, "a b": "c", "1": true, "": "e", "it's": "q", "say \"so\"": "q", "two\nlines": "t", "\{turn}": "b", "back\\slash": "s"`

// longest is how many characters a kind has at most, where that is limited.
const longest = 80

// refused is a body that is not taken: why, with which status, and the member at fault.
type refused struct {
	status       int
	says, member string
}

func (e *refused) Error() string { return e.says }

// called is the member with the identity.
func (s *Service) called() string {
	switch s.option("named") {
	case "id":
		return "id"
	case "@id":
		return "@id"
	case "lamp number":
		return "lamp number"
	}
	return "ref"
}

func (s *Service) invalid(member, says string) error {
	status := 400
	switch s.option("invalid") {
	case "422":
		status = 422
	case "409":
		status = 409
	}
	return &refused{status, member + " " + says, member}
}

// object reads a body as the members of an object.
func (s *Service) object(c *call) (map[string]any, error) {
	malformed := &refused{400, "this is not a JSON object", ""}
	if s.Has("malformed 422") {
		malformed.status = 422
	}
	if s.Has("sends forms") {
		fields, err := url.ParseQuery(string(c.body))
		if err != nil || !utf8.Valid(c.body) {
			return nil, malformed
		}
		in := map[string]any{}
		for name, texts := range fields {
			in[name] = texts[0]
			if name == "depth" && json.Valid([]byte(texts[0])) && !strings.ContainsAny(texts[0], `"[{tfn`) {
				in[name] = json.Number(strings.TrimSpace(texts[0]))
			}
		}
		return in, nil
	}
	d := json.NewDecoder(bytes.NewReader(c.body))
	d.UseNumber()
	var in map[string]any
	if err := d.Decode(&in); err != nil || in == nil || !utf8.Valid(c.body) {
		return nil, malformed
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, malformed
	}
	if _, err := value.Decode(string(c.body), value.Limits{}); s.Has("member twice refused") && err != nil {
		return nil, malformed
	}
	if s.Has("wrap both") {
		inner, ok := in["lamp"].(map[string]any)
		if !ok {
			return nil, s.invalid("lamp", "is missing")
		}
		in = inner
	}
	return in, nil
}

// lamp holds members against the rules, and gives what is stored.
func (s *Service) lamp(in map[string]any, self *Item) (map[string]any, error) {
	known := append(slices.Clone(members), s.called(), "rev")
	out := map[string]any{}
	if s.Has("more members of any name") {
		for name, want := range oddly {
			known = append(known, name)
			v, there := in[name]
			if !there || v == nil {
				continue
			}
			if fmt.Sprintf("%T", v) != fmt.Sprintf("%T", want) {
				return nil, s.invalid(name, "is of another type")
			}
			out[name] = v
		}
	}
	for _, name := range slices.Sorted(maps.Keys(in)) {
		if !slices.Contains(known, name) {
			if s.Has("unknown member refused") {
				return nil, s.invalid(name, "is not known")
			}
			if s.Has("unknown member kept") && !slices.Contains([]string{"links", "seen", "changed_at", "key", "lamp", "state"}, name) {
				out[name] = in[name]
			}
		}
	}
	for _, name := range members {
		v, there := in[name]
		if !there || v == nil {
			if name == "kind" || name == "depth" {
				return nil, s.invalid(name, "is missing")
			}
			continue
		}
		switch name {
		case "kind", "note":
			text, ok := v.(string)
			if !ok {
				return nil, s.invalid(name, "is a text")
			}
			if s.option("length") != "" && utf8.RuneCountInString(text) > longest {
				if s.Has("length 413") {
					return nil, &refused{413, name + " is too long", name}
				}
				return nil, s.invalid(name, "is too long")
			}
			out[name] = s.text(text)
		case "depth":
			n, ok := v.(json.Number)
			if !ok {
				return nil, s.invalid(name, "is a number")
			}
			kept, ok := s.depth(n)
			if !ok {
				return nil, s.invalid(name, "is too large")
			}
			out[name] = kept
		case "lit":
			text, _ := v.(string)
			at, err := time.Parse(time.RFC3339Nano, text)
			if !s.Has("times in its own form") {
				continue
			}
			if err != nil {
				return nil, s.invalid(name, "is a time")
			}
			out[name] = at.UTC().Format("2006-01-02T15:04:05.000Z")
		case "marks":
			list, ok := v.([]any)
			if !ok {
				return nil, s.invalid(name, "is a list")
			}
			if len(list) > 0 || !s.Has("empty list left out") {
				out[name] = v
			}
		}
	}
	if _, there := out["note"]; !there && s.Has("absent default") {
		out["note"] = "nothing to say"
	}
	if s.option("unique") != "" && (self != nil || !s.Has("unique kind, updated by POST")) {
		taken := s.taken[fmt.Sprint(out["kind"])]
		for _, one := range s.items {
			taken = taken || one != self && one.Members["kind"] == out["kind"]
		}
		if taken {
			return nil, s.conflict("kind")
		}
	}
	return out, nil
}

func (s *Service) conflict(member string) error {
	status := 409
	switch s.option("conflict") {
	case "422":
		status = 422
	case "400":
		status = 400
	}
	return &refused{status, member + " is taken", member}
}

func (s *Service) text(t string) string {
	switch s.option("text") {
	case "trimmed":
		return strings.TrimSpace(t)
	case "lower case":
		return strings.ToLower(t)
	}
	return t
}

// depth is a number as it is stored; false where it cannot be.
func (s *Service) depth(n json.Number) (any, bool) {
	switch s.option("number") {
	case "double":
		f, err := strconv.ParseFloat(string(n), 64)
		return f, err == nil
	case "scale 2", "two places":
		if e := strings.IndexAny(string(n), "eE"); e >= 0 && len(n)-e > 4 {
			return nil, false
		}
		r, ok := new(big.Rat).SetString(string(n))
		if !ok {
			return nil, false
		}
		if s.Has("number scale 2") || r.IsInt() {
			return json.Number(r.FloatString(2)), true
		}
	}
	return n, true
}

func (s *Service) refuse(err error) *answer {
	var e *refused
	errors.As(err, &e) // all errors of bodies are such
	if e.member == "" {
		return s.fail(e.status, e.says)
	}
	return s.fail(e.status, e.says, e.member)
}

func (s *Service) create(c *call) *answer {
	key := c.r.Header.Get("Idempotency-Key")
	if key != "" && s.Has("idempotency key heard") {
		sum := sha256.Sum256(c.body)
		if was, there := s.digests[key]; there {
			if was != sum {
				return s.fail(422, "this key was used for something else")
			}
			return s.keys[key]
		}
		a := s.make(c)
		if a.status < 300 || a.status == 303 {
			s.keys[key], s.digests[key] = a, sum
		}
		return a
	}
	return s.make(c)
}

func (s *Service) make(c *call) *answer {
	if a := s.stale(c); a != nil {
		return a
	}
	in, err := s.object(c)
	if err != nil {
		return s.refuse(err)
	}
	put := c.method == "PUT"
	id := c.id
	if put && s.Has("identity chosen and repeated") && in["ref"] != id {
		return s.refuse(s.invalid("ref", "is not that of the path"))
	}
	if s.natural() {
		text, ok := in["ref"].(string)
		if !ok || !regexp.MustCompile(`^[a-z0-9-]{1,20}$`).MatchString(text) {
			return s.refuse(s.invalid("ref", "is a text of letters and digits"))
		}
		if it := s.find(text); it != nil && !s.Has("identity natural, updated by POST") {
			return s.refuse(s.conflict("ref"))
		} else if it != nil {
			kept, err := s.lamp(in, it)
			if err != nil {
				return s.refuse(err)
			}
			it.Members, it.Changed = kept, time.Now()
			it.Revision++
			return s.show(c, 200, it)
		}
		id = text
	}
	kept, err := s.lamp(in, nil)
	if err != nil {
		return s.refuse(err)
	}
	if s.Has("unique kind, updated by POST") && !put {
		if i := slices.IndexFunc(s.items, func(it *Item) bool { return !it.Gone && it.Members["kind"] == kept["kind"] }); i >= 0 {
			it := s.items[i]
			it.Members, it.Changed = kept, time.Now()
			it.Revision++
			return s.show(c, 200, it)
		}
	}
	if id == "" {
		if s.Has("new number lowest free") {
			s.made = 12
		}
		for id = ""; id == "" || s.find(id) != nil; {
			s.made++
			id = s.identity(s.made)
		}
	}
	s.seq++
	it := &Item{ID: id, Seq: s.seq, Members: kept, Revision: 1, Changed: time.Now()}
	s.items = append(s.items, it)
	if s.Has("create 202, and shown later") && !put {
		it.From = time.Now().Add(30 * time.Millisecond)
	}
	if put {
		return s.show(c, 201, it)
	}
	a := say(201, nil)
	switch s.option("create") {
	case "":
		a = s.show(c, 201, it)
	case "200":
		a = s.show(c, 200, it)
	case "202", "202, and shown later":
		a = s.show(c, 202, it)
	case "204":
		a.status = 204
	case "303":
		a.status = 303
	case "only the identity":
		a.value = s.wrapped(map[string]any{s.nameIn("create"): s.shown(it, "create")[s.nameIn("create")]})
	}
	if s.Has("place a header of creates") {
		a.header.Set("X-Lamp-Ref", id)
	}
	s.location(a, c.r, id)
	return a
}

// write is a replace or an amend of an item that is there.
func (s *Service) write(c *call) *answer {
	replace := c.method == "PUT"
	if a := s.stale(c); a != nil {
		return a
	}
	var in map[string]any
	var err error
	if s.Has("amend JSON Patch") && c.method == "PATCH" {
		in, err = s.patched(c)
	} else {
		in, err = s.object(c)
	}
	if err != nil {
		return s.refuse(err)
	}
	if s.Has("revision a member") {
		if _, there := in["rev"]; !there {
			return s.refuse(s.invalid("rev", "is missing"))
		}
		if fmt.Sprint(in["rev"]) != strconv.Itoa(c.item.Revision) {
			return s.fail(409, "it has changed", "rev")
		}
	}
	if v, there := in["ref"]; replace && (s.Has("identity chosen and repeated") || s.natural()) && (!there || v != c.id) {
		return s.refuse(s.invalid("ref", "is not that of the path"))
	}
	if !replace && !s.Has("amend JSON Patch") {
		merged := maps.Clone(c.item.Members)
		for n, v := range in {
			switch {
			case v == nil && s.Has("amend application/json, null is nothing"):
			case v == nil:
				delete(merged, n)
			default:
				merged[n] = v
			}
		}
		in = merged
	}
	if s.Has("put keeps a member for good") {
		if !replace && in["kind"] != c.item.Members["kind"] {
			return s.refuse(s.invalid("kind", "is for good"))
		}
		in["kind"] = c.item.Members["kind"]
	}
	if f, ok := in["depth"].(float64); ok {
		in["depth"] = json.Number(strconv.FormatFloat(f, 'g', -1, 64))
	}
	kept, err := s.lamp(in, c.item)
	if err != nil {
		return s.refuse(err)
	}
	s.writes++
	c.item.Members, c.item.Changed = kept, time.Now()
	c.item.Revision++
	how := s.option("replace")
	if !replace {
		how = s.option("amended")
	}
	switch how {
	case "204":
		a := say(204, nil)
		s.tagged(a, c, c.item)
		return a
	case "200 without body":
		return say(200, nil)
	case "202":
		return s.show(c, 202, c.item)
	case "205":
		return say(205, nil)
	}
	return s.show(c, 200, c.item)
}

// patched applies a JSON Patch of the operations that testers write.
func (s *Service) patched(c *call) (map[string]any, error) {
	bad := &refused{400, "this is not a JSON Patch", ""}
	var ops []struct {
		Op, Path string
		Value    *json.RawMessage
	}
	if json.Unmarshal(c.body, &ops) != nil || ops == nil {
		return nil, bad
	}
	out := maps.Clone(c.item.Members)
	for _, op := range ops {
		name, ok := strings.CutPrefix(op.Path, "/")
		if !ok || strings.Contains(name, "/") {
			return nil, &refused{422, "there is nothing at " + op.Path, ""}
		}
		_, there := out[name]
		switch {
		case op.Op == "remove" && there:
			delete(out, name)
		case (op.Op == "replace" && there || op.Op == "add" || op.Op == "test") && op.Value != nil:
			d := json.NewDecoder(bytes.NewReader(*op.Value))
			d.UseNumber()
			var v any
			if d.Decode(&v) != nil {
				return nil, bad
			}
			if op.Op == "test" {
				if fmt.Sprint(out[name]) != fmt.Sprint(v) {
					return nil, &refused{409, "the test at " + op.Path + " does not hold", ""}
				}
				continue
			}
			out[name] = v
		default:
			return nil, &refused{422, op.Op + " cannot be done at " + op.Path, ""}
		}
	}
	return out, nil
}

// nameIn is the member with the identity in a create's answer, the list or the item's own.
func (s *Service) nameIn(place string) string {
	switch {
	case place == "create" && s.Has("place another name in creates"):
		return "created"
	case place == "list" && s.Has("place another name in lists"):
		return "key"
	}
	return s.called()
}

// shown is an item as it is shown in the create's answer, in the list, or by itself.
func (s *Service) shown(it *Item, place string) map[string]any {
	out := maps.Clone(it.Members)
	if n, ok := out["depth"].(json.Number); ok && s.Has("number as text") {
		out["depth"] = string(n)
	}
	if _, there := out["note"]; !there && s.Has("absent null") {
		out["note"] = nil
	}
	if !s.Has("identity chosen") && !(s.Has("place Location only") && place == "create") {
		var id any = it.ID
		if s.number() {
			id = json.Number(it.ID)
		}
		out[s.nameIn(place)] = id
	}
	if s.option("extra") == "links" {
		out["links"] = []any{map[string]any{"rel": "self", "href": s.where(it.ID)}, map[string]any{"rel": "all", "href": s.root()}}
	}
	if s.Has("extra a count") {
		out["writes"] = it.Revision
	}
	if s.option("moves") == "with writes" {
		out["changed_at"] = it.Changed.UTC().Format(time.RFC3339Nano)
	}
	if s.Has("moves with reads") {
		out["seen"] = s.seen
	}
	if s.Has("revision a query") || s.Has("revision a header") || s.Has("revision a member") {
		out["rev"] = it.Revision
	}
	if s.states() {
		out["state"] = map[bool]string{true: "removed", false: "hung"}[it.Gone]
	}
	return out
}

func (s *Service) wrapped(v map[string]any) any {
	switch s.option("wrap") {
	case "answers", "both":
		return map[string]any{"lamp": v}
	case "data":
		return map[string]any{"data": v, "meta": map[string]any{"by": "the lamp room"}}
	}
	return v
}

// show answers with an item.
func (s *Service) show(c *call, status int, it *Item) *answer {
	place := ""
	if c.list {
		place = "create"
	}
	a := say(status, s.wrapped(s.shown(it, place)))
	s.tagged(a, c, it)
	return a
}

func (s *Service) tagged(a *answer, c *call, it *Item) {
	if tag := s.tag(it); tag != "" && (c.method == http.MethodGet || !s.Has("tags only in reads")) && !(c.method == http.MethodDelete) {
		a.header.Set("ETag", tag)
	}
}
