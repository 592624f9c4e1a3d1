package contract

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

const described = `
openapi: 3.1.0
info: { title: t, version: "1" }
servers: [ { url: "http://127.0.0.1/api/v1" } ]
paths:
  /boats:
    get:
      parameters:
        - { name: flag, in: query, schema: { type: string } }
        - { name: X-Pilot, in: header, schema: { type: string } }
      responses:
        "200": { description: d, content: { application/json: { schema: { type: array, items: { $ref: "#/components/schemas/Boat" } } } } }
        "4XX": { description: d, content: { application/problem+json: { schema: { type: object, required: [title] } } } }
    post:
      responses: { "201": { description: d, content: { "application/*": { schema: { $ref: "#/components/schemas/Boat" } } } } }
  /boats/{id}:
    get: { responses: { "200": { description: d }, default: { description: d } } }
  /boats/newest:
    get: { responses: { "204": { description: d } } }
components:
  schemas:
    Boat:
      type: object
      required: [id]
      properties: { id: { type: integer }, secret: { type: string, writeOnly: true }, crew: { type: array, items: { type: object, properties: { n: { type: integer, maximum: 9 } } } } }
`

func document(t *testing.T, text string) *Document {
	t.Helper()
	name := filepath.Join(t.TempDir(), "o.yaml")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	d, err := Load(name)
	require.NoError(t, err)
	return d
}

func answered(method, path string, status int, media, body string) *exchange.Exchange {
	h := http.Header{}
	if media != "" {
		h.Set("Content-Type", media)
	}
	return &exchange.Exchange{Request: &exchange.Request{Method: method, URL: "http://127.0.0.1:4710" + path}, Answer: &exchange.Answer{Status: status, Header: h, Body: []byte(body)}}
}

func texts(list []Departure) string {
	var out []string
	for _, d := range list {
		out = append(out, d.Text)
	}
	return strings.Join(out, "\n")
}

func TestWhatIsNotDescribed(t *testing.T) {
	d := document(t, described)
	const js = "application/json"
	for _, c := range []struct {
		x    *exchange.Exchange
		want string
	}{
		{answered("GET", "/boats", 200, js, `[]`), ""},
		{answered("GET", "/api/v1/boats?flag=NO", 200, js+"; charset=utf-8", `[{"id": 1, "more": true}]`), ""},
		{answered("GET", "/boats", 404, "application/problem+json", `{"title": "no"}`), ""},
		{answered("POST", "/boats", 201, js, `{"id": 1}`), ""},
		{answered("GET", "/boats/7", 503, "text/html", `<p>`), ""},
		{answered("GET", "/boats/newest", 204, "", ``), ""},
		{answered("DELETE", "/boats", 405, "", ``), ""},
		{answered("GET", "/nowhere", 404, "text/html", `x`), ""},
		{answered("HEAD", "/boats", 200, js, ``), ""},
		{answered("OPTIONS", "/boats", 204, "", ``), ""},
		{&exchange.Exchange{Request: &exchange.Request{Method: "GET", URL: "/boats"}, Failure: &exchange.Failure{}}, ""},

		{answered("GET", "/boats", 500, js, `{}`), "GET /boats does not describe the status 500 Internal Server Error"},
		{answered("GET", "/boats/newest", 200, js, `{}`), "GET /boats/newest does not describe the status 200 OK"},
		{answered("GET", "/boats", 200, "text/html", `<p>`), "GET /boats, 200: the answer is text/html, described are application/json"},
		{answered("GET", "/boats", 200, js, `[`), "the body is not JSON"},
		{answered("GET", "/boats", 200, js, `{}`), "body at $: value must be an array"},
		{answered("GET", "/boats", 200, js, `[{"id": "x"}, {"id": "y"}]`), "body at $[*].id: value must be an integer"},
		{answered("GET", "/boats", 200, js, `[{"id": 1, "crew": [{"n": 1}, {"n": 12}]}]`), "body at $[*].crew[*].n: number must be at most 9"},
		{answered("GET", "/boats", 404, "application/problem+json", `{}`), "missing property 'title'"},
		{answered("DELETE", "/boats/7", 204, "", ``), "DELETE /boats/… is answered, and only other methods of that path are described"},
		{answered("GET", "/api/v2/cranes/12", 200, js, `{}`), "GET /api/v2/cranes/… is answered, and no such path is described"},
	} {
		got := texts(d.Check(c.x))
		if c.want == "" {
			assert.Empty(t, got, "%s %s", c.x.Request.Method, c.x.Request.URL)
			continue
		}
		assert.Contains(t, got, c.want)
		assert.Len(t, d.Check(c.x), 1, "each kind once: %s", got)
	}
}

func TestDocumentsThatAreNoneOrFlawed(t *testing.T) {
	assert.Contains(t, document(t, described).Flaw, "path parameters (missing: [id])", "told, and used all the same")
	for text, want := range map[string]string{"[": "not an OpenAPI document", "openapi: '2.0'": "3.0 and 3.1 and Swagger 2.0 are read", "swagger: '2.0'\npaths: 7": "not a Swagger 2.0 document", "openapi: 3.0.0\npaths: { /a: { get: { responses: { '200': { $ref: '#/nope' } } } } }": "not an OpenAPI document"} {
		name := filepath.Join(t.TempDir(), "o.yaml")
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		_, err := Load(name)
		assert.ErrorContains(t, err, want, text)
	}
}

// What keeps a document from being read is left out, and said; the rest is used.
func TestTheRestOfABadDocumentIsUsed(t *testing.T) {
	const good = "  /a: { get: { responses: { '200': { description: d } } } }\n"
	for text, says := range map[string]string{
		"openapi: 3.0.0\ninfo: { title: t, version: '1', description: { a: 1 } }\npaths:\n" + good:                                                                                         "description",
		"openapi: 3.0.0\ninfo: { title: t, version: '1' }\npaths:\n" + good + "  /b: { get: { parameters: [{ in: query, name: q, schema: {}, content: { a/b: {} } }], responses: {} } }\n": "both schema and content",
		"openapi: 3.0.0\ninfo: { title: t, version: '1' }\npaths:\n" + good + "  /b: { get: { responses: { '200': { $ref: '#/none' } } } }\n":                                              "left out: /b (",
		"swagger: '2.0'\ninfo: { title: t, version: '1' }\npaths:\n  x-note: none\n" + strings.Replace(good, "description: d", "description: d, schema: { type: array, items: {} }", 1):    "",
	} {
		d := document(t, text)
		assert.Contains(t, d.Flaw, says, text)
		assert.NotEmpty(t, d.Operations, text)
		assert.Equal(t, "/a", d.Operations[0].Path)
	}
}

func TestCoverage(t *testing.T) {
	run := func(c *Coverage) []event.Touched {
		silent := &exchange.Exchange{Request: &exchange.Request{Method: "GET", URL: "http://127.0.0.1/boats/newest"}, Failure: &exchange.Failure{}}
		c.Event(&event.ScenarioStarted{Title: "looks"})
		for _, x := range []*exchange.Exchange{answered("GET", "/boats?flag=NO", 200, "application/json", `[]`), answered("GET", "/boats", 500, "", ``), answered("GET", "/boats", 500, "", ``), answered("GET", "/boats/7", 404, "", ``), answered("GET", "/cranes/7", 200, "", ``), silent} {
			c.Event(&event.StepFinished{File: "a.upath", Line: 4, Title: "look", Sent: []event.Sent{{Role: event.Main, Exchange: x}}})
		}
		c.Event(&event.Notice{})
		return c.Against().Operations
	}
	c := NewCoverage(document(t, described))
	c.Least = 0.6
	assert.Equal(t, []event.Touched{
		{Operation: "GET /boats", Requests: 3, Statuses: []event.Seen{{Status: 200, Times: 1}, {Status: 500, Times: 2}}, Never: []string{"4XX", "header X-Pilot"}, Parts: 4},
		{Operation: "POST /boats", Never: []string{"201"}, Parts: 1},
		{Operation: "GET /boats/newest", Never: []string{"204"}, Parts: 1},
		{Operation: "GET /boats/{id}", Requests: 1, Statuses: []event.Seen{{Status: 404, Times: 1}}, Never: []string{"200"}, Parts: 2},
	}, run(c), "what was not answered touches nothing")
	a := c.Against()
	require.Len(t, a.Departures, 2)
	assert.Equal(t, event.Departure{Operation: "GET /boats", Status: 500, Text: "GET /boats does not describe the status 500 Internal Server Error", Times: 2, File: "a.upath", Line: 4, Scenario: "looks", Step: "look"}, a.Departures[0])
	assert.Equal(t, "2 of 4 operations touched, 3 of 8 parts of their descriptions; at least 60% are asked for", a.Words())
	assert.True(t, a.Short())

	// Parts of one run are put together.
	whole := &event.Against{}
	whole.Merge(a)
	whole.Merge(a)
	assert.Equal(t, 4, whole.Departures[0].Times)
	assert.Equal(t, event.Seen{Status: 500, Times: 4}, whole.Operations[0].Statuses[1])

	bare := NewCoverage(FromOperations("the resources", []string{"GET /boats", "PUT /boats/{id}"}))
	assert.Equal(t, []event.Touched{
		{Operation: "GET /boats", Requests: 3, Statuses: []event.Seen{{Status: 200, Times: 1}, {Status: 500, Times: 2}}},
		{Operation: "PUT /boats/{id}"},
		{Operation: "GET /cranes/…", Requests: 1, Statuses: []event.Seen{{Status: 200, Times: 1}}, Beside: true},
	}, run(bare))
	assert.Empty(t, bare.Against().Departures)
}

// What a request sends is held against the document where it was served all the same.
func TestRequestsThatAreForbidden(t *testing.T) {
	d := document(t, `
openapi: 3.0.3
info: { title: t, version: "1" }
paths:
  /notes:
    post:
      parameters:
        - { name: lang, in: query, required: true, schema: { type: string, enum: [en, no] } }
        - { name: X-Pilot, in: header, schema: { type: integer } }
        - { name: sid, in: cookie, required: true, schema: { type: string } }
      requestBody: { required: true, content: { application/json: { schema: { type: object, required: [text], properties: { text: { type: string }, id: { type: integer, readOnly: true } } } } } }
      responses: { "201": { description: made } }
`)
	send := func(query, body string, header ...string) *exchange.Exchange {
		x := answered("POST", "/notes"+query, 201, "", "")
		x.Request.Body = []byte(body)
		for i := 0; i < len(header); i += 2 {
			x.Request.Header = append(x.Request.Header, exchange.Field{Name: header[i], Value: header[i+1]})
		}
		return x
	}
	const js, text = "application/json", `{"text": "reef"}`
	for _, c := range []struct {
		x    *exchange.Exchange
		want string
	}{
		{send("?lang=en", text, "Content-Type", js, "Cookie", "a=1; sid=2", "x-pilot", "7"), ""},
		{send("", text, "Content-Type", js, "Cookie", "sid=2"), "the query parameter lang is missing"},
		{send("?lang=de", text, "Content-Type", js, "Cookie", "sid=2"), "the query parameter lang: value is not one of the allowed values"},
		{send("?lang=en", text, "Content-Type", js), "the cookie parameter sid is missing"},
		{send("?lang=en", text, "Content-Type", js, "Cookie", "sid=2", "X-Pilot", "me"), "the header parameter X-Pilot: value must be an integer"},
		{send("?lang=en", "", "Cookie", "sid=2"), "the body is missing"},
		{send("?lang=en", "reef", "Content-Type", "text/plain", "Cookie", "sid=2"), "the body is text/plain, described are application/json"},
		{send("?lang=en", `{}`, "Content-Type", js, "Cookie", "sid=2"), `property "text" is missing`},
	} {
		got := d.Request(c.x)
		if c.want == "" {
			assert.Empty(t, got)
			continue
		}
		require.Len(t, got, 1, "%s: %v", c.want, got)
		assert.True(t, got[0].Warns)
		assert.Contains(t, got[0].Text, c.want)
	}
	refused := send("", "")
	refused.Answer.Status = 400
	assert.Empty(t, d.Request(refused), "what is refused was meant to be")
}

// Numbers are compared digit by digit, far beyond what a float64 tells apart.
func TestLimitsAreExact(t *testing.T) {
	for limit, cases := range map[string]map[string]string{
		"maximum: 9007199254740992":          {"9007199254740992": "", "9007199254740993": "at most 9007199254740992", "-9007199254740993": ""},
		"minimum: 0.1":                       {"0.1": "", "0.10000000000000000001": "", "0.09999999999999999999": "at least 0.1"},
		"exclusiveMinimum: 9007199254740992": {"9007199254740994": "", "9007199254740992": "exclusiveMinimum"},
	} {
		d := document(t, "openapi: 3.1.0\ninfo: { title: t, version: \"1\" }\npaths: { /n: { get: { responses: { \"200\": { description: d, content: { application/json: { schema: { type: object, properties: { n: { type: array, items: { type: number, "+limit+" } } } } } } } } } } }\n")
		for n, want := range cases {
			t.Run(limit+" "+n, func(t *testing.T) {
				got := texts(d.Check(answered("GET", "/n", 200, "application/json", `{"n": [`+n+`, `+n+`]}`)))
				if want == "" {
					assert.Empty(t, got)
					return
				}
				assert.Contains(t, got, want)
			})
		}
	}
}
