package tests

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// valid is a service that stores what a JSON Schema allows, and refuses all else.
type valid struct {
	mu     sync.Mutex
	schema *jsonschema.Schema
	items  map[string]map[string]any
}

func (v *valid) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	v.mu.Lock()
	defer v.mu.Unlock()
	say := func(status int, body any) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		if body != nil {
			_ = json.NewEncoder(w).Encode(body)
		}
	}
	id := strings.TrimPrefix(strings.TrimPrefix(r.URL.Path, "/things"), "/")
	item, there := v.items[id]
	if id != "" && !there {
		say(404, map[string]any{"status": 404, "title": "there is no such thing"})
		return
	}
	if r.Method == "GET" || r.Method == "HEAD" || r.Method == "DELETE" {
		switch {
		case id == "":
			list := []any{}
			for _, one := range v.items {
				list = append(list, one)
			}
			say(200, list)
		case r.Method == "DELETE":
			delete(v.items, id)
			say(204, nil)
		default:
			say(200, item)
		}
		return
	}
	data, _ := io.ReadAll(r.Body)
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	var in map[string]any
	if err := d.Decode(&in); err != nil || d.More() {
		say(400, map[string]any{"status": 400, "title": "the body is not an object"})
		return
	}
	if r.Method == "PATCH" {
		whole := map[string]any{}
		for n, one := range item {
			if n != "id" {
				whole[n] = one
			}
		}
		for n, one := range in {
			if whole[n] = one; one == nil {
				delete(whole, n)
			}
		}
		in = whole
	}
	delete(in, "id")
	if err := v.schema.Validate(in); err != nil {
		say(422, map[string]any{"status": 422, "title": "not valid", "detail": strings.ReplaceAll(err.Error(), "\n", "; ")})
		return
	}
	if id == "" {
		id = uuid.NewString()
		w.Header().Set("Location", "/things/"+id)
		in["id"] = id
		v.items[id] = in
		say(201, in)
		return
	}
	in["id"] = id
	v.items[id] = in
	say(200, in)
}

// Against a service that is exactly what its schema says, no check of limits is
// ever missed, whatever the schema says; one step off in the file is found.
func TestLimitsOfSchemas(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	for name, c := range map[string]struct{ member, example, other, wrong string }{
		"a text with lengths":      {`{"type": "string", "minLength": 2, "maxLength": 12}`, `"Tern"`, `"Gull"`, "string length 2..13"},
		"a pattern":                {`{"type": "string", "pattern": "^[A-F][1-9]{1,2}$"}`, `"A1"`, `"B2"`, "/^[A-C][1-9]$/"},
		"a whole number":           {`{"type": "integer", "minimum": -3, "maximum": 9007199254740993}`, `4`, `5`, "integer -4..9"},
		"a number with open ends":  {`{"type": "number", "exclusiveMinimum": 0, "exclusiveMaximum": 0.25}`, `0.1`, `0.2`, "number 0..0.25"},
		"alternatives":             {`{"enum": ["A4", "A5", 7, null]}`, `"A4"`, `"A5"`, `"A4" or "a4" or "A5" or 7`},
		"a constant":               {`{"const": "only"}`, `"only"`, `"only"`, `"only" or "other"`},
		"true or false":            {`{"type": "boolean"}`, `true`, `false`, "boolean or null"},
		"a list":                   {`{"type": "array", "minItems": 1, "maxItems": 3, "items": {"type": "string", "minLength": 1, "maxLength": 5}}`, `["a", "b"]`, `["c"]`, "array count 1..4 of string length 1..5"},
		"a nested object":          {`{"type": "object", "properties": {"place": {"type": "string", "maxLength": 9}, "year": {"type": "integer", "minimum": 1800}}, "required": ["place"]}`, `{ "place": "Riga", "year": 1911 }`, `{ "place": "Oslo" }`, `{ "place": string length ..10, "year"?: integer 1800.., ... }`},
		"a nullable text":          {`{"type": ["string", "null"], "maxLength": 4}`, `"ab"`, `null`, "string length ..5 or null"},
		"a date":                   {`{"type": "string", "format": "date"}`, `"2027-01-02"`, `"2027-01-03"`, `string`},
		"a time of a day and zone": {`{"type": "string", "format": "date-time"}`, `"2027-01-02T03:04:05Z"`, `"2027-01-02T03:04:06Z"`, "string length 1..30"},
		"an address":               {`{"type": "string", "format": "email"}`, `"ada@gull.example"`, `"bob@gull.example"`, "string length 1..60"},
		"one of two types":         {`{"oneOf": [{"type": "integer", "minimum": 1}, {"type": "string", "minLength": 3, "maxLength": 6}]}`, `5`, `"five"`, "integer 0.. or string length 3..6"},
	} {
		t.Run(name, func(t *testing.T) {
			text := `{"$schema": "https://json-schema.org/draft/2020-12/schema", "type": "object", "properties": {"name": {"type": "string", "minLength": 1, "maxLength": 40}, "it": ` + c.member + `}, "required": ["name"], "additionalProperties": false}`
			doc, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
			require.NoError(t, err)
			compiler := jsonschema.NewCompiler()
			compiler.AssertFormat()
			require.NoError(t, compiler.AddResource("things.json", doc))
			schema, err := compiler.Compile("things.json")
			require.NoError(t, err)
			base := service(t, (&valid{schema: schema, items: map[string]map[string]any{"kept": {"id": "kept", "name": "a user's", "it": json.RawMessage("1")}}}).ServeHTTP)
			file := fmt.Sprintf("resource things\n  collection /things\n  make { \"name\": \"Tern {turn}\", \"it\": %s }\n  remake { \"name\": \"Tern {turn}\", \"it\": %s }\n  amend { \"it\": %s }\n  assigned id\n  supports list, create, read, replace, amend, delete\n  takes ", c.example, c.other, c.other)
			dir := folder(t, "things.json", text, "things.upath", file+"schema \"things.json\"\n", "off.upath", file+"{ \"name\": string length 1..40, \"it\"?: "+c.wrong+" }\n")
			for _, more := range [][]string{nil, {"--thorough"}} {
				r, found := missed(t, dir, append([]string{"run", "things.upath", "--base", base, "--family", "limits", "--check", "input/wrong-type,input/null-member,input/missing-member", "--level", "usual"}, more...)...)
				assert.Empty(t, found, r.out)
				assert.Equal(t, 0, r.code, r.out+r.err)
				assert.NotContains(t, r.out, "left on the service")
			}
			r, found := missed(t, dir, "run", "off.upath", "--base", base, "--family", "limits", "--level", "usual")
			if c.wrong != "string" {
				assert.NotEmpty(t, found, r.out)
			}
		})
	}
}

// What the examples hold and what the resource takes must agree.
func TestExamplesFitWhatIsTaken(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	head := "resource boats\n  collection /boats\n  make { \"name\": \"Tern {turn}\", \"m\": 7 }\n"
	dir := folder(t, "s.json", `{"type": "object", "properties": {"name": {"$ref": "#/$defs/name"}, "id": {"type": "integer", "readOnly": true}}, "$defs": {"name": {"type": "string", "maxLength": 3}}, "additionalProperties": false}`, "bad.json", `{"type": "array"}`)
	for takes, says := range map[string]string{
		`takes { "name": string length 1..60, "m": number > 0 <= 60 }`: "nothing to say",
		`takes { "name": string length 1..5, "m": number }`:            "`make` has a `name` that the resource does not take: expected string length 1..5, found 11 characters",
		`takes { "name": string, "m": number ..6 }`:                    "has a `m` that the resource does not take",
		`takes { "name": string }`:                                     "`make` has `m`, which the resource does not take",
		`takes { "name": string, ... }`:                                "nothing to say",
		`takes { "name": string, "m": number, "flag": "DK" }`:          "`make` lacks `flag`, which `takes` asks for",
		`takes string`:             "what a body may hold is an object",
		`takes schema "s.json"`:    "`make` has a `name` that the resource does not take",
		`takes schema "bad.json"`:  "it describes no object with `properties`",
		`takes schema "none.json"`: "the schema cannot be read",
		"amend { \"m\": \"x\" }\n  takes { \"name\": string, \"m\": number }":          "`amend` has a `m` that the resource does not take",
		"remake { \"name\": \"Tern {turn}\" }\n  takes { \"name\": string, \"m\": 7 }": "`remake` lacks `m`",
	} {
		file := folder(t, "a.upath", head+"  "+takes+"\n", "s.json", text(t, dir, "s.json"), "bad.json", text(t, dir, "bad.json"))
		r := run(t, file, "lint")
		assert.Contains(t, strings.Join(strings.Fields(r.out+r.err), " "), strings.Join(strings.Fields(says), " "), takes)
	}
}
