package expect

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// claim is the claim of an expectation as a tester writes it.
func claim(t *testing.T, text string) *syntax.Claim {
	t.Helper()
	f, diags := syntax.Parse(source.NewFile("t", "scenario \"s\"\n  step \"t\"\n    send GET /x\n    expect "+text+"\n"))
	require.Empty(t, diags, text)
	for _, st := range f.Statements[0].Children[0].Children {
		if e, ok := st.Body.(*syntax.Expect); ok {
			return &e.Claim
		}
	}
	require.Fail(t, "no expectation", text)
	return nil
}

func reply(status int, body string, fields ...string) *Reply {
	a := &exchange.Answer{Status: status, Header: http.Header{}, Body: []byte(body), Length: len(body)}
	for i := 0; i < len(fields); i += 2 {
		a.Header.Add(fields[i], fields[i+1])
	}
	return NewReply(&exchange.Exchange{Request: &exchange.Request{Method: "POST", URL: "http://127.0.0.1/boats", Body: []byte(`{"name": "Curlew", "length_m": 8.20}`)},
		Answer: a, Timing: exchange.Timing{Total: 150 * time.Millisecond}})
}

const boat = `{"id": 7, "name": "Curlew", "length_m": 8.2, "tags": ["a", "b", "c"], "crew": [{"n": 3, "pay": 10}, {"n": 1, "pay": 30}, {"n": 2, "pay": 20}], "flag": null, "big": 9007199254740993, "sub": {"at": "2031-05-17T08:30:00Z"}}`

func subject(body string) *Context {
	r := reply(200, body, "Content-Type", "application/json; charset=utf-8", "ETag", `"a1"`, "Allow", "GET, PUT", "Allow", "DELETE", "Set-Cookie", "sid=abc; Path=/", "Location", "/boats/7")
	names := scope.New(&scope.World{})
	names.Bind("seven", value.NewInt(7))
	names.Bind("name", value.NewString("Curlew"))
	names.Bind("sent", value.NewObject())
	names.Bind("fine", value.NewArray(value.NewInt(204), value.NewString("200")))
	names.Bind("near", value.NewString("5m"))
	earlier := map[string]*Reply{"read": reply(200, strings.Replace(boat, `"b", `, "", 1), "Content-Type", "application/json", "ETag", `"a1"`), "made": reply(201, boat, "Content-Type", "application/json"),
		"text": reply(200, "plain", "Content-Type", "text/plain"), "read++": reply(200, boat, "Content-Type", "application/json"), "other": reply(404, `{"title": "no"}`, "Content-Type", "application/problem+json")}
	return &Context{Reply: r, Names: names, Step: func(t string, n int) *Reply { return earlier[t+strings.Repeat("+", n)] },
		ReadFile: func(n string) ([]byte, error) {
			switch n {
			case "boat.json":
				return []byte(boat), nil
			case "boat.schema.json":
				return []byte(`{"type": "object", "required": ["id"], "properties": {"id": {"type": "integer", "maximum": 9}, "name": {"type": "string", "maxLength": 9}}}`), nil
			}
			return nil, errors.New("there is no file " + n)
		},
		Baseline: func([]byte) ([]byte, error) { return []byte(boat), nil },
		Observed: []string{"boats"},
		Effect: func(string) (*state.Delta, error) {
			one, err := value.Decode(boat, value.Limits{})
			return &state.Delta{Gained: []*value.Value{one}}, err
		}}
}

func TestClaims(t *testing.T) {
	for _, c := range []struct {
		claim string
		// found is what a miss says; "" for a claim that holds.
		found string
	}{
		{`status 200`, ""}, {`status 2xx`, ""}, {`status 201 or 200`, ""}, {`status not 429 and not 5xx`, ""}, {`status same as "read"`, ""},
		{`status 201`, "200 OK"}, {`status 4xx`, "200 OK"}, {`status not 2xx`, "200 OK"}, {`status same as "made"`, "201"},

		{`{seven} is 7`, ""}, {`{seven} is "x"`, "{seven} expected"}, {`{seven} exists`, ""}, {`{never} missing`, ""}, {`{never} exists`, "never"}, {`{seven} missing`, "7"}, {`{seven} > 6`, ""},

		{`status {fine}`, ""}, {`status not {fine}`, "200 OK"}, {`status same as "read" repeat 2`, ""}, {`body same as "read" repeat 2`, ""}, {`$.tags same as $.tags of "read" repeat 2`, ""},

		{`$.length_m is within 0.1 of 8.3`, ""}, {`$.length_m is within 0.1 of 8.1`, ""}, {`$.length_m is within 0.09999999999999999999 of 8.3`, "8.2"}, {`$.big is within 1 of 9007199254740992`, ""}, {`$.big is within 0 of 9007199254740992`, "9007199254740993"},
		{`$.length_m is not within 0.1 of 8.3`, "8.2"}, {`$.length_m is not within 0.1 of 9`, ""}, {`$.name is within 1 of 2`, "no such distance"}, {`$.name is not within 1 of 2`, "no such distance"}, {`{seven} is within {seven} of 14`, ""},
		{`$.sub.at is within 5m of "2031-05-17T10:34:59+02:00"`, ""}, {`$.sub.at is within {near} of "2031-05-17T08:35:00Z"`, ""}, {`$.sub.at is within 5m of "2031-05-17T08:35:00.001Z"`, "08:30"}, {`$.sub.at is within 1d of "2031-05-17"`, "no such distance"},
		{`$.crew is array of { "n": integer within 1 of 2, ... }`, ""}, {`$.sub.at is datetime within 1h of "2031-05-17T08:00:00Z"`, ""}, {`$.length_m is number within 0.1 of 8`, "8.2"},
		{`$.crew[*].n are [3, 1, 2]`, ""}, {`$.crew[*].n are any order [1, 2, 3]`, ""}, {`$.tags are ["a", "b", ...]`, ""}, {`$.nope are []`, "selects nothing"}, {`$.nope[*] are []`, ""}, {`$.crew[*].n are [3, 9, 2]`, "$.crew[1].n expected 9"}, {`$.crew[*].n are [3, 1]`, "$.crew[2].n is extra: 2"}, {`$.crew[*].n are [3, 1, 2, 4]`, "selects[3] is missing"}, {`$.id are [7]`, "not an array"},
		{`$.name contains "Cur", "lew"`, ""}, {`$.name contains "Cur", "x"`, `it lacks "x"`}, {`$.tags contains "a", "c"`, ""}, {`$.tags contains "a", "z"`, `lacks "z"`}, {`$.name lacks "x", "Cur"`, "Cur"}, {`header Allow contains "GET", "DELETE"`, ""},
		{`boats gains 1 and berths gains 1`, ""}, {`boats gains 1 and berths gains 1 and loses 0`, ""}, {`boats gains 1 and berths unchanged`, "berths: 1 gained"}, {`boats gains 1 and berths loses 1`, "berths"},

		{`header ETag exists`, ""}, {`header X-None missing`, ""}, {`header Location is "/boats/{seven}"`, ""}, {`header location is not "/x"`, ""},
		{`header Content-Type is "application/json"`, ""}, {`header Content-Type is "application/json; charset=UTF-8"`, ""},
		{`header ETag matches /^"[a-z]\d"$/`, ""}, {`header Allow lists GET, DELETE`, ""}, {`header Allow lists only GET, PUT, DELETE`, ""}, {`header Allow lacks POST`, ""},
		{`header Location starts with "/boats"`, ""}, {`header Location ends with "7"`, ""}, {`header ETag contains "a1"`, ""}, {`header ETag same as "read"`, ""},
		{`header ETag missing`, `a1`}, {`header X-None exists`, "X-None"}, {`header Content-Type is "text/html"`, "application/json"},
		{`header Content-Type is "application/json; charset=latin1"`, "charset=utf-8"}, {`header Allow lists POST`, "POST"}, {`header Allow lists only GET`, "DELETE"},
		{`header Allow lacks PUT`, "PUT"}, {`header ETag matches /^W/`, `a1`}, {`header X-None is "x"`, "X-None"},

		{`cookie sid is "abc"`, ""}, {`cookie sid exists`, ""}, {`cookie other missing`, ""}, {`cookie sid is "x"`, "abc"}, {`cookie other exists`, "other"},

		{`$.id is 7`, ""}, {`$.id is 7.0`, ""}, {`$.id is {seven}`, ""}, {`$.name is {name}`, ""}, {`$.id is integer 1..9`, ""}, {`$.flag is null`, ""}, {`$.big is 9007199254740993`, ""},
		{`$.name is "Curlew" or "Smew"`, ""}, {`$.name is /^Cur/`, ""}, {`$.name is string length 6..6`, ""}, {`$.sub.at is datetime`, ""}, {`$.id is not 8`, ""}, {`$.tags is ["a", ...]`, ""},
		{`$.tags is any order ["c", "a", "b"]`, ""}, {`$.tags is array of string`, ""}, {`$.tags is array count 3`, ""}, {`$.sub is { "at": any }`, ""},
		{`$.id is 8`, "7"}, {`$.big is 9007199254740992`, "9007199254740993"}, {`$.id is "7"`, "7"}, {`$.name is string length ..3`, "Curlew"}, {`$.nope is 1`, "selects nothing"}, {`$.tags[*] is "a"`, "3"},
		{`$.tags is ["a", "b"]`, "c"}, {`$.name is not string`, "Curlew"}, {`$.flag is string`, "null"}, {`$.sub is {}`, "at"}, {`$.id is integer 8..`, "7"},

		{`$.id exists`, ""}, {`$.flag exists`, ""}, {`$.nope missing`, ""}, {`$.id missing`, "7"}, {`$.nope exists`, "$.nope"},
		{`$.id < 8`, ""}, {`$.id <= 7`, ""}, {`$.length_m > 8.1999`, ""}, {`$.id >= 7`, ""}, {`$.length_m between 8.2 and 8.2`, ""},
		{`$.id < 7`, "7"}, {`$.length_m > 8.2`, "8.2"}, {`$.id between 8 and 9`, "7"}, {`$.name > 3`, "Curlew"},
		{`$.sub.at before "2031-05-17T10:30:01+02:00"`, ""}, {`$.sub.at after "2031-05-17T08:29:59.999Z"`, ""}, {`$.sub.at before "2031-05-17T10:30:00+02:00"`, "2031-05-17T08:30:00Z"},
		{`$.sub.at after "2031-01-01"`, "cannot be compared"}, {`$.name before "2031-01-01"`, "Curlew"},
		{`$.name contains "rle"`, ""}, {`$.tags contains "b"`, ""}, {`$.name starts with "Cur"`, ""}, {`$.name ends with "lew"`, ""}, {`$.name matches /LEW/i`, ""}, {`$.tags lacks "z"`, ""}, {`$.name lacks "z"`, ""},
		{`$.tags contains "z"`, `"a", "b", "c"`}, {`$.name starts with "x"`, "Curlew"}, {`$.tags lacks "a"`, "a"},
		{`$.tags count 3`, ""}, {`$.crew count > 2`, ""}, {`$.crew[?@.pay > 15] count 2`, ""}, {`$.tags count 1..3`, ""}, {`$.nope count 0`, ""}, {`$.tags count 4`, "3"}, {`$.tags count < 3`, "3"},
		{`$.crew every { "n": integer, ... }`, ""}, {`$.crew some { "n": 1, ... }`, ""}, {`$.crew none { "n": 9, ... }`, ""}, {`$.crew every { "n": integer 2.., ... }`, "$.crew[1]"}, {`$.crew some { "n": 9, ... }`, "none"}, {`$.crew none { "n": 3, ... }`, "$.crew[0]"},
		{`$.crew[*].n unique`, ""}, {`$.tags sorted`, ""}, {`$.crew sorted by $.pay descending`, "10, then 30"}, {`$.crew[*].n sorted`, "3"}, {`$.tags sorted descending`, "a"},

		{`body is { "id": 7, "name": string, ... }`, ""}, {`body covers { "length_m": 8.20 }`, ""}, {`body json`, ""}, {`body leaks nothing`, ""}, {`body fits schema "boat.schema.json"`, ""},
		{`body is not { "id": 8, ... }`, ""}, {`body same as file "boat.json"`, ""}, {`body same as "made"`, ""}, {`body same as baseline`, ""}, {`body same as "read" except $.tags`, ""}, {`body agrees with sent`, ""},
		{`body same shape as "read"`, ""}, {`body resembles "read"`, ""}, {`$.name same as $.name of "read"`, ""}, {`$.sub lacks { "at": "x" }`, ""}, {`$.sub lacks { "at": "2031-05-17T08:30:00Z" }`, "at"}, {`body covers { "tags": ["a"] }`, "tags"},
		{`body empty`, "bytes"}, {`body same as "read"`, "tags"}, {`body same as sent`, "id"}, {`body resembles "text"`, "text/plain"}, {`body resembles "other"`, "problem+json"}, {`body is { "id": 7 }`, "name"}, {`body same as $.sub of "read"`, "id"},

		{`text contains "Curlew"`, ""}, {`text lacks "Smew"`, ""}, {`text starts with "\{"`, ""}, {`text matches /"id": 7/`, ""}, {`text contains "Smew"`, "the body is"}, {`text lacks "Curlew"`, "Curlew"},
		{`time under 200ms`, ""}, {`size under 1KiB`, ""}, {`time under 100ms`, "150 ms"}, {`size under 10B`, "220 bytes"}, {`answer missing`, "200 OK"},
		{`boats gains 1`, ""}, {`boats gains { "id": 7, ... }`, ""}, {`boats gains 0..1`, ""}, {`boats unchanged`, "gained"}, {`boats loses 1`, "gained"}, {`boats gains 2`, "1 gained"}, {`boats gains { "id": 8, ... }`, "7"}, {`state unchanged`, "boats"},
	} {
		got := Check(subject(boat), claim(t, c.claim))
		require.NoError(t, got.Err, c.claim)
		if c.found == "" {
			assert.True(t, got.Held, "%s: %v", c.claim, got.Found)
			continue
		}
		assert.False(t, got.Held, c.claim)
		assert.Contains(t, strings.Join(got.Found, "\n"), c.found, c.claim)
	}
}

func TestClaimsAboutOtherBodies(t *testing.T) {
	html := `<html><body>Error: at handle (/srv/app.js:12:3)</body></html>`
	for _, c := range []struct{ claim, body, found string }{
		{`body empty`, "", ""}, {`body json`, "", "empty"}, {`$.id is 1`, "", "empty"}, {`body is {}`, "{}", ""}, {`body is []`, "[]", ""},
		{`$.id is 1`, `{"id": 1, "id": 2}`, "twice"}, {`$.id is 1`, `{"id": 1,}`, "JSON"}, {`body leaks nothing`, html, "/srv/app.js"}, {`body json`, html, "JSON"},
		{`xml /boat/name is "Smew"`, `<boat><name>Smew</name></boat>`, ""}, {`xml //name count 2`, `<b><name/><name/></b>`, ""}, {`xml /boat/x missing`, `<boat/>`, ""}, {`xml /boat/x exists`, `<boat/>`, "/boat/x"}, {`xml /boat is "x"`, `<boat`, "XML"},
		{`$ every integer`, `[1, 2]`, ""}, {`$ every integer`, `[]`, ""}, {`$ some integer`, `[]`, "none"}, {`$ sorted`, `[1, 2, 10]`, ""}, {`$ sorted`, `["b", "a"]`, "a"}, {`$ unique`, `[1, 1.0]`, "1"}, {`body fits schema "boat.schema.json"`, `{"id": 12}`, "id"},
		{`text is "bare"`, "bare", ""}, {`text is "bare"`, "bar", "bar"},
	} {
		got := Check(subject(c.body), claim(t, c.claim))
		require.NoError(t, got.Err, c.claim)
		assert.Equal(t, c.found == "", got.Held, "%s of %s: %v", c.claim, c.body, got.Found)
		assert.Contains(t, strings.ToLower(fmt.Sprint(got.Found)), strings.ToLower(c.found), "%s of %s", c.claim, c.body)
	}
}

func TestClaimsThatCannotBeJudged(t *testing.T) {
	failed := NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{Kind: exchange.SlowAnswer, Detail: "no answer within 2s"}})
	c := subject(boat)
	c.Reply = failed
	assert.True(t, Check(c, claim(t, `answer missing`)).Held)
	assert.Contains(t, Check(c, claim(t, `status 200`)).Found[0], "there is no answer")
	c.Reply = nil
	assert.Contains(t, Check(c, claim(t, `status 200`)).Found[0], "nothing was sent")

	var unbound *scope.Unbound
	assert.ErrorAs(t, Check(subject(boat), claim(t, `$.id is {never}`)).Err, &unbound)
	bound := Check(subject(boat), claim(t, `$.id is integer as kept`))
	assert.True(t, bound.Held)
	assert.Equal(t, "7", bound.Bound["kept"].Plain())
}

// No predicate of the language is judged by accident.
func TestEveryPredicateIsImplemented(t *testing.T) {
	for _, f := range syntax.PredicateForms {
		for _, kind := range f.Subjects {
			assert.True(t, implemented(kind, f.Op), "%s %s", kind, f.Op)
		}
	}
	for _, s := range syntax.SubjectForms {
		assert.False(t, implemented(s.Kind, "no such thing"))
	}
	reply := NewReply(&exchange.Exchange{Request: &exchange.Request{}, Answer: &exchange.Answer{Status: 200, Header: http.Header{}, Body: []byte(`{"a": "b"}`)}})
	for _, claim := range []syntax.Claim{
		{Subject: syntax.Subject{Kind: "header", Name: "X"}}, {Subject: syntax.Subject{Kind: "body"}}, {Subject: syntax.Subject{Kind: "nothing"}},
	} {
		claim.Predicate.Op = "no such thing"
		out := Check(&Context{Reply: reply}, &claim)
		assert.ErrorContains(t, out.Err, "a mistake in the tool", claim.Subject.Kind)
	}
}
