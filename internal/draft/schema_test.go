package draft

import (
	"encoding/json"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func schemaOf(t *testing.T, text string) *openapi3.SchemaRef {
	t.Helper()
	s := &openapi3.Schema{}
	require.NoError(t, json.Unmarshal([]byte(text), s), text)
	return &openapi3.SchemaRef{Value: s}
}

func TestSchemasBecomeShapesAndSamples(t *testing.T) {
	for _, c := range []struct{ schema, shape, sample string }{
		{`{}`, `any`, `"a boat"`},
		{`{"type":"string"}`, `string`, `"a boat"`},
		{`{"type":"string","format":"date"}`, `date`, `"2031-05-17"`},
		{`{"type":"string","format":"date-time"}`, `datetime`, `"2031-05-17T08:30:00Z"`},
		{`{"type":"string","format":"uuid"}`, `uuid`, `"3f2b8a1e-6c4d-4a5b-9e7f-1d2c3b4a5960"`},
		{`{"type":"string","format":"email"}`, `email`, `"plover@gull-point.example"`},
		{`{"type":"string","minLength":2,"maxLength":4}`, `string length 2..4`, `"a bo"`},
		{`{"type":"string","minLength":12}`, `string length 12..`, `"a boat more more"`},
		{`{"type":"string","pattern":"^[A-Z]{2}$","example":"NO"}`, `/^[A-Z]{2}$/`, `"NO"`},
		{`{"type":"string","pattern":"a/b"}`, `/a\/b/`, `"a/b"`},
		{`{"type":"string","pattern":"^97[89]-[0-9]{10}$"}`, `/^97[89]-[0-9]{10}$/`, `"979-9999999999"`},
		{`{"type":"string","format":"ipv6"}`, `string`, `"::1"`}, {`{"type":"integer","enum":[1,2,3,4,5,6,7,8,9]}`, `integer`, `1`},
		{`{"type":"string","enum":["sail","motor"]}`, `"sail" or "motor"`, `"sail"`},
		{`{"const":7}`, `7`, `7`},
		{`{"type":"boolean"}`, `boolean`, `true`},
		{`{"type":"integer","minimum":5,"maximum":9}`, `integer 5..9`, `5`},
		{`{"type":"integer","maximum":-3}`, `integer ..-3`, `-3`},
		{`{"type":"integer","multipleOf":4}`, `integer`, `4`},
		{`{"type":"number","minimum":2,"exclusiveMinimum":true}`, `number`, `2.5`},
		{`{"type":"number","exclusiveMinimum":2}`, `number`, `2.5`},
		{`{"type":["string","null"]}`, `string or null`, `"a boat"`},
		{`{"type":"integer","nullable":true}`, `integer or null`, `1`},
		{`{"type":"array","items":{"type":"integer"}}`, `array of integer`, `[1]`},
		{`{"type":"array","items":{"type":["integer","null"]}}`, `array`, `[1]`},
		{`{"type":"array","minItems":2,"items":{"type":"boolean"}}`, `array of boolean`, `[true, true]`},
		{`{"type":"object"}`, `object`, `{}`},
		{`{"type":"object","required":["b"],"properties":{"a":{"type":"integer"},"b":{"type":"boolean"},"c":{"type":"string","readOnly":true},"d":{"type":"string","writeOnly":true}}}`,
			`{ "b": boolean, "a"?: integer, "c"?: string, ... }`, `{"b": true, "a": 1, "d": "a d"}`},
		{`{"allOf":[{"type":"object","required":["a"],"properties":{"a":{"type":"integer"}}},{"properties":{"b":{"type":"boolean"}}}]}`,
			`{ "a": integer, "b"?: boolean, ... }`, `{"a": 1, "b": true}`},
		{`{"oneOf":[{"type":"integer"},{"type":"boolean"}]}`, `integer or boolean`, `1`},
		{`{"anyOf":[{"type":"integer"},{}]}`, `any`, `1`},
		{`{"not":{"type":"integer"}}`, `any`, `"a boat"`},
		{`{"type":"object","example":{"a":1.50,"b":2},"properties":{"b":{"readOnly":true}}}`, `{ "b"?: any, ... }`, `{"a": 1.5}`},
	} {
		s := schemaOf(t, c.schema)
		assert.Equal(t, c.shape, shapeOf(s), c.schema)
		want, err := value.Decode(c.sample, value.Limits{})
		require.NoError(t, err)
		got := sample(s, "boats", 0, func(string) {})
		assert.True(t, value.Equal(want, got), "%s: %s", c.schema, got)

		// Whatever is drafted is of the language.
		_, diags := syntax.Parse(source.NewFile("t", "scenario \"s\"\n  step \"t\"\n    send POST /x\n      json "+Body(got)+"\n    expect body is "+shapeOf(s)+"\n"))
		assert.Empty(t, diags, c.schema)
	}
}

func TestASchemaThatHoldsItselfEnds(t *testing.T) {
	node := &openapi3.Schema{Type: &openapi3.Types{"object"}, Required: []string{"next"}}
	ref := &openapi3.SchemaRef{Value: node}
	node.Properties = openapi3.Schemas{"next": ref, "list": {Value: &openapi3.Schema{Type: &openapi3.Types{"array"}, Items: ref}}}
	assert.NotEmpty(t, shapeOf(ref))
	guessed := ""
	assert.NotNil(t, sample(ref, "n", 0, func(s string) { guessed = s }))
	assert.Contains(t, guessed, "nests too deeply")
	endless := &openapi3.Schema{}
	endless.OneOf = openapi3.SchemaRefs{{Value: endless}}
	assert.Equal(t, "any", shapeOf(&openapi3.SchemaRef{Value: endless}))
}

func TestAnItemBecomesExamples(t *testing.T) {
	for _, c := range []struct{ one, other, make, remake, amend string }{
		{`{"id": 1, "name": "Grey Plover", "n": 3}`, `{"id": 2, "name": "Smew", "n": 4}`, `{"name": "Grey Plover {turn}", "n": 3}`, `{"name": "Smew {turn}", "n": 4}`, `{"n": 4}`},
		{`{"id": 1, "name": "Grey Plover", "n": 3}`, `{"id": 1, "name": "Grey Plover", "n": 3}`, `{"name": "Grey Plover {turn}", "n": 3}`, `{"name": "Grey Plover {turn}", "n": 4}`, `{"n": 4}`},
		{`{"id": 1, "title": "a b", "done": false}`, `{"id": 1, "title": "a b", "done": false}`, `{"title": "a b {turn}", "done": false}`, `{"title": "a b {turn}", "done": true}`, `{"done": true}`},
		{`{"id": 1, "label": "a b"}`, `{"id": 1, "label": "a b"}`, `{"label": "a b {turn}"}`, `{"label": "a b more {turn}"}`, ``},
		{`{"_id": "x", "flag": "NO", "updated_at": "2031-01-01T00:00:00Z", "gone": null}`, `{"_id": "y", "flag": "SE"}`, `{"flag": "NO"}`, `{"flag": "SE"}`, `{"flag": "SE"}`},
	} {
		var items []*value.Value
		for _, text := range []string{c.one, c.other} {
			v, err := value.Decode(text, value.Limits{})
			require.NoError(t, err)
			items = append(items, v)
		}
		r := &Resource{Name: "birds", Collection: "/birds", Members: "$[*]", Content: "$", Identity: "$.id"}
		r.examplesFrom(items[0], items[1], Identity(items[0]))
		for got, want := range map[*value.Value]string{r.Make: c.make, r.Remake: c.remake} {
			text := r.example(got)
			assert.JSONEq(t, want, text, c.one)
		}
		if c.amend == "" {
			assert.Nil(t, r.Amend, c.one)
		} else {
			assert.JSONEq(t, c.amend, Body(r.Amend), c.one)
		}
		_, diags := syntax.Parse(source.NewFile("t", r.Text()))
		assert.Empty(t, diags, r.Text())
	}
}
