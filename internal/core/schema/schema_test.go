package schema

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/value"
)

// What does not fit is told with its place, in the order of the value.
func TestCheck(t *testing.T) {
	for _, c := range []struct{ schema, v, want string }{
		{`{}`, `{"a": 1}`, ""},
		{`true`, `1`, ""},
		{`false`, `1`, "$ is not allowed by the schema"},
		{`{"type": "object"}`, `[]`, "$ got array, want object"},
		{`{"required": ["a", "b"]}`, `{"a": 1}`, "$ missing property 'b'"},
		{`{"properties": {"n": {"maximum": 6}}}`, `{"n": 6}`, ""},
		{`{"properties": {"n": {"maximum": 6}}}`, `{"n": 6.0000000000000000000001}`, "$.n maximum: got 6, want 6"},
		{`{"properties": {"in": {"items": {"type": "string"}}}}`, `{"in": ["a", 1, "b", 2]}`, "$.in[1] got number, want string|$.in[3] got number, want string"},
		{`{"items": {"type": "string"}}`, `["a","a","a","a","a","a","a","a","a",1,1]`, "$[9] got number, want string|$[10] got number, want string"},
		{`{"properties": {"0": {"type": "string"}}}`, `{"0": 1}`, "$['0'] got number, want string"},
		{`{"properties": {"b": {"type": "string"}, "a": {"type": "string"}}}`, `{"b": 1, "a": 1}`, "$.a got number, want string|$.b got number, want string"},
		{`{"anyOf": [{"type": "string"}, {"minimum": 3}]}`, `2`, "$ got number, want string|$ minimum: got 2, want 3"},
		{`{"const": 9007199254740993}`, `9007199254740992`, "$ value must be 9007199254740993"},
		{`{"$schema": "http://json-schema.org/draft-07/schema#", "definitions": {"n": {"type": "null"}}, "properties": {"a": {"$ref": "#/definitions/n"}}}`, `{"a": null}`, ""},
	} {
		s, err := Compile("boat.json", c.schema)
		require.NoError(t, err, c.schema)
		v, err := value.Decode(c.v, value.Limits{})
		require.NoError(t, err)
		found, err := s.Check(context.Background(), v)
		require.NoError(t, err)
		assert.Equal(t, c.want, strings.Join(found, "|"), "%s on %s", c.schema, c.v)
	}
}

// A schema that cannot be read says why; nothing is fetched for it.
func TestCompile(t *testing.T) {
	for text, want := range map[string]string{
		`{`:                                     "cut off",
		`{"type": "boat"}`:                      "boat.json",
		`{"$ref": "http://127.0.0.1:1/x.json"}`: "127.0.0.1:1",
		`{"$ref": "#/none"}`:                    "none",
	} {
		_, err := Compile("boat.json", text)
		assert.ErrorContains(t, err, want, text)
	}
}

// What branches again and again is cut off, also where the run has ended.
func TestPatience(t *testing.T) {
	s, err := Compile("boat.json", `{"$ref": "#/$defs/deep", "$defs": {"deep": {"type": ["array", "number"], "anyOf": [{"items": {"$ref": "#/$defs/deep"}}, {"items": {"$ref": "#/$defs/deep"}}, {"const": 1}]}}}`)
	require.NoError(t, err)
	v, err := value.Decode(strings.Repeat("[", 30)+`"x"`+strings.Repeat("]", 30), value.Limits{})
	require.NoError(t, err)
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = s.Check(ended, v)
	assert.ErrorContains(t, err, "it branches too often")
}
