package expect

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// barge is a boat with more to be said of it.
const barge = `{"id": 7, "name": "Curlew", "length_m": 8.2, "tags": ["a", "b", "c"], "crew": [{"n": 3, "pay": 10}, {"n": 1, "pay": 20}, {"n": 2, "pay": 30}], "flag": null, "sub": {"at": "2031-05-17T08:30:00Z"},
 "wide": [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14], "twice": [1, 2, 1.0], "mixed": [1, "a"], "same": [1, 1]}`

// quay is what the claims of the table look at.
func quay(t *testing.T) *Context {
	t.Helper()
	json := []string{"Content-Type", "application/json"}
	names := scope.New(&scope.World{})
	for name, text := range map[string]string{"seven": `7`, "ten": `10`, "name": `"Curlew"`, "other": `404`, "class": `"2xx"`, "wrong": `"oops"`, "fine": `[204, "200"]`, "one": `1`, "two": `2`, "list": `[3, 1]`} {
		names.Bind(name, decoded(t, text))
	}
	earlier := map[string]*Reply{
		"read": reply(200, barge, append(json, "ETag", `"a1"`)...), "read+": reply(200, barge, json...), "made": reply(201, barge, json...), "made++": reply(201, `{"id": 7}`, json...),
		"tagged": reply(200, barge, "ETag", `"b2"`, "Set-Cookie", "sid=abc; Path=/"), "text": reply(200, "Curlew", "Content-Type", "text/plain"), "notjson": reply(200, "<x>", json...),
		"changed": reply(200, `{"id": 7.0, "name": "Smew", "sub": {"at": 5, "new": 1}, "gone": 1}`, json...), "nulled": reply(200, strings.Replace(barge, `"Curlew"`, "null", 1), json...),
		"apart": reply(200, `{"x": 1}`, json...), "typed": reply(200, `{"id": "7"}`, json...), "list": reply(200, `[1]`, json...), "strings": reply(200, `"x"`, json...), "untyped": reply(200, barge),
		"broken": NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{Kind: exchange.SlowAnswer, Detail: "no answer within 2s"}}),
	}
	files := map[string]string{"boat.json": barge, "plain.txt": "Curlew", "other.txt": "Smew", "boat.small.json": `{"type": "object", "properties": {"id": {"maximum": 6}}}`,
		"many.json": `{"properties": {"wide": {"items": {"type": "string"}}}}`}
	r := reply(200, barge, "Content-Type", "application/json; charset=UTF-8", "ETag", `"a1"`, "Allow", "GET, PUT", "Allow", "DELETE", "Set-Cookie", "sid=abc; Path=/", "Location", "/boats/7",
		"X-Type", "application/json", "Vary", "Accept, Origin", "X-Empty", "", "Long", strings.Repeat("0123456789", 20))
	gained := decoded(t, `{"id": 7}`)
	return &Context{Reply: r, Names: names, Observed: []string{"boats", "moored"}, Step: func(t string, n int) *Reply { return earlier[t+strings.Repeat("+", n)] },
		ReadFile: func(n string) ([]byte, error) {
			if text, ok := files[n]; ok {
				return []byte(text), nil
			}
			return nil, errors.New("there is no file " + n)
		},
		Effect: func(name string) (*state.Delta, error) {
			switch name {
			case "berths":
				return nil, errors.New("berths could not be observed")
			case "moored":
				return nil, nil
			case "lost":
				return &state.Delta{Lost: []*value.Value{gained}}, nil
			}
			return &state.Delta{Gained: []*value.Value{gained}}, nil
		}}
}

func decoded(t *testing.T, text string) *value.Value {
	t.Helper()
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	return v
}

// Each claim with all that is said of it: nothing where it holds, what was found where it does
// not, and after `cannot tell:` why it cannot be judged.
func TestWhatIsSaidOfClaims(t *testing.T) {
	for _, c := range []struct{ claim, said string }{
		{`{seven} is "x"`, `{seven} expected "x", found 7`},
		{`{seven} is {never}`, "cannot tell: `never` has no value"},
		{`{name} matches /^x/`, `{name} is "Curlew"`},
		{`{name} starts with "Cur"`, ``},
		{`{seven} contains "8"`, `{seven} is "7"`},
		{`{never} is 7`, "cannot tell: `never` has no value"},
		{`status 201`, `200 OK`},
		{`status {never}`, "cannot tell: `never` has no value"},
		{`status {other}`, `200 OK`},
		{`status {class}`, ``},
		{`status {wrong}`, `200 OK`},
		{`status not {fine}`, `200 OK`},
		{`status not 4xx and not 3xx`, ``},
		{`status not 200 and 2xx`, `200 OK`},
		{`status same as "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`status same as "{never}"`, "cannot tell: `never` has no value"},
		{`status same as "broken"`, `step "broken" has no answer: timed out waiting: no answer within 2s`},
		{`status same as "read" repeat 9`, "cannot tell: `the answer of repeat 9 of \"read\"` has no value"},
		{`status same as "read" repeat {name}`, `cannot tell: a repeat is a whole number from 1, not "Curlew"`},
		{`status same as "read" repeat {one}`, ``},
		{`status same as "made"`, `200 OK, where step "made" answered 201 Created`},
		{`body same as "made" repeat {two}`, `$.name is extra: "Curlew"|$.length_m is extra: 8.2|$.tags is extra: ["a", "b", "c"]|$.crew is extra: [{"n": 3, "pay": 10}, {"n": 1, "pay": 20}, {"n": 2, "pay": 30}]|$.flag is extra: null|$.sub is extra: {"at": "2031-05-17T08:30:00Z"}|$.wide is extra: [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14]|$.twice is extra: [1, 2, 1.0]|$.mixed is extra: [1, "a"]|$.same is extra: [1, 1]`},
		{`body same as "broken"`, `step "broken" has no answer: timed out waiting: no answer within 2s`},
		{`header ETag same as "made"`, `header ETag is "\"a1\"", and step "made" has none`},
		{`header ETag same as "read"`, ``},
		{`header ETag same as "tagged"`, `header ETag is "\"a1\"", and was "\"b2\"" in step "tagged"`},
		{`cookie sid same as "read"`, `cookie sid is "abc", and step "read" has none`},
		{`cookie sid same as "tagged"`, ``},
		{`cookie other same as "tagged"`, `there is no cookie other`},
		{`header ETag same as "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`header Location is "{never}"`, "cannot tell: `never` has no value"},
		{`header Location is "/boats/{ten}"`, `header Location is "/boats/7"|wanted "/boats/10"`},
		{`header Location is {name}`, `header Location is "/boats/7"|wanted "Curlew"`},
		{`header Location is "/boats/8"`, `header Location is "/boats/7"`},
		{`header Location is 7`, `header Location is "/boats/7"|wanted "7"`},
		{`header Content-Type is "application/json; charset=utf-8; v=1"`, `header Content-Type is "application/json; charset=UTF-8"`},
		{`header Content-Type is "application/json;charset=latin1"`, `header Content-Type is "application/json; charset=UTF-8"`},
		{`header Content-Type is "Application/JSON ; Charset=\"UTF-8\""`, ``},
		{`header X-Type is "application/JSON"`, `header X-Type is "application/json"`},
		{`header X-None contains "a"`, `there is no header X-None`},
		{`header Allow lists POST, HEAD`, `header Allow lists GET, PUT, DELETE; it lacks POST, HEAD`},
		{`header Allow lists only GET`, `header Allow lists GET, PUT, DELETE, and more than that: PUT, DELETE`},
		{`header Allow lists only GET, POST`, `header Allow lists GET, PUT, DELETE; it lacks POST, and more than that: PUT, DELETE`},
		{`header Allow lists get`, `header Allow lists GET, PUT, DELETE; it lacks get`},
		{`header Vary lists accept`, ``},
		{`header Vary lists only origin, ACCEPT`, ``},
		{`header Vary lacks ACCEPT`, `header Vary lists Accept, Origin`},
		{`header Vary lacks cookie, "X-Y"`, ``},
		{`header Allow lists {never}`, "cannot tell: `never` has no value"},
		{`header Allow lacks {never}`, "cannot tell: `never` has no value"},
		{`header X-None lacks GET`, ``},
		{`header X-Empty lists GET`, `header X-Empty lists nothing; it lacks GET`},
		{`header Long contains "zzz"`, `header Long is "012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678… (202 characters)`},
		{`header Long is "zzz"`, `header Long is "012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678… (202 characters)`},
		{`header Long contains "0123"`, ``},
		{`cookie sid contains "a", "b", "c"`, ``},
		{`cookie sid contains "a", "x"`, `cookie sid is "abc"|it lacks "x"`},
		{`cookie sid contains "a", {never}`, "cannot tell: `never` has no value"},
		{`cookie sid matches /x/`, `cookie sid is "abc"`},
		{`text lacks "Curlew"`, `the body contains it: "{\"id\": 7, \"name\": \"Curlew\", \"length_m\": 8.2, …"`},
		{`text lacks "{name}"`, `the body contains it: "{\"id\": 7, \"name\": \"Curlew\", \"length_m\": 8.2, …"`},
		{`text lacks "length"`, `the body contains it: "… \"name\": \"Curlew\", \"length_m\": 8.2, \"tags\": [\"…"`},
		{`text lacks "id"`, `the body contains it: "{\"id\": 7, \"name\": \"Curle…"`},
		{`text lacks "sub"`, `the body contains it: "…0}], \"flag\": null, \"sub\": {\"at\": \"2031-05-1…"`},
		{`text lacks {never}`, "cannot tell: `never` has no value"},
		{`text same as "text"`, `the body: expected "Curlew", found "{\"id\": 7, \"name\": \"Curlew\", \"length_m\": 8.2, \"tags\": [\"a\", \"b\", \"c\"], \"crew\": [{\… (361 characters)`},
		{`text same as file "plain.txt"`, `the body: expected "Curlew", found "{\"id\": 7, \"name\": \"Curlew\", \"length_m\": 8.2, \"tags\": [\"a\", \"b\", \"c\"], \"crew\": [{\… (361 characters)`},
		{`$.id is "{name}"`, `$.id expected "Curlew", found 7`},
		{`$.id is {never}`, "cannot tell: `never` has no value"},
		{`$.id is not {never}`, "cannot tell: `never` has no value"},
		{`$.tags is not array`, `$.tags is ["a", "b", "c"]`},
		{`$.sub.at is integer`, `$.sub.at expected integer, found "2031-05-17T08:30:00Z"`},
		{`$.crew[0] is { "n": 4, "pay": 10 }`, `$.crew[0].n expected 4, found 3`},
		{`$.tags[*] matches /a/`, `$.tags[*] selects 3 values, where one value was expected`},
		{`$.tags matches /a/`, `$.tags is ["a", "b", "c"], where a text was expected`},
		{`$.sub matches /a/`, `$.sub is {"at": "2031-05-17T08:30:00Z"}, where a text was expected`},
		{`$.flag matches /a/`, `$.flag is null, where a text was expected`},
		{`$.nope matches /a/`, `$.nope selects nothing, where one value was expected`},
		{`$.name same as $.name of "read"`, ``},
		{`$.name same as $.id of "read"`, `$.name expected 7, found "Curlew"`},
		{`$.name same as $.nope of "read"`, `$.nope of step "read" selects nothing`},
		{`$.name same as $.tags[*] of "made"`, `$.tags[*] of step "made" selects 3 values`},
		{`$.name same as $.name of "text"`, "the answer of step \"text\" is not JSON: unknown word at byte 0: expected a value, found `Curlew`"},
		{`$.sub same as $.sub of "read" except $.at`, ``},
		{`$.crew same as $.crew of "read" except $.at`, ``},
		{`$.name same as $.name of "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`$.name same as sent`, `$.name expected {"name": "Curlew", "length_m": 8.20}, found "Curlew"`},
		{`body same as file "none.json"`, `cannot tell: there is no file none.json`},
		{`body same as file "plain.txt"`, "plain.txt is not JSON: unknown word at byte 0: expected a value, found `Curlew`"},
		{`body same as file "boat.json" except $.tags, $.crew`, ``},
		{`$.name same as file "plain.txt"`, ``},
		{`$.name same as file "other.txt"`, `$.name expected "Smew", found "Curlew"`},
		{`body agrees with "changed"`, `$.name is "Smew" there, "Curlew" here|$.sub.at is 5 there, "2031-05-17T08:30:00Z" here`},
		{`body agrees with "read"`, ``},
		{`$.tags agrees with $.crew of "read"`, `$.tags is [{"n": 3, "pay": 10}, {"n": 1, "pay": 20}, {"n": 2, "pay": 30}] there, ["a", "b", "c"] here`},
		{`body agrees with "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`body agrees with "changed" except $.name, $.sub`, ``},
		{`$.name agrees with $.id of "read"`, `$.name is 7 there, "Curlew" here`},
		{`body agrees with sent`, ``},
		{`body resembles "list"`, `the body is of type object here, and was array in step "list"`},
		{`body resembles "strings"`, `the body is of type object here, and was string in step "strings"`},
		{`body resembles "apart"`, `the body has members id, name, length_m, tags, crew, flag, sub, wide, twice, mixed, same here, and had x in step "apart": none in common`},
		{`body resembles "typed"`, `member id is of type number here, and was string in step "typed"`},
		{`body resembles "nulled"`, ``},
		{`body resembles "untyped"`, `the body is application/json here, and was of no declared type in step "untyped"`},
		{`body resembles "notjson"`, `the answer of step "notjson" is not JSON`},
		{`body resembles "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`body same shape as "read"`, ``},
		{`body same shape as "changed"`, `$.sub.at is of type string here, number there|$.sub.new is missing here|$.gone is missing here|$.length_m is missing there|$.tags is missing there|$.crew is missing there|$.flag is missing there|$.wide is missing there|$.twice is missing there|$.mixed is missing there|$.same is missing there`},
		{`body same shape as "nulled"`, ``},
		{`body same shape as "apart"`, `$.x is missing here|$.id is missing there|$.name is missing there|$.length_m is missing there|$.tags is missing there|$.crew is missing there|$.flag is missing there|$.sub is missing there|$.wide is missing there|$.twice is missing there|$.mixed is missing there|$.same is missing there`},
		{`body same shape as "list"`, `$ is of type object here, array there`},
		{`body same shape as "never"`, "cannot tell: `the answer of \"never\"` has no value"},
		{`body same shape as "text"`, "the answer of step \"text\" is not JSON: unknown word at byte 0: expected a value, found `Curlew`"},
		{`body covers { "length_m": 8.3, "tags": ["a", "b", "c"] }`, `$.length_m expected 8.3, found 8.2`},
		{`body covers { "tags": ["a"] }`, `$.tags[1] is extra: "b"|$.tags[2] is extra: "c"`},
		{`body covers { "id": {never} }`, "cannot tell: `never` has no value"},
		{`body is { "id": 8, "name": "Smew", ... }`, `$.id expected 8, found 7|$.name expected "Smew", found "Curlew"`},
		{`body is not { "id": 7, ... }`, `$ is {"id": 7, "name": "Curlew", "length_m": 8.2, "tags": ["a", "b", "c"], "crew": [{"n": 3, "pay": 10}, {"n": …ice": [1, 2, 1.0], "mixed": [1, "a"], "same": [1, 1]}`},
		{`body empty`, `the body has 310 bytes: "{\"id\": 7, \"name\": \"Curlew\", \"length_m\": 8.2, \"tags\": [\"a\", \"b\", \"c\"], \"crew\": [{….0], \"mixed\": [1, \"a\"], \"same\": [1, 1]}"`},
		{`body fits schema "boat.small.json"`, `$.id maximum: got 7, want 6`},
		{`body fits schema "many.json"`, `$.wide[0] got number, want string|$.wide[1] got number, want string|$.wide[2] got number, want string|$.wide[3] got number, want string|$.wide[4] got number, want string|$.wide[5] got number, want string|$.wide[6] got number, want string|$.wide[7] got number, want string|$.wide[8] got number, want string|$.wide[9] got number, want string|$.wide[10] got number, want string|$.wide[11] got number, want string|… and 2 more`},
		{`body fits schema "none.json"`, `cannot tell: there is no file none.json`},
		{`body fits schema "plain.txt"`, "cannot tell: plain.txt is not a JSON Schema: unknown word at byte 0: expected a value, found `Curlew`"},
		{`$.length_m is within 0.1 of 8`, `$.length_m is 8.2`},
		{`$.length_m is within {name} of 8`, `cannot tell: "Curlew" is neither a number nor a duration`},
		{`$.name is not within 1 of 2`, `$.name is "Curlew", which has no such distance to it`},
		{`$.sub.at before {never}`, "cannot tell: `never` has no value"},
		{`$.sub.at before "soon"`, `cannot tell: "soon" is neither a time of RFC 3339 nor a date`},
		{`$.sub.at before "2031-05-17T08:30:00Z"`, `$.sub.at is "2031-05-17T08:30:00Z"; compared with 2031-05-17T08:30:00Z`},
		{`$.sub.at after "2031-05-17T08:30:00Z"`, `$.sub.at is "2031-05-17T08:30:00Z"; compared with 2031-05-17T08:30:00Z`},
		{`$.name after "2031-01-01"`, `$.name is "Curlew", which cannot be compared with 2031-01-01`},
		{`$.id < 7`, `$.id is 7`},
		{`$.id <= 6`, `$.id is 7`},
		{`$.id > 7`, `$.id is 7`},
		{`$.id >= 8`, `$.id is 7`},
		{`$.name < "D"`, ``},
		{`$.name >= "Curlew"`, ``},
		{`$.name > "D"`, `$.name is "Curlew"`},
		{`$.name < 3`, `$.name is "Curlew"`},
		{`$.flag < 3`, `$.flag is null`},
		{`$.id < {never}`, "cannot tell: `never` has no value"},
		{`$.id between 8 and 9`, `$.id is 7`},
		{`$.id between 5 and 6`, `$.id is 7`},
		{`$.id between 7 and 7`, ``},
		{`$.id between {never} and 9`, "cannot tell: `never` has no value"},
		{`$.id between 5 and {never}`, "cannot tell: `never` has no value"},
		{`$.tags count 4`, `the count is 3`},
		{`$.tags count < 3`, `the count is 3`},
		{`$.tags count <= 3`, ``},
		{`$.tags count >= 3`, ``},
		{`$.tags count > 3`, `the count is 3`},
		{`$.tags[*] count 3`, ``},
		{`$.crew[0] count 1`, ``},
		{`$.tags count {never}`, "cannot tell: `never` has no value"},
		{`$.tags count < {never}`, "cannot tell: `never` has no value"},
		{`$.tags count {name}`, `cannot tell: "Curlew" is not a number to end a range with`},
		{`$.tags contains "z"`, `$.tags is ["a", "b", "c"]`},
		{`$.tags contains "a", "z"`, `$.tags lacks "z": ["a", "b", "c"]`},
		{`$.tags contains "a", "b"`, ``},
		{`$.tags contains {never}`, "cannot tell: `never` has no value"},
		{`$.sub contains { "at": "2031-05-17T08:30:00Z" }`, ``},
		{`$.sub contains { "at": "x" }`, `$.sub.at expected "x", found "2031-05-17T08:30:00Z"`},
		{`$.tags lacks "z", "a"`, `$.tags holds "a": ["a", "b", "c"]`},
		{`$.sub lacks { "at": "2031-05-17T08:30:00Z" }`, `$.sub holds {"at": "2031-05-17T08:30:00Z"}: {"at": "2031-05-17T08:30:00Z"}`},
		{`$.tags lacks {never}`, "cannot tell: `never` has no value"},
		{`$.id are [7]`, `$.id is not an array but 7`},
		{`$.nope are []`, `$.nope selects nothing, where one value was expected`},
		{`$.tags are ["a"]`, `$.tags[1] is extra: "b"|$.tags[2] is extra: "c"`},
		{`$.crew[*].n are [3, 9, 2]`, `$.crew[1].n expected 9, found 1`},
		{`$.crew[*].n are [3, 1, 2, 4]`, `what $.crew[*].n selects[3] is missing, expected 4`},
		{`$.crew[*].n are {list}`, `$.crew[2].n is extra: 2`},
		{`$.crew[*] are [{ "n": 3, "pay": 11 }, ...]`, `$.crew[0].pay expected 11, found 10`},
		{`$.crew[*].n are [{never}, ...]`, "cannot tell: `never` has no value"},
		{`$.crew every { "n": 3, "pay": integer }`, `$.crew[1].n expected 3, found 1|$.crew[2].n expected 3, found 2`},
		{`$.crew[*].n every integer`, ``},
		{`$.crew[*].n every 3`, `$.crew[1].n expected 3, found 1|$.crew[2].n expected 3, found 2`},
		{`$.crew some { "n": 9, ... }`, `none of the 3 selected is`},
		{`$.crew some { "n": 1 as first, ... }`, ``},
		{`$.crew none { "n": 3, ... }`, `$.crew[0] is {"n": 3, "pay": 10}`},
		{`$.tags every string`, ``},
		{`$.id every 7`, ``},
		{`$.sub every { "at": datetime }`, ``},
		{`$.crew every {never}`, "cannot tell: `never` has no value"},
		{`$.crew[*] every string`, `$.crew[0] expected string, found {"n": 3, "pay": 10}|$.crew[1] expected string, found {"n": 1, "pay": 20}|$.crew[2] expected string, found {"n": 2, "pay": 30}`},
		{`$.wide[*] every string`, `$.wide[0] expected string, found 1|$.wide[1] expected string, found 2|$.wide[2] expected string, found 3|$.wide[3] expected string, found 4|$.wide[4] expected string, found 5|$.wide[5] expected string, found 6|$.wide[6] expected string, found 7|$.wide[7] expected string, found 8|$.wide[8] expected string, found 9|$.wide[9] expected string, found 10|$.wide[10] expected string, found 11|$.wide[11] expected string, found 12|… and 2 more`},
		{`$.wide are []`, `$.wide[0] is extra: 1|$.wide[1] is extra: 2|$.wide[2] is extra: 3|$.wide[3] is extra: 4|$.wide[4] is extra: 5|$.wide[5] is extra: 6|$.wide[6] is extra: 7|$.wide[7] is extra: 8|$.wide[8] is extra: 9|$.wide[9] is extra: 10|$.wide[10] is extra: 11|$.wide[11] is extra: 12|… and 2 more`},
		{`$.wide[*] none integer`, `$.wide[0] is 1|$.wide[1] is 2|$.wide[2] is 3|$.wide[3] is 4|$.wide[4] is 5|$.wide[5] is 6|$.wide[6] is 7|$.wide[7] is 8|$.wide[8] is 9|$.wide[9] is 10|$.wide[10] is 11|$.wide[11] is 12|… and 2 more`},
		{`$.id unique`, `$.id is not an array but 7`},
		{`$.nope unique`, `$.nope selects nothing, where one value was expected`},
		{`$.twice unique`, `$.twice[0] and $.twice[2] are both 1.0`},
		{`$.tags[*] unique`, ``},
		{`$.id sorted`, `$.id is not an array but 7`},
		{`$.crew sorted`, `{"n": 3, "pay": 10} and {"n": 1, "pay": 20} have no order`},
		{`$.mixed sorted`, `1 and "a" have no order`},
		{`$.crew sorted by $.n`, `$.crew[0] and $.crew[1] are out of order: 3, then 1`},
		{`$.crew sorted by $.nope`, `$.crew[0]: $.nope selects nothing`},
		{`$.crew[*].n sorted`, `$.crew[*].n[0] and $.crew[*].n[1] are out of order: 3, then 1`},
		{`$.crew[*].n sorted descending`, `$.crew[*].n[1] and $.crew[*].n[2] are out of order: 1, then 2`},
		{`$.same sorted`, ``},
		{`$.same sorted descending`, ``},
		{`boats unchanged`, `boats: 1 gained|+ {"id": 7}`},
		{`boats gains {never}`, "cannot tell: `never` has no value"},
		{`berths unchanged`, `cannot tell: berths could not be observed`},
		{`moored unchanged`, ``},
		{`state unchanged`, `boats: 1 gained|+ {"id": 7}`},
		{`boats gains { "id": integer as new, ... }`, ``},
		{`boats gains { "id": {never}, ... }`, "cannot tell: `never` has no value"},
		{`boats gains 1 and berths gains 2`, `cannot tell: berths could not be observed`},
		{`boats gains 1 and moored gains 1 and lost unchanged`, `lost: 1 lost|- {"id": 7}`},
		{`time under 150ms`, `it took 150 ms`},
		{`time under 151ms`, ``},
		{`size under 220B`, `the body has 310 bytes`},
		{`answer missing`, `an answer came: 200 OK`},
	} {
		out := Check(quay(t), claim(t, c.claim))
		said := strings.Join(out.Found, "|")
		if out.Err != nil {
			said = "cannot tell: " + out.Err.Error()
			assert.False(t, out.Held, c.claim)
		}
		assert.Equal(t, c.said, said, c.claim)
		assert.Equal(t, c.said == "", out.Held, c.claim)
	}
}
