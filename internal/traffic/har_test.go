package traffic

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// entry is one of a recording; more replaces or adds members of the request and the answer.
func entry(second int, method, url string, status int, body string, more ...string) string {
	request := map[string]any{"method": method, "url": url, "headers": []any{map[string]string{"name": "accept", "value": "*/*"}, map[string]string{"name": "User-Agent", "value": "a browser"}}}
	headers := []any{}
	for i := 0; i+1 < len(more); i += 2 {
		switch k := more[i]; {
		case k == "body":
			request["postData"] = map[string]any{"mimeType": "application/json", "text": more[i+1]}
		case strings.HasPrefix(k, "<"):
			headers = append(headers, map[string]string{"name": k[1:], "value": more[i+1]})
		default:
			request["headers"] = append(request["headers"].([]any), map[string]string{"name": k, "value": more[i+1]})
		}
	}
	media := "application/json"
	if body == "" || body[0] == '<' {
		media = "text/html"
	}
	text, _ := json.Marshal(map[string]any{"startedDateTime": fmt.Sprintf("2031-05-17T08:00:%02d.000Z", second), "request": request,
		"response": map[string]any{"status": status, "headers": append(headers, map[string]string{"name": "content-type", "value": media}), "content": map[string]any{"size": len(body), "mimeType": media, "text": body}}})
	return string(text)
}

func har(entries ...string) []byte {
	return []byte(`{"log": {"version": "1.2", "pages": [], "entries": [` + strings.Join(entries, ",") + `]}}`)
}

const host = "http://127.0.0.1:8080"

// Odd and broken recordings give a clear word, or what is whole in them.
func TestWhatCannotBeRead(t *testing.T) {
	good := entry(1, "GET", host+"/boats", 200, "[]")
	for name, c := range map[string]struct {
		data  string
		calls int
		// says is a part of the error or of the notes.
		says string
	}{
		"empty":               {"", 0, "it is not a HAR file"},
		"not JSON":            {"<har>", 0, "it is not a HAR file"},
		"another JSON":        {`{"openapi": "3.1.0"}`, 0, "it is not a HAR file"},
		"no entries":          {`{"log": {"entries": {}}}`, 0, "it is not a HAR file"},
		"a mark at the start": {"\xef\xbb\xbf" + string(har(good)), 1, ""},
		"cut short":           {string(har(good, good))[:len(har(good))+40], 1, "ends in the middle of entry 2"},
		"cut behind an entry": {string(har(good))[:len(har(good))-3], 1, "ends in the middle"},
		"nothing in an entry": {string(har(good, "{}", "null", "7")), 1, "Entry 2 was left out: it has no request."},
		"a line end in a URL": {string(har(good, entry(2, "GET", host+"/boats\nsend DELETE /boats", 200, "[]"))), 1, "line ends or control characters"},
		"no host":             {string(har(good, entry(2, "GET", "/boats", 200, "[]"))), 1, "is not the URL of a request"},
		"another scheme":      {string(har(good, entry(2, "GET", "ws://127.0.0.1/x", 101, ""))), 1, "is not the URL of a request"},
		"an odd method":       {string(har(good, entry(2, "GET /x\nexpect", host+"/boats", 200, "[]"))), 1, "is not a method"},
		"base64":              {`{"log": {"entries": [{"request": {"method": "GET", "url": "` + host + `/a"}, "response": {"status": 200, "content": {"text": "W10=", "encoding": "base64", "mimeType": "application/json"}}}]}}`, 1, ""},
		"bad base64":          {`{"log": {"entries": [{"request": {"method": "GET", "url": "` + host + `/a"}, "response": {"status": 200, "content": {"text": "!!!", "encoding": "base64"}}}]}}`, 1, ""},
		"odd types":           {`{"log": {"entries": [{"startedDateTime": 7, "request": {"method": "GET", "url": "` + host + `/a", "headers": "no", "postData": []}, "response": {"status": "200", "headers": [7, {"name": "A b", "value": "x"}, {"name": "C", "value": "1\r\nD: 2"}]}}]}}`, 1, ""},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Read([]byte(c.data))
			if c.calls == 0 {
				require.ErrorContains(t, err, c.says)
				return
			}
			require.NoError(t, err)
			assert.Len(t, r.Calls, c.calls)
			assert.Contains(t, strings.Join(r.Notes, "\n"), c.says)
			if d, err := From(r, Choice{}); err == nil {
				d.Vet("project p\n\nbase " + host + "\n")
				assert.Equal(t, c.calls, strings.Count(d.Text(), "\n  step "), d.Text())
			}
		})
	}
}

// What a recording becomes, by parts of the text and parts that are not there.
func TestWhatARecordingBecomes(t *testing.T) {
	login := entry(1, "POST", host+"/login", 200, `{"token": "s3cr3t-token-77", "user_id": 41}`, "body", `{"name": "keeper", "password": "herring-pie"}`)
	made := entry(3, "POST", host+"/boats", 201, `{"id": 907, "name": "Knot {x}", "owner_id": 41}`, "body", `{"name": "Knot {x}", "owner_id": 41}`, "Authorization", "Bearer s3cr3t-token-77")
	const only = "when {unguarded} is true\n    "
	bearer := []string{"Authorization", "Bearer s3cr3t-token-77"}
	for name, c := range map[string]struct {
		entries   []string
		want, not []string
	}{
		"order of time": {[]string{entry(9, "GET", host+"/last", 200, "{}"), entry(2, "GET", host+"/first", 200, "{}")}, []string{"/first\n    expect status 200\n    expect header Content-Type is \"application/json\"\n    expect body is object\n\n  step \"list last\""}, nil},
		"left out": {[]string{entry(1, "GET", host+"/", 200, "<p>"), entry(2, "GET", "http://cdn.example/x", 200, "{}"), entry(3, "OPTIONS", host+"/boats", 204, "", "Access-Control-Request-Method", "POST"), entry(4, "GET", host+"/boats", 200, "[]"), entry(5, "GET", host+"/boats", 200, "[]"),
			entry(6, "GET", host+"/lost", 0, ""), entry(7, "GET", host+"/berths", 200, "[]")}, []string{"GET /boats\n", "GET /berths"}, []string{"cdn", "OPTIONS", "lost", "(2)", "accept", "User-Agent"}},
		"names": {[]string{login, made, entry(4, "GET", host+"/boats/907?owner_id=41&q=907", 200, `{"id": 907, "name": "Knot {x}"}`, bearer...), entry(5, "DELETE", host+"/boats/907", 204, "", bearer...)},
			[]string{"GET /boats/{boat}", "query owner_id = {login}", "DELETE /boats/{boat}", `"owner_id": {login}`, `Knot \{x}`, "resource boats"}, []string{"s3cr3t", "herring-pie", "unguarded", "Authorization"}},
		"made and left":                {[]string{login, made}, []string{"afterwards", "DELETE /boats/{boat}"}, []string{"resource"}},
		"not its own":                  {[]string{entry(1, "GET", host+"/boats", 200, `[{"id": 3}]`), entry(2, "PUT", host+"/boats/3", 200, `{"id": 3}`, "body", `{"id": 3}`), entry(3, "DELETE", host+"/cache", 204, "")}, []string{"let unguarded = false", "when {unguarded} is true\n    send PUT /boats/{boat}", "when {unguarded} is true\n    send DELETE /cache"}, nil},
		"an item of the list, by POST": {[]string{entry(1, "GET", host+"/boats", 200, `[{"id": 3}]`), entry(2, "POST", host+"/boats", 200, `{"id": 3}`, "body", `{"id": 3}`)}, []string{only + "send POST /boats"}, []string{"afterwards"}},
		"a PUT that made, by name":     {[]string{entry(1, "PUT", host+"/boats/tern", 201, `{"name": "tern"}`, "body", `{}`), entry(2, "DELETE", host+"/boats/tern", 204, "")}, []string{only + "send PUT /boats/tern", only + "send DELETE /boats/tern", "2 steps that may"}, nil},
		"what the answer is below":     {[]string{entry(1, "POST", host+"/boats", 201, `{"name": "tern", "parent": {"id": 7001}}`, "body", `{"name": "tern"}`), entry(2, "DELETE", host+"/boats/7001", 204, "")}, []string{only + "send POST /boats", only + "send DELETE /boats/"}, nil},
		"a wrapper":                    {[]string{entry(1, "POST", host+"/boats", 201, `{"data": {"id": 7001, "parent": {"id": 41}}}`, "body", `{"name": "tern"}`), entry(2, "DELETE", host+"/boats/7001", 204, "")}, []string{"need status 201", "send DELETE /boats/{boat}"}, []string{"unguarded"}},
		"a refused create":             {[]string{entry(1, "POST", host+"/boats", 409, `{"title": "there"}`, "body", `{"name": "tern"}`), entry(2, "DELETE", host+"/boats/tern", 204, "")}, []string{only + "send POST /boats", only + "send DELETE /boats/tern"}, nil},
		"many at once":                 {[]string{entry(1, "GET", host+"/boats", 200, `[{"id": 3001}, {"id": 3002}]`), entry(2, "POST", host+"/boats/bulk-delete", 200, `{"n": 2}`, "body", `{"ids": [3001, 3002]}`)}, []string{only + "send POST /boats/bulk-delete"}, nil},
		"below what was made":          {[]string{made, entry(4, "POST", host+"/boats/907/cover", 200, `{}`, "body", `{"a": 1}`)}, []string{"send POST /boats/{boat}/cover"}, []string{"unguarded"}},
		"GraphQL":                      {[]string{entry(1, "POST", host+"/graphql", 200, `{"data": {}}`, "body", `{"query": "query { boats { id } }"}`), entry(2, "POST", host+"/graphql", 200, `{"data": {"x": 1}}`, "body", `{"query": "mutation { drop }"}`)}, []string{"1 step that may"}, nil},
		"what follows from it":         {[]string{entry(1, "POST", host+"/jobs", 200, `{"id": "a1b2c3d4e5"}`, "body", `{}`), entry(2, "GET", host+"/jobs/a1b2c3d4e5", 200, `{}`)}, []string{only + "send POST /jobs", only + "send GET /jobs/{job}", "2 steps that may"}, []string{"afterwards"}},
		"a poll":                       {[]string{entry(1, "GET", host+"/jobs/a1b2c3d4e5", 200, `{"state": "waits"}`), entry(3, "GET", host+"/jobs/a1b2c3d4e5", 200, `{"state": "done"}`)}, []string{"retry for 10s every 200ms", `"state": "done"`}, []string{"waits"}},
		"an entity tag":                {[]string{entry(1, "POST", host+"/boats", 201, `{"id": 907}`, "body", `{"a": 1}`, "<ETag", `"x-1"`), entry(2, "PUT", host+"/boats/907", 200, `{"id": 907}`, "body", `{"a": 2}`, "If-Match", `"x-1"`)}, []string{"keep boat_tag from header Etag", "header If-Match: {boat_tag}"}, []string{"x-1"}},
		"from the cache":               {[]string{entry(1, "GET", host+"/boats", 304, "[]", "If-None-Match", `"a"`)}, []string{"expect status 200"}, []string{"If-None-Match", "body empty"}},
		"a key of its own":             {[]string{entry(1, "GET", host+"/boats", 200, "[]", "X-Api-Key", "k-123456789")}, []string{`GET /boats`}, []string{"k-123456789"}},
		"statements in it":             {[]string{entry(1, "POST", host+"/boats", 200, "{}", "body", "{\"a\": \"x\\\"\\n  step \\\"y\\\"\\n    send DELETE /boats\"}", "X-Note", "a # b", "X-Other", "{c}")}, []string{`header X-Note: a \# b`, `header X-Other: \{c}`}, []string{"\n    send DELETE"}},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Read(har(c.entries...))
			require.NoError(t, err)
			d, err := From(r, Choice{})
			require.NoError(t, err)
			head := "project p\n\nbase " + host + "\n\n" + strings.Join(d.Secrets, "\n") + "\n\ndefaults\n  timeout 5s\n  " + strings.Join(d.Defaults, "\n  ") + "\n\n" + strings.Join(d.SignIn, "\n") + "\n"
			before := d.Text()
			d.Vet(head)
			assert.Equal(t, before, d.Text(), "nothing of it is wrong: %s", d.Notes)
			for _, w := range c.want {
				assert.Contains(t, d.Text(), w)
			}
			for _, n := range c.not {
				assert.NotContains(t, d.Text()+head, n)
			}
		})
	}
}

// Whatever is in a file, reading it ends, and no statement comes from within a value.
func FuzzRead(f *testing.F) {
	f.Add(har(entry(1, "POST", host+"/boats", 201, `{"id": 7}`, "body", `{"a": "b"}`), entry(2, "GET", host+"/boats/7", 200, `{"id": 7}`)))
	f.Add([]byte(`{"log": {"entries": [{"request": {"method": "GET", "url": "http://a/%zz{x}?a={b}#c"}, "response": {"status": 200}}]}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := Read(data)
		if err != nil {
			return
		}
		d, err := From(r, Choice{})
		if err != nil {
			return
		}
		d.Vet("project p\n\nbase " + host + "\n")
		assert.LessOrEqual(t, strings.Count(d.Text(), "\n    send "), 2*len(r.Calls)+1)
	})
}
