package contract

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"
)

// plain is a document as values of JSON.
func plain(data []byte) (map[string]any, error) {
	if !json.Valid(data) {
		var err error
		if data, err = yaml.YAMLToJSON(data); err != nil {
			return nil, err
		}
	}
	var out map[string]any
	if err := json.Unmarshal(data, &out); err != nil {
		return nil, err
	}
	return out, nil
}

// mended is a document without what keeps all of it from being read: texts that are none,
// paths and callbacks that are no objects, parameters with a schema beside a content.
func mended(data []byte) ([]byte, error) {
	doc, err := plain(data)
	if err != nil {
		return nil, err
	}
	clean("", doc)
	return json.Marshal(doc)
}

func clean(under string, v any) {
	switch v := v.(type) {
	case []any:
		for _, it := range v {
			clean("", it)
		}
	case map[string]any:
		if _, both := v["content"]; both && v["schema"] != nil && v["in"] != nil {
			delete(v, "content")
		}
		for n, it := range v {
			_, object := it.(map[string]any)
			switch {
			case (under == "paths" || under == "callbacks") && !object:
				delete(v, n)
			case under != "properties" && under != "schemas" && (n == "description" || n == "summary" || n == "title"):
				if _, text := it.(string); !text {
					delete(v, n)
				}
			default:
				clean(n, it)
			}
		}
	}
}

// withoutBad leaves out the paths that cannot be read by themselves; load tells whether a
// document can be. It gives nil where that does not help.
func withoutBad(data []byte, load func([]byte) error) (rest []byte, bad []string) {
	doc, err := plain(data)
	if err != nil {
		return nil, nil
	}
	paths, _ := doc["paths"].(map[string]any)
	one := func(keep map[string]any) []byte {
		part := map[string]any{}
		for n, v := range doc {
			part[n] = v
		}
		part["paths"] = keep
		text, err := json.Marshal(part)
		if err != nil {
			return nil
		}
		return text
	}
	if load(one(map[string]any{})) != nil || len(paths) > mostMended {
		return nil, nil
	}
	good := map[string]any{}
	for p, item := range paths {
		if err := load(one(map[string]any{p: item})); err != nil {
			bad = append(bad, fmt.Sprintf("%s (%s)", p, strings.TrimSpace(firstLine(err))))
			continue
		}
		good[p] = item
	}
	if len(good) == 0 {
		return nil, nil
	}
	return one(good), bad
}

// mostMended bounds the paths that are looked at one by one.
const mostMended = 300
