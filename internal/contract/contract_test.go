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
		got := strings.Join(d.Check(c.x), "\n")
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

func TestCoverage(t *testing.T) {
	run := func(c *Coverage) []Row {
		for _, x := range []*exchange.Exchange{answered("GET", "/boats?flag=NO", 200, "application/json", `[]`), answered("GET", "/boats", 500, "", ``), answered("GET", "/boats", 500, "", ``), answered("GET", "/boats/7", 404, "", ``), answered("GET", "/cranes/7", 200, "", ``)} {
			c.Event(&event.StepFinished{File: "a.upath", Line: 4, Title: "look", Sent: []event.Sent{{Exchange: x}}})
		}
		c.Event(&event.Notice{})
		return c.Rows()
	}
	c := NewCoverage(document(t, described))
	assert.Equal(t, []Row{
		{Operation: "GET /boats", Requests: 3, Statuses: []string{"200×1", "500×2"}, Missing: []string{"4XX"}, Params: []string{"header X-Pilot"}},
		{Operation: "POST /boats", Missing: []string{"201"}},
		{Operation: "GET /boats/newest", Missing: []string{"204"}},
		{Operation: "GET /boats/{id}", Requests: 1, Statuses: []string{"404×1"}, Missing: []string{"200"}},
	}, run(c))
	require.Len(t, c.Problems(), 2)
	assert.Equal(t, Problem{Text: "GET /boats does not describe the status 500 Internal Server Error", Where: `a.upath:4 step "look"`, N: 2}, *c.Problems()[0])

	bare := NewCoverage(FromOperations("the resources", []string{"GET /boats", "PUT /boats/{id}"}))
	assert.Equal(t, []Row{
		{Operation: "GET /boats", Requests: 3, Statuses: []string{"200×1", "500×2"}},
		{Operation: "PUT /boats/{id}"},
		{Operation: "GET /cranes/…", Requests: 1, Statuses: []string{"200×1"}, Beside: true},
	}, run(bare))
	assert.Empty(t, bare.Problems())
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
				got := strings.Join(d.Check(answered("GET", "/n", 200, "application/json", `{"n": [`+n+`, `+n+`]}`)), "\n")
				if want == "" {
					assert.Empty(t, got)
					return
				}
				assert.Contains(t, got, want)
			})
		}
	}
}
