package tests

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tidy holds that what was drafted is what fmt and lint are content with.
func tidy(t *testing.T, dir string) {
	t.Helper()
	for _, args := range [][]string{{"fmt", "--check"}, {"lint"}} {
		r := run(t, dir, args...)
		require.Equal(t, 0, r.code, "%v\n%s%s", args, r.out, r.err)
		require.NotContains(t, r.err, "warning", "%v", args)
	}
}

// read is the text of a file.
func read(t *testing.T, at ...string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(at...))
	require.NoError(t, err)
	return string(data)
}

func TestNewRunsAsItStands(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("PATH", filepath.Dir(program)+string(os.PathListSeparator)+os.Getenv("PATH"))
	r := run(t, dir, "new")
	require.Equal(t, 0, r.code, r.err)
	tidy(t, dir)
	r = run(t, dir, "run")
	require.Equal(t, 0, r.code, r.out+r.err)
	require.Contains(t, r.out, "1 scenario: 1 held")
	require.Contains(t, r.out, "102 held")

	// Nothing is written over, and nothing beside what is there.
	require.NoError(t, os.Remove(filepath.Join(dir, "project.upath")))
	before, err := os.ReadFile(filepath.Join(dir, "boats.upath"))
	require.NoError(t, err)
	r = run(t, dir, "new")
	require.Equal(t, 2, r.code)
	require.Contains(t, r.err, "1 file would be written over: boats.upath; nothing was written")
	after, err := os.ReadFile(filepath.Join(dir, "boats.upath"))
	require.NoError(t, err)
	require.Equal(t, string(before), string(after))
	require.NoFileExists(t, filepath.Join(dir, "project.upath"))
}

func TestNewFromAService(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	base := gullPoint(t)
	for _, c := range []struct {
		collection string
		writes     bool
		want, told []string
		run        string
	}{
		{"/boats", true, []string{"resource boats\n  collection /boats\n", "{turn}", "assigned   id, registered_at", "required   name, length_m", "supports   list, read, create, replace, amend, delete"}, nil, "1 held"},
		{"/boats", false, []string{"make "}, []string{"not tried"}, "1 held"},
		{"/berths", true, []string{"identity   $.code", "supports   list, read\n"}, []string{"identity chosen"}, "33 held"},
		{"/tides", false, []string{"identity   $.day", "supports   list, read\n"}, nil, "33 held"},
	} {
		dir := t.TempDir()
		args := []string{"new", ".", "--from-service", base + c.collection}
		if c.writes {
			args = append(args, "--writes")
		}
		before := boats(t, base)
		r := run(t, dir, args...)
		require.Equal(t, 0, r.code, r.err)
		require.Equal(t, before, boats(t, base), "nothing stays behind")
		tidy(t, dir)
		text, err := os.ReadFile(filepath.Join(dir, strings.Trim(c.collection, "/")+".upath"))
		require.NoError(t, err)
		for _, w := range c.want {
			assert.Contains(t, string(text), w)
		}
		for _, w := range c.told {
			assert.Contains(t, r.out, w)
		}
		r = run(t, dir, "run")
		assert.Equal(t, 0, r.code, r.out)
		assert.Contains(t, r.out, c.run)
	}
}

func boats(t *testing.T, base string) string {
	t.Helper()
	r := run(t, t.TempDir(), "try", "GET", base+"/boats")
	require.Equal(t, 0, r.code, r.err)
	_, body, _ := strings.Cut(r.out, "[")
	return body
}

func TestNewFromOpenAPI(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	base := gullPoint(t)
	text, err := os.ReadFile("../examples/openapi.yaml")
	require.NoError(t, err)
	dir := folder(t, "openapi.yaml", string(text))
	r := run(t, dir, "new", "drafted", "--from-openapi", "openapi.yaml", "--base", base)
	require.Equal(t, 0, r.code, r.err)
	for _, w := range []string{"wrote drafted/boats.upath", "API_TOKEN", "identity chosen", "one-pixel.png\n", "5 resources, 13 scenarios for 28 operations"} {
		assert.Contains(t, r.out, w)
	}
	drafted := filepath.Join(dir, "drafted")
	assert.NotContains(t, r.out, "left out")
	tidy(t, drafted)
	r = run(t, drafted, "run", "boats.upath", "berths.upath", "tides.upath", "operations.upath", "--against", "../openapi.yaml")
	assert.NotContains(t, r.out, "failed")
	assert.NotContains(t, r.out, "does not describe")
	assert.Contains(t, r.out, "of 28 operations touched")
	boats, err := os.ReadFile(filepath.Join(drafted, "boats.upath"))
	require.NoError(t, err)
	for _, w := range []string{"under      boats\n", "collection /boats/{boats.id}/stays", "required   name, length_m", `"from": "{in_days(turn)}"`, "as application/merge-patch+json", "send GET /boats/{boat_id}/stays"} {
		assert.Contains(t, string(boats), w)
	}

	for text, want := range map[string]string{
		"[1":                          "not an OpenAPI document",
		`{"openapi":"2.0","info":{}}`: "3.0 and 3.1",
		`{"swagger":"2.0"}`:           "describes no operation",
		`{"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{}}`:                                                                 "describes no operation",
		`{"openapi":"3.0.0","info":{"title":"t","version":"1"},"paths":{"/a":{"get":{"responses":{"200":{"$ref":"/etc/passwd#/x"}}}}}}`:     "outside the document's folder",
		`{"openapi":"3.0.0","info":{"title":"t","version":"1"},"paths":{"/a":{"get":{"responses":{"200":{"$ref":"http://192.0.2.1/x"}}}}}}`: "is not read",
	} {
		dir := folder(t, "o.json", text)
		r := run(t, dir, "new", "d", "--from-openapi", "o.json")
		assert.Equal(t, 2, r.code, text)
		assert.Contains(t, r.err, want, text)
		assert.NoDirExists(t, filepath.Join(dir, "d"))
	}
}

func TestAgainstADocument(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../examples/openapi.yaml")
	require.NoError(t, err)
	half := `{"openapi":"3.1.0","info":{"title":"half","version":"1"},"paths":{"/boats":{"get":{"parameters":[{"name":"flag","in":"query","schema":{}},{"name":"X-Pilot","in":"header","schema":{}}],
		"responses":{"200":{"description":"x","content":{"application/json":{"schema":{"type":"array","items":{"properties":{"id":{"type":["string","null"]}}}}}}}}}}}}`
	steps := "  step \"list\"\n    send GET /boats\n  step \"none\"\n    send GET /boats/0\n  step \"make\"\n    send POST /boats\n      json { \"name\": \"Smew\", \"length_m\": 4 }\n    keep b from $.id\n  step \"look\"\n    send GET /boats/{b}?x=1\n  step \"end\"\n    send DELETE /boats/{b}\n"
	for _, c := range []struct {
		document, fault string
		want            []string
		code            int
	}{
		{string(text), "", []string{"4 of 28 operations touched", "GET /boats/{id}", "200×1  404×1", "never 304, default, query flag", "of 83 parts of their descriptions"}, 0},
		{string(text), "missing-is-html", []string{"1 departure from o.yaml", "GET /boats/{id}, 404: the answer is text/html, described are application/problem+json", "once, first in a.upath:6"}, 1},
		{string(text), "create-answers-200", []string{"POST /boats, 200: the answer is application/json"}, 1},
		{string(text), "list-is-wrapped-object", []string{"GET /boats, 200: body at $: value must be an array"}, 1},
		{half, "", []string{"body at $[*].id: got number, want null or string", "POST /boats is answered, and only other methods of that path", "GET /boats/… is answered, and no such path", "never header X-Pilot, query flag"}, 1},
	} {
		var faults []string
		if c.fault != "" {
			faults = append(faults, c.fault)
		}
		base := gullPoint(t, faults...)
		dir := folder(t, "o.yaml", c.document, "a.upath", scenario(base, steps))
		r := run(t, dir, "run", "a.upath", "--against", "o.yaml")
		assert.Equal(t, c.code, r.code, r.out+r.err)
		for _, w := range c.want {
			assert.Contains(t, r.out, w, c.fault)
		}
	}
	r := run(t, folder(t, "a.upath", scenario("http://127.0.0.1:1", steps)), "run", "--against", "none.yaml")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "there is no file none.yaml")

	// Without a document the resources say what there is.
	base := gullPoint(t)
	r = run(t, folder(t, "a.upath", "base "+base+"\n\nresource boats\n  collection /boats\n  make { \"name\": \"Smew {turn}\", \"length_m\": 4 }\n  remake { \"name\": \"Smew {turn}\", \"length_m\": 5 }\n  supports list, create, read, replace, delete\n"), "run", "--coverage", "--check", "lifecycle/deleted-is-gone")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "coverage of the resources  4 of 5 operations touched", "the list is looked at before something is made")
	assert.Contains(t, r.out, "○ PUT /boats/{id}     no request")
}

// A part of a document is chosen; what it has newly is added, and what a person changed
// or removed stays so.
func TestNewChoosesAndUpdates(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../examples/openapi.yaml")
	require.NoError(t, err)
	at := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/openapi.yaml" {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		_, _ = w.Write(text)
	})
	dir := folder(t, "openapi.yaml", string(text))
	r := run(t, dir, "new", "--from-openapi", "openapi.yaml", "--list", "--path", "/berths")
	assert.Contains(t, r.out, "GET     /berths/{code}")
	assert.Contains(t, r.out, "5 operations")
	r = run(t, dir, "new", "d", "--from-openapi", at+"/openapi.yaml", "--path", "/boats")
	require.Equal(t, 0, r.code, r.err)
	assert.NoFileExists(t, filepath.Join(dir, "d", "berths.upath"))
	boats := read(t, dir, "d", "boats.upath")
	// A person mends one thing, and drops another.
	mended := strings.Replace(boats[:strings.Index(boats, "\nscenario \"GET /boats/\\{id}/photo")], "the usual path of boats", "a boat's way", 1) + "\n# mine\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "d", "boats.upath"), []byte(mended), 0o600))
	r = run(t, dir, "new", "d", "--from-openapi", at+"/openapi.yaml", "--path", "/boats", "--update")
	assert.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "nothing new")
	assert.Equal(t, mended, read(t, dir, "d", "boats.upath"))
	r = run(t, dir, "new", "d", "--from-openapi", "openapi.yaml", "--update")
	assert.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "wrote "+filepath.Join("d", "berths.upath"))
	assert.Equal(t, mended, read(t, dir, "d", "boats.upath"))
	tidy(t, filepath.Join(dir, "d"))
	for args, says := range map[string]string{
		"new e --from-openapi openapi.yaml --tag none": "no operation of openapi.yaml is chosen",
		"new e --tag x": "go with --from-openapi",
		"new e --from-openapi openapi.yaml --update":       "there is no project in e",
		"new e --from-openapi " + at + "/none":             "answered 404",
		"new e --from-openapi http://192.0.2.1/a.yaml":     "--allow-host 192.0.2.1",
		"new d --from-openapi openapi.yaml --path /berths": "would be written over",
	} {
		r := run(t, dir, strings.Fields(args)...)
		assert.NotEqual(t, 0, r.code, args)
		assert.Contains(t, r.err, says, args)
	}
}

// Older documents and schemas of an item are drafted as well.
func TestNewFromOlderDocumentsAndSchemas(t *testing.T) {
	t.Parallel()
	dir := folder(t, "old.yaml", "swagger: '2.0'\ninfo: { title: t, version: '1' }\nbasePath: /v1\nsecurityDefinitions: { k: { type: apiKey, in: query, name: key } }\nsecurity: [{ k: [] }]\npaths:\n  /buoys:\n    post:\n      parameters: [{ in: body, name: b, schema: { type: object, properties: { id: { type: integer, readOnly: true }, colour: { type: string } } } }]\n      responses: { '201': { description: made, schema: { type: object, properties: { id: { type: integer } } } } }\n  /buoys/{id}:\n    get: { parameters: [{ in: path, name: id, type: integer, required: true }], responses: { '200': { description: one } } }\n  /fog:\n    get: { responses: { '200': { description: how thick } } }\n",
		"lamp.json", `{"$schema":"https://json-schema.org/draft/2020-12/schema","title":"Lamp","type":"object","required":["name","light"],"properties":{"id":{"type":"integer","readOnly":true},"name":{"type":"string"},"light":{"$ref":"#/$defs/light"}},"$defs":{"light":{"enum":["red","green"]}}}`)
	r := run(t, dir, "new", "d", "--from-openapi", "old.yaml")
	require.Equal(t, 0, r.code, r.err)
	tidy(t, filepath.Join(dir, "d"))
	text := read(t, dir, "d", "buoys.upath") + read(t, dir, "d", "operations.upath")
	for _, w := range []string{"collection /v1/buoys", `make       { "colour": "a colour {turn}" }`, "send GET /v1/fog\n      query key = {api_key}", "keep buoy from $.id"} {
		assert.Contains(t, text, w)
	}
	r = run(t, dir, "new", "s", "--from-openapi", "lamp.json")
	require.Equal(t, 0, r.code, r.err)
	tidy(t, filepath.Join(dir, "s"))
	for _, w := range []string{"resource lamps", `takes      { "light": "red" or "green", "name": string }`, "assigned   id", "required   name, light"} {
		assert.Contains(t, read(t, dir, "s", "lamps.upath"), w)
	}
}
