package draft

import (
	"encoding/json"
	"fmt"
	"path"
	"strings"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/late"

	"github.com/goccy/go-yaml"
)

// schemaWord finds what only a JSON Schema says at its top.
var schemaWord = late.Regexp(`(?m)^[\s{,]*["']?\$schema["']?\s*:`)

// IsSchema tells whether a text is a JSON Schema by itself, in JSON or YAML.
func IsSchema(data []byte) bool { return schemaWord().Match(data) }

// FromSchema makes an OpenAPI document of a JSON Schema of one item: a collection, named
// after the schema's title or its file, with all that can be done to an item.
func FromSchema(name string, data []byte) ([]byte, error) {
	if err := bound.Document(data); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	asJSON := data
	if !json.Valid(data) {
		var err error
		if asJSON, err = yaml.YAMLToJSON(data); err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", name, err)
		}
	}
	var schema map[string]any
	if err := json.Unmarshal(asJSON, &schema); err != nil {
		return nil, fmt.Errorf("%s is not a JSON Schema: %w", name, err)
	}
	title, _ := schema["title"].(string)
	one := Name(title, "")
	if one == "" {
		base, _, _ := strings.Cut(path.Base(name), ".")
		one = Name(base, "item")
	}
	all := one
	if !strings.HasSuffix(all, "s") {
		all += "s"
	}
	components := map[string]any{}
	for _, word := range []string{"$defs", "definitions"} {
		defs, _ := schema[word].(map[string]any)
		for n, d := range defs {
			components[n] = d
		}
		delete(schema, word)
	}
	for _, word := range []string{"$schema", "$id", "$comment"} {
		delete(schema, word)
	}
	components[one] = schema
	ref := map[string]any{"$ref": "#/components/schemas/" + one}
	content := map[string]any{"application/json": map[string]any{"schema": ref}}
	answer := func(status, says string) map[string]any {
		return map[string]any{status: map[string]any{"description": says, "content": content}}
	}
	id := []any{map[string]any{"name": "id", "in": "path", "required": true, "schema": map[string]any{"type": "string"}}}
	body := map[string]any{"required": true, "content": content}
	doc := map[string]any{"openapi": "3.1.0", "info": map[string]any{"title": all, "version": "1"}, "components": map[string]any{"schemas": components}, "paths": map[string]any{
		"/" + all: map[string]any{
			"get": map[string]any{"responses": map[string]any{"200": map[string]any{"description": "all", "content": map[string]any{"application/json": map[string]any{
				"schema": map[string]any{"type": "array", "items": ref}}}}}},
			"post": map[string]any{"requestBody": body, "responses": answer("201", "made")}},
		"/" + all + "/{id}": map[string]any{"parameters": id,
			"get":    map[string]any{"responses": answer("200", "one")},
			"put":    map[string]any{"requestBody": body, "responses": answer("200", "replaced")},
			"delete": map[string]any{"responses": map[string]any{"204": map[string]any{"description": "removed"}}}},
	}}
	out, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	return []byte(strings.NewReplacer(`"#/$defs/`, `"#/components/schemas/`, `"#/definitions/`, `"#/components/schemas/`, `"$ref":"#"`, `"$ref":"#/components/schemas/`+one+`"`).Replace(string(out))), nil
}
