package syntax

import (
	"regexp"
	"strings"
)

// What people write who know other notations, and what it is here. Each hint,
// followed, mends the line.

// foreign are words people write for ours.
var foreign = map[string]string{
	"get": "send GET", "post": "send POST", "put": "send PUT", "patch": "send PATCH", "delete": "send DELETE",
	"head": "send HEAD", "options": "send OPTIONS", "request": "send", "call": "send", "assert": "expect", "check": "expect", "then": "expect", "assertthat": "expect",
	"verify": "expect", "should": "prefer", "test": "scenario", "case": "scenario", "describe": "scenario", "feature": "scenario", "it": "step", "given": "step", "body": "json", "payload": "json", "data": "json",
	"headers": "header", "param": "query", "params": "query", "save": "keep", "store": "keep", "capture": "keep", "extract": "keep", "set": "let",
	"var": "let", "const": "let", "import": "use", "include": "use", "sleep": "pause", "wait": "pause", "repeat": "again", "loop": "again",
	"parallel": "together", "teardown": "afterwards", "finally": "afterwards", "cleanup": "afterwards", "setup": "before each",
	"status": "expect status", "tag": "tags", "description": "about", "url": "base", "host": "base", "foreach": "for each case", "bearer": "auth bearer", "basic": "auth basic", "token": "auth bearer", "cookie": "header Cookie:",
	"only": "tags", "if": "when", "require": "need", "warn": "prefer", "env": "let", "function": "routine", "macro": "routine", "run": "do",
}

// foreignToResource are words people write for those of a resource.
var foreignToResource = map[string]string{
	"create": "make", "body": "make", "example": "make", "new": "make", "update": "amend", "patch": "amend", "modify": "amend", "put": "remake", "replace": "remake", "id": "identity", "key": "identity",
	"readonly": "assigned", "generated": "assigned", "writeonly": "hidden", "operations": "supports", "methods": "supports", "path": "collection", "url": "collection", "endpoint": "collection", "at": "collection",
	"parent": "collection /parents/{parents.id}/…", "status": "answers", "statuses": "answers", "optional": "required", "mandatory": "required", "pagination": "paging", "etag": "revision", "version": "revision", "query": "filter", "ignore": "volatile",
}

// asSaid are words people write for a predicate.
var asSaid = map[string]string{
	"equals": "is", "equal": "is", "be": "is", "eq": "is", "to": "is", "should": "is", "isa": "is", "was": "is", "has": "contains, or count for how many", "includes": "contains", "include": "contains", "having": "contains", "in": "is 1 or 2, with the values",
	"length": "count 3 for elements, is string length 3 for characters", "size": "count 3 for elements, is string length 3 for characters", "len": "count 3 for elements, is string length 3 for characters",
	"absent": "missing", "undefined": "missing", "gone": "missing", "present": "exists", "defined": "exists", "there": "exists", "greater": ">", "more": ">", "gt": ">", "gte": ">=", "less": "<", "lt": "<", "lte": "<=", "at": ">= 3, or <= 3", "close": "is within 0.1 of 3", "within": "is within 0.1 of 3", "about": "is within 0.1 of 3", "near": "is within 0.1 of 3", "~": "is within 0.1 of 3",
	"like": "matches /…/", "regex": "matches /…/", "=~": "matches /…/", "match": "matches /…/", "empty": "count 0", "begins": "starts with", "startswith": "starts with", "endswith": "ends with", "ordered": "sorted", "distinct": "unique", "all": "every", "any": "some", "==": "is", "=": "is", "===": "is", "!=": "is not", "<>": "is not", ":": "is",
}

// asSubject are words people write for a subject.
var asSubject = map[string]string{
	"code": "expect status 200", "statuscode": "expect status 200", "status_code": "expect status 200", "ok": "expect status 2xx", "success": "expect status 2xx", "error": "expect status 4xx", "redirect": "expect status 3xx", "2xx": "expect status 2xx", "3xx": "expect status 3xx", "4xx": "expect status 4xx", "5xx": "expect status 5xx",
	"headers": "expect header Name exists", "json": "expect $.name is …", "jsonpath": "expect $.name is …", "field": "expect $.name is …", "value": "expect $.name is …", "duration": "expect time under 200ms", "latency": "expect time under 200ms", "elapsed": "expect time under 200ms", "schema": `expect body fits schema "boat.schema.json"`,
	"not": "expect $.name is not …, or expect $.name missing", "no": "expect $.name missing", "all": "expect $.items[*].name every …", "any": "expect $.items[*].name some …", "some": "expect $.items[*].name some …", "length": "expect $.items count 3", "count": "expect $.items count 3",
}

// asType are words people write for a type or in front of one.
var asType = map[string]string{
	"str": "string", "text": "string", "char": "string", "int": "integer", "long": "integer", "float": "number", "double": "number", "decimal": "number", "bool": "boolean", "list": "array", "dict": "object", "map": "object", "hash": "object", "guid": "uuid", "timestamp": "datetime", "url": "uri", "mail": "email",
	"undefined": "missing, without is", "absent": "missing, without is", "present": "exists, without is", "defined": "exists, without is", "less": "< 3, without is", "greater": "> 3, without is", "more": "> 3, without is", "at": ">= 3 or <= 3, without is", "between": "between 1 and 3, without is", "in": "\"x\" or \"y\", without in", "one": "\"x\" or \"y\"",
	"valid": `fits schema "…", or a shape`, "nothing": "null, or missing without is", "anything": "any", "optional": `"name"?: string for an optional member, string or null for null`, "nullable": "string or null", "equal": "the value directly behind is", "type": "string, directly behind is", "of": "string, directly behind is", "a": "string, directly behind is", "an": "integer, directly behind is",
}

var (
	tolerance = regexp.MustCompile(`^(\+-|\+/-|±|-\+|~)`)
)

// trailing is what a statement that is complete, with more behind it, was meant to
// be; "" when nobody knows.
func (p *parser) trailing(st *Statement) string {
	rest := strings.TrimSpace(p.rest().Text(p.s))
	var pr Predicate
	if c, ok := st.Body.(Claiming); ok {
		pr = c.Claimed().Predicate
	}
	switch {
	case tolerance.MatchString(rest) && pr.Shape != nil:
		by := strings.TrimLeft(rest, "+-/±~ ")
		return "write is within " + by + " of " + NodeText(pr.Shape)
	case strings.HasPrefix(rest, "|"):
		return "write `or`"
	case strings.HasPrefix(rest, "?"):
		return `an optional member is written "name"?: …; what may be null: … or null`
	case strings.HasPrefix(rest, ";"):
		return "remove the `;`"
	case strings.HasPrefix(rest, "and ") || strings.HasPrefix(rest, "&&"):
		return "write two lines, one claim each"
	case strings.HasPrefix(rest, "||"):
		return "write `or`"
	case strings.HasPrefix(rest, "{") && st.Word == "scenario":
		return "no braces: what belongs to it is indented"
	case strings.HasPrefix(rest, "{") && st.Word == "send":
		return "write the body on a line of its own below: json " + rest
	case strings.HasPrefix(rest, "HTTP/"):
		return "leave it out: the version is not said"
	case strings.HasPrefix(rest, "-") && st.Word == "required", st.Word == "required" && p.nextWord() != "":
		return "names are joined by commas: required name, length"
	case st.Word == "service" && strings.HasPrefix(rest, "://"):
		return "where it listens is written base http" + rest
	case st.Word == "resource" && p.nextWord() == "at":
		return "the path is a line of its own below: collection " + strings.TrimSpace(strings.TrimPrefix(rest, "at"))
	}
	return ""
}

// quotedHere is the hint for a text without quotes: the words up to what ends it.
func (c *cursor) quotedHere(from int) string {
	end := from
	for end < len(c.s) && strings.IndexByte("\n\r,]}#", c.s[end]) < 0 {
		end++
	}
	text := strings.TrimSpace(c.s[from:end])
	for _, word := range []string{" or ", " because ", " when "} {
		text, _, _ = strings.Cut(text, word)
	}
	return `text is written in quotes: "` + strings.ReplaceAll(strings.TrimSpace(text), `"`, "") + `"`
}
