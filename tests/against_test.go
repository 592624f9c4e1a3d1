package tests

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// promise is what a document says of one answer, an answer that keeps it, and one that
// does not: "STATUS | Header: v | … | body", where the status may be left out.
type promise struct{ says, kept, broken string }

// js is the description of a JSON answer, in JSON.
func js(schema string) string {
	return `{"200":{"description":"d","content":{"application/json":{"schema":` + schema + `}}}}`
}

// head is the description of an answer with a header.
func head(name, header string) string {
	return `{"200":{"description":"d","headers":{"` + name + `":` + header + `}}}`
}

// promises are those that both versions know; by version those that they write in
// another way.
func promises(version string) []promise {
	out := []promise{
		{js(`{"type":"integer"}`), `7`, `"7"`}, {js(`{"type":"integer"}`), `7`, `7.5`}, {js(`{"type":"number"}`), `7.5`, `true`}, {js(`{"type":"boolean"}`), `true`, `"true"`}, {js(`{"type":"string"}`), `"a"`, `1`},
		{js(`{"type":"array","items":{"type":"string"}}`), `["a"]`, `["a",1]`}, {js(`{"type":"array"` + `,"items":{},"minItems":2}`), `[1,2]`, `[1]`}, {js(`{"type":"array","items":{},"maxItems":2}`), `[1,2]`, `[1,2,3]`}, {js(`{"type":"array","items":{},"uniqueItems":true}`), `[1,2]`, `[1,1]`},
		{js(`{"type":"object"}`), `{}`, `[]`}, {js(`{"type":"object","required":["a"]}`), `{"a":1}`, `{}`}, {js(`{"type":"object","properties":{"a":{"type":"string"}}}`), `{"b":1}`, `{"a":1}`}, {js(`{"type":"object","additionalProperties":false,"properties":{"a":{}}}`), `{"a":1}`, `{"b":1}`},
		{js(`{"type":"object","additionalProperties":{"type":"integer"}}`), `{"b":1}`, `{"b":"x"}`}, {js(`{"type":"object","minProperties":1}`), `{"a":1}`, `{}`}, {js(`{"type":"object","maxProperties":1}`), `{"a":1}`, `{"a":1,"b":2}`},
		{js(`{"type":"object","properties":{"a":{"type":"object","properties":{"b":{"type":"array","items":{"type":"object","required":["c"]}}}}}}`), `{"a":{"b":[{"c":1}]}}`, `{"a":{"b":[{"c":1},{}]}}`},
		{js(`{"type":"object","properties":{"w":{"type":"string","writeOnly":true}}}`), `{}`, `{"w":"shown"}`},
		{js(`{"type":"string","minLength":2}`), `"ab"`, `"a"`}, {js(`{"type":"string","maxLength":2}`), `"åø"`, `"abc"`}, {js(`{"type":"string","pattern":"^[A-Z]+$"}`), `"NO"`, `"no"`}, {js(`{"type":"string","enum":["a","b"]}`), `"a"`, `"c"`},
		{js(`{"type":"integer","minimum":3}`), `3`, `2`}, {js(`{"type":"integer","maximum":3}`), `3`, `4`}, {js(`{"type":"integer","multipleOf":3}`), `6`, `7`}, {js(`{"type":"number","maximum":9007199254740992}`), `9007199254740992`, `9007199254740993`},
		{js(`{"type":"number","minimum":0.1}`), `0.1`, `0.09999999999999999999`}, {js(`{"type":"integer","format":"int32"}`), `2147483647`, `2147483648`}, {js(`{"type":"integer","format":"int64"}`), `-9223372036854775808`, `9223372036854775808`},
		{js(`{"type":"string","format":"date"}`), `"2028-02-29"`, `"2027-02-29"`}, {js(`{"type":"string","format":"date-time"}`), `"2027-01-01T08:00:00.5+02:00"`, `"2027-01-01 at eight"`}, {js(`{"type":"string","format":"time"}`), `"08:00:00Z"`, `"25:00"`}, {js(`{"type":"string","format":"uuid"}`), `"3f2b8a1e-6c4d-4a5b-9e7f-1d2c3b4a5960"`, `"3f2b8a1e"`},
		{js(`{"type":"string","format":"email"}`), `"smew@gull-point.example"`, `"smew at gull point"`}, {js(`{"type":"string","format":"uri"}`), `"https://gull-point.example/a?b"`, `"not a link"`}, {js(`{"type":"string","format":"ipv4"}`), `"127.0.0.1"`, `"127.0.0.256"`}, {js(`{"type":"string","format":"ipv6"}`), `"::1"`, `"12345::"`},
		{js(`{"type":"string","format":"hostname"}`), `"gull-point.example"`, `"-gull-.example"`}, {js(`{"type":"string","format":"byte"}`), `"cGxvdmVy"`, `"*plover*"`}, {js(`{"type":"array","items":{"type":"object","properties":{"mail":{"type":"string","format":"email"}}}}`), `[{"mail":"a@b.example"}]`, `[{"mail":"a@b.example"},{"mail":"a"}]`},
		{js(`{"allOf":[{"type":"object","required":["a"]},{"type":"object","properties":{"b":{"type":"integer"}}}]}`), `{"a":1,"b":2}`, `{"a":1,"b":"2"}`}, {js(`{"oneOf":[{"type":"integer"},{"type":"boolean"}]}`), `1`, `"1"`}, {js(`{"oneOf":[{"type":"integer"},{"type":"integer","minimum":5}]}`), `4`, `6`}, {js(`{"anyOf":[{"type":"integer","minimum":3},{"type":"string"}]}`), `"x"`, `2`}, {js(`{"not":{"type":"string"}}`), `1`, `"x"`},
		// Statuses, media types, bodies.
		{js(`{}`), `1`, `201 | 1`}, {js(`{}`), `1`, `Content-Type: text/html | <p>`}, {js(`{"type":"object"}`), `{}`, `{"a":`}, {js(`{"type":"object"}`), `{}`, ``}, {`{"2XX":{"description":"d"}}`, `202 |`, `302 |`}, {`{"204":{"description":"d"}}`, `204 |`, `200 | 1`}, {`{"default":{"description":"d","content":{"application/json":{"schema":{"type":"object"}}}}}`, `418 | {}`, `418 | []`},
		{`{"200":{"description":"d","content":{"application/*":{"schema":{"type":"object"}}}}}`, `{}`, `[]`}, {`{"200":{"description":"d","content":{"*/*":{}}}}`, `Content-Type: text/csv | a,b`, `404 | {}`},
		{`{"200":{"description":"d","content":{"application/json":{"schema":{"type":"object"}},"application/json; version=2":{"schema":{"type":"array","items":{}}},"*/*":{}}}}`, `Content-Type: application/json; version=2 | []`, `Content-Type: application/json; version=2 | {}`},
		{`{"200":{"description":"d","content":{"application/vnd.gull+json":{"schema":{"type":"object","required":["a"]}}}}}`, `Content-Type: application/vnd.gull+json; charset=utf-8 | {"a":1}`, `Content-Type: application/vnd.gull+json | {}`},
		// Headers.
		{head("X-Left", `{"required":true,"schema":{"type":"integer"}}`), `X-Left: 3 | 1`, `1`}, {head("X-Left", `{"schema":{"type":"integer"}}`), `1`, `X-Left: many | 1`}, {head("X-Left", `{"schema":{"type":"integer","minimum":0}}`), `X-Left: 0 | 1`, `X-Left: -1 | 1`}, {head("Location", `{"required":true,"schema":{"type":"string"}}`), `Location: /a | 1`, `1`}, {head("Location", `{"schema":{"type":"string","format":"uri"}}`), `Location: http://127.0.0.1/a | 1`, `Location: a b | 1`},
		{head("Set-Cookie", `{"required":true,"schema":{"type":"string"}}`), `Set-Cookie: a=b | 1`, `1`}, {head("X-Id", `{"schema":{"type":"string","format":"uuid"}}`), `X-Id: 3f2b8a1e-6c4d-4a5b-9e7f-1d2c3b4a5960 | 1`, `X-Id: 7 | 1`}, {head("X-Way", `{"schema":{"type":"string","enum":["up","down"]}}`), `X-Way: up | 1`, `X-Way: left | 1`}, {head("X-Ids", `{"schema":{"type":"array","items":{"type":"integer"}}}`), `X-Ids: 1, 2 | 1`, `X-Ids: 1, b | 1`}, {head("X-On", `{"schema":{"type":"boolean"}}`), `X-On: true | 1`, `X-On: yes | 1`},
		{head("ETag", `{"required":true,"schema":{"type":"string","pattern":"^\"[0-9]+\"$"}}`), `ETag: "7" | 1`, `ETag: W/"7" | 1`},
	}
	if version < "3.1" {
		return append(out, promise{js(`{"type":"integer","minimum":3,"exclusiveMinimum":true}`), `4`, `3`}, promise{js(`{"type":"string","nullable":true}`), `null`, `1`}, promise{js(`{"type":"string"}`), `"a"`, `null`})
	}
	return append(out, promise{js(`{"type":"integer","exclusiveMinimum":3}`), `4`, `3`}, promise{js(`{"type":["string","null"]}`), `null`, `1`}, promise{js(`{"const":"a"}`), `"a"`, `"b"`},
		promise{js(`{"type":"array","prefixItems":[{"type":"integer"}]}`), `[1,"x"]`, `["x"]`}, promise{js(`{"type":"object","dependentRequired":{"a":["b"]}}`), `{"b":1}`, `{"a":1}`}, promise{js(`{"if":{"type":"integer"},"then":{"minimum":3}}`), `3`, `2`}, promise{js(`{"type":"array","contains":{"const":1}}`), `[2,1]`, `[2]`})
}

// says answers as a promise has it.
func says(w http.ResponseWriter, text string) {
	parts := strings.Split(text, " | ")
	if strings.HasSuffix(text, " |") {
		parts = append(strings.Split(strings.TrimSuffix(text, " |"), " | "), "")
	}
	status := 200
	w.Header().Set("Content-Type", "application/json")
	for _, p := range parts[:len(parts)-1] {
		if n, err := strconv.Atoi(p); err == nil {
			status = n
			continue
		}
		n, v, _ := strings.Cut(p, ": ")
		w.Header().Set(n, v)
	}
	w.WriteHeader(status)
	if status != 204 {
		_, _ = w.Write([]byte(parts[len(parts)-1]))
	}
}

// Each departure is found, and a failure in the report that CI reads; a service that keeps
// to its document has none.
func TestPlantedDeparturesAreFound(t *testing.T) {
	t.Parallel()
	for _, version := range []string{"3.0.3", "3.1.0"} {
		list := promises(version)
		assert.GreaterOrEqual(t, len(list), 60)
		paths := map[string]any{}
		steps := ""
		for i, p := range list {
			at := fmt.Sprintf("/p%02d", i)
			paths[at] = map[string]any{"get": map[string]any{"responses": json.RawMessage(p.says)}}
			steps += fmt.Sprintf("  step \"%d\"\n    send GET %s\n    expect status 1xx or 2xx or 3xx or 4xx\n", i, at)
		}
		doc, err := json.Marshal(map[string]any{"openapi": version, "info": map[string]any{"title": "t", "version": "1"}, "paths": paths})
		require.NoError(t, err)
		for _, broken := range []bool{false, true} {
			base := service(t, func(w http.ResponseWriter, r *http.Request) {
				i, _ := strconv.Atoi(strings.TrimPrefix(r.URL.Path, "/p"))
				text := list[i].kept
				if broken {
					text = list[i].broken
				}
				says(w, text)
			})
			dir := folder(t, "o.json", string(doc), "a.upath", scenario(base, steps))
			r := run(t, dir, "run", "a.upath", "--against", "o.json", "--report", "junit=r.xml", "--save", "r.jsonl")
			var suites struct {
				Failures int `xml:"failures,attr"`
				Suite    []struct {
					Name string `xml:"name,attr"`
					Case []struct {
						Name    string    `xml:"name,attr"`
						Failure *struct{} `xml:"failure"`
					} `xml:"testcase"`
				} `xml:"testsuite"`
			}
			data, err := os.ReadFile(filepath.Join(dir, "r.xml"))
			require.NoError(t, err)
			require.NoError(t, xml.Unmarshal(data, &suites))
			found := map[string][]string{}
			for _, s := range suites.Suite {
				for _, c := range s.Case {
					if c.Failure != nil {
						at, _, _ := strings.Cut(strings.TrimPrefix(c.Name, "GET "), ",")
						at, _, _ = strings.Cut(at, " ")
						found[at] = append(found[at], c.Name)
					}
				}
			}
			if !broken {
				assert.Equal(t, 0, r.code, r.out)
				assert.Empty(t, found, version)
				assert.Equal(t, 0, suites.Failures)
				continue
			}
			assert.Equal(t, 1, r.code)
			for i, p := range list {
				assert.NotEmpty(t, found[fmt.Sprintf("/p%02d", i)], "%s: %s answered %s", version, p.says, p.broken)
			}
			record := read(t, dir, "r.jsonl")
			assert.Contains(t, record, `{"event":"against","against":{"document":"o.json","departures":[`)
		}
	}
}

// What departs newly is told by a comparison of two records.
func TestNewDeparturesAreCompared(t *testing.T) {
	t.Parallel()
	doc := `{"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{"/n":{"get":{"responses":{"200":{"description":"d","content":{"application/json":{"schema":{"type":"integer"}}}}}}}}}`
	answer := "7"
	base := service(t, func(w http.ResponseWriter, _ *http.Request) { says(w, answer) })
	dir := folder(t, "o.json", doc, "a.upath", scenario(base, "  step \"n\"\n    send GET /n\n    expect status 200\n"))
	assert.Equal(t, 0, run(t, dir, "run", "--against", "o.json", "--save", "one.jsonl").code)
	answer = `"seven"`
	r := run(t, dir, "run", "--against", "o.json", "--save", "two.jsonl", "--coverage-min", "100%")
	assert.Equal(t, 1, r.code, r.out)
	r = run(t, dir, "compare", "one.jsonl", "two.jsonl")
	assert.Equal(t, 1, r.code, r.out+r.err)
	assert.Contains(t, r.out, "GET /n, 200: body at $")
	for share, says := range map[string]string{"120%": "is not a share", "much": "is not a share"} {
		r = run(t, dir, "run", "--against", "o.json", "--coverage-min", share)
		assert.Equal(t, 2, r.code)
		assert.Contains(t, r.err, says)
	}
}
