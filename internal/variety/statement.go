package variety

import (
	"fmt"
	"regexp"
	"strings"
)

// Statement is what a tester would write of the service at a base URL: a whole file.
func (s *Service) Statement(base string) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, "  "+format+"\n", args...) }
	root := s.root()
	if s.Has("path below /api") {
		base, root = base+"/api/v2", strings.TrimPrefix(root, "/api/v2")
	}
	fmt.Fprintf(&b, "base %s\n\nresource lamps\n", base)
	say("collection %s", root)
	if prefix, suffix := s.under(); prefix != s.root()+"/" || suffix != "" {
		say("item %s{id}%s", strings.TrimPrefix(prefix, strings.TrimSuffix(s.root(), root)), suffix)
	}
	switch s.option("credentials") {
	case "bearer", "hidden", "403 when wrong":
		say("auth bearer %q", secret)
	case "basic":
		say("auth basic %q %q", keeper, secret)
	case "key in a header":
		say(`auth header "X-Lamp-Key" %q`, secret)
	}
	s.sayIdentity(say)
	s.sayList(say)
	switch s.option("wrap") {
	case "answers", "both":
		say("content $.lamp")
	case "data":
		say("content $.data")
	}
	s.sayExamples(say)
	s.sayRest(say)
	return b.String()
}

// place is the JSONPath of a member.
func place(name string) string {
	if strings.ContainsAny(name, "@ ") {
		return "$['" + name + "']"
	}
	return "$." + name
}

func (s *Service) sayIdentity(say func(string, ...any)) {
	at, name := place(s.called()), "k-{turn}"
	if s.Has("examples of functions") {
		name = "k-{uuid()}"
	}
	switch {
	case s.Has("identity chosen") && s.Has("list keyed"):
		say("identity chosen %q", name)
	case s.Has("identity chosen"):
		say("identity chosen %q by $.key", name)
	case s.Has("identity chosen and repeated"):
		say(`identity chosen "k-{turn}" by %s`, at)
	case s.Has("place Location only"), s.Has("create without body"), s.Has("create 204"), s.Has("create 303"):
		in := place(s.nameIn("list"))
		say("identity header Location by %s", in)
	default:
		text := at
		if s.Has("place another name in lists") {
			text += " in list $.key"
		}
		if s.Has("entries names only") {
			text += " in list $"
		}
		if s.Has("place another name in creates") {
			text += " in create " + s.content() + ".created"
		}
		if s.Has("place a header of creates") {
			text += " in create header X-Lamp-Ref"
		}
		say("identity %s", text)
	}
	if s.Has("missing put creates") {
		name := "9{turn}"
		switch s.option("identity") {
		case "natural", "text", "hex", "uuid", "ulid":
			name = "k-{turn}"
		}
		say("identity chosen %q", name)
	}
}

func (s *Service) sayList(say func(string, ...any)) {
	if s.listed() != s.root() {
		say("list %s", strings.TrimPrefix(s.listed(), "/api/v2"))
	}
	at := "$"
	switch s.option("list") {
	case "wrapped", "left out when empty", "keyed":
		at = "$.lamps"
	case "deep":
		at = "$.found.lamps"
	default:
		if s.enveloped() {
			at = "$.lamps"
		}
	}
	if s.Has("list keyed") {
		at += ".*"
	} else {
		at += "[*]"
	}
	if s.Has("entries wrap") {
		at += ".lamp"
	}
	if s.Has("list left out when empty") {
		at += " if there"
	}
	if at != "$[*]" {
		say("members %s", at)
	}
	switch s.option("pages") {
	case "offset":
		say("paging by offset limit, offset")
	case "page from 1":
		say("paging by page per, page from 1")
	case "page from 0":
		say("paging by page per, page from 0")
	case "cursor":
		say("paging by cursor after from $.next")
	case "link":
		say("paging by link")
	}
	if s.Has("total told") {
		say("total $.count")
	}
	if s.Has("filter by kind") {
		say(`filter kind = "Swing {turn}"`)
	}
}

func (s *Service) sayExamples(say func(string, ...any)) {
	first, then, change := "", "", `"note": "hard sand"`
	switch {
	case s.Has("identity chosen and repeated"):
		first = `"ref": "k-{turn}", `
		then = first
	case s.natural():
		first, then = `"ref": "k-{turn}", `, `"ref": {id}, `
	}
	rev := ""
	if s.Has("revision a member") {
		say("revision $.rev as $.rev")
	}
	wrap := func(members string) string {
		if s.Has("wrap both") {
			return `{ "lamp": { ` + members + ` } }`
		}
		return "{ " + members + " }"
	}
	marks := ""
	if s.Has("empty list left out") {
		marks = `, "marks": []`
	}
	turn, as, lit := "{turn}", "", ""
	if s.Has("examples of functions") {
		turn = "{uuid()}"
	}
	if s.Has("sends forms") {
		as = " as application/x-www-form-urlencoded"
	}
	if s.Has("times in its own form") {
		lit = `, "lit": "2031-05-17T10:30:00+02:00"`
	}
	more := ""
	if s.Has("more members of any name") {
		more = oddText
	}
	say("make %s", wrap(first+`"kind": "Swing `+turn+`", "depth": 4.5, "note": "soft mud"`+lit+marks+more)+as)
	if !s.Has("replace none") {
		kind := `"kind": "Fixed ` + turn + `"`
		if s.Has("put keeps a member for good") || s.Has("filter by kind") {
			kind = `"kind": "Swing {turn}"`
		}
		say("remake %s", wrap(then+kind+`, "depth": 5`+lit+rev)+as)
	}
	switch {
	case s.Has("amend none"):
	case s.Has("amend application/json"), s.Has("amend application/json, null is nothing"):
		say("amend %s as application/json", wrap(change))
	case s.Has("amend vendor type"):
		say("amend %s as application/vnd.lamps.change+json", wrap(change))
	case s.Has("amend JSON Patch"):
		say(`amend [{ "op": "replace", "path": "/depth", "value": 6 }] as application/json-patch+json`)
	default:
		say("amend %s", wrap(change)+as)
	}
	switch s.option("revision") {
	case "428 without If-Match":
		say("revision header ETag as header If-Match")
	case "a query":
		say("revision $.rev as query rev")
	case "a header":
		say("revision $.rev as header X-Lamp-Rev")
	}
}

// content is where the item stands in its own answer.
func (s *Service) content() string {
	switch s.option("wrap") {
	case "answers", "both":
		return "$.lamp"
	case "data":
		return "$.data"
	}
	return "$"
}

func (s *Service) sayRest(say func(string, ...any)) {
	var assigned, reads, volatile []string
	if !s.byName() && !s.natural() {
		assigned = append(assigned, fmt.Sprintf("%q", s.called()))
	}
	for line, name := range map[string]string{"moves with writes": "changed_at", "moves with reads": "seen", "extra links": "links", "extra a count": "writes", "gone a state": "state", "gone a state, listed": "state"} {
		if s.Has(line) {
			assigned = append(assigned, name)
		}
	}
	if s.Has("revision a query") || s.Has("revision a header") || s.Has("revision a member") {
		assigned = append(assigned, "rev")
	}
	if s.option("says assigned") == "" && len(assigned) > 0 {
		say("assigned %s", strings.Join(assigned, ", "))
	}
	if s.Has("moves with reads") {
		volatile = append(volatile, s.content()+".seen")
	}
	if len(volatile) > 0 {
		say("volatile %s", strings.Join(volatile, ", "))
	}
	switch {
	case s.option("says required") != "" && s.option("put keeps") == "":
	case s.Has("put keeps a member for good"):
		say("required depth")
		say("required kind on create")
	default:
		say("required kind, depth")
	}
	if s.option("text") != "" {
		reads = append(reads, `"kind": string`, `"note"?: string or null`)
	}
	switch s.option("number") {
	case "as text":
		reads = append(reads, `"depth": string`)
	case "scale 2", "double":
		reads = append(reads, `"depth": number`)
	}
	if s.Has("times in its own form") && s.option("says takes") != "" {
		reads = append(reads, `"lit"?: datetime`)
	}
	if len(reads) > 0 {
		say("reads { %s, ... }", strings.Join(reads, ", "))
	}
	if s.option("says takes") == "" {
		kind := "string"
		if s.Has("length declared") {
			kind = fmt.Sprintf("string length ..%d", longest)
		}
		note := kind
		text := fmt.Sprintf(`"kind": %s, "depth": number, "note"?: %s or null`, kind, note)
		if !s.Has("sends forms") {
			text += `, "marks"?: array of any or null`
		}
		if s.Has("times in its own form") {
			text += `, "lit"?: datetime or null`
		}
		if s.Has("more members of any name") {
			text += regexp.MustCompile(`("(?:[^"\\]|\\.)*"): ("[a-z]*"|1|true)`).ReplaceAllStringFunc(oddText, func(one string) string {
				name, v, _ := strings.Cut(one, `": `)
				return name + `"?: ` + map[string]string{"1": "number", "true": "boolean"}[v] + map[bool]string{true: "string"}[v[0] == '"'] + " or null"
			})
		}
		if s.natural() || s.Has("identity chosen and repeated") {
			text = `"ref": /^[a-z0-9-]{1,20}$/, ` + text
		}
		if text = "{ " + text + " }"; s.Has("wrap both") {
			text = `{ "lamp": ` + text + ` }`
		}
		say("takes %s", text)
	}
	if unique := s.option("unique"); unique != "" && unique != "kind, updated by POST" {
		say("unique kind")
	}
	if s.Has("identity natural") {
		say("unique ref")
	}
	if s.Has("idempotency key heard") {
		say("idempotency key")
	}
	if s.states() {
		say(`gone { "state": "removed", ... }`)
	}
	if strings.HasPrefix(s.option("create"), "202") || s.Has("replace 202") || s.Has("amended 202") || s.Has("delete 202") {
		say("ready within 300ms")
	}
	s.sayAnswers(say)
}

func (s *Service) sayAnswers(say func(string, ...any)) {
	var list []string
	add := func(what, option string) {
		if option != "" {
			list = append(list, what+" "+option)
		}
	}
	switch s.option("create") {
	case "200":
		add("create", "200")
	case "202", "202, and shown later":
		add("create", "202")
	case "204":
		add("create", "204")
	case "303":
		add("create", "303")
	}
	for _, what := range []string{"replace 202", "replace 205"} {
		if s.Has(what) {
			add("replace", what[len("replace "):])
		}
	}
	if s.Has("amended 202") && !s.Has("amend none") {
		add("amend", "202")
	}
	if s.Has("delete 205") {
		add("delete", "205")
	}
	if s.Has("gone 403") {
		add("missing", "403 or 404")
	}
	if s.Has("invalid 409") {
		add("invalid", "400 or 409 or 422")
	}
	if how := s.option("repeated delete"); s.Has("gone 403") || s.Has("says answers yes") && how != "410" {
		add("repeat delete", how)
	}
	if len(list) > 0 {
		say("answers %s", strings.Join(list, ", "))
	}
}
