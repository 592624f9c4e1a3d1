package harbour

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// answer is what came back.
type answer struct {
	status int
	header http.Header
	body   string
}

var client = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 1}, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

func start(t *testing.T, o Options) *Server {
	t.Helper()
	s, err := Start(o)
	require.NoError(t, err)
	t.Cleanup(func() {
		client.CloseIdleConnections()
		require.NoError(t, s.Close())
	})
	return s
}

// ask sends "METHOD /path", a body and headers "Name: value".
func ask(t *testing.T, s *Server, line, body string, headers ...string) answer {
	t.Helper()
	method, path, _ := strings.Cut(line, " ")
	req, err := http.NewRequest(method, s.URL+path, bytes.NewBufferString(body))
	require.NoError(t, err)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for _, h := range headers {
		n, v, _ := strings.Cut(h, ": ")
		if req.Header.Set(n, v); v == "" {
			req.Header.Del(n)
		}
	}
	resp, err := client.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return answer{resp.StatusCode, resp.Header, string(data)}
}

func TestManners(t *testing.T) {
	s := start(t, Options{SeedData: true})
	tag := ask(t, s, "GET /boats/1", "").header.Get("ETag")
	for _, c := range []struct {
		line, body string
		headers    []string
		status     int
		// says is a piece of the body, or of "Header: value".
		says string
	}{
		{"GET /healthz", "", nil, 200, "open"}, {"GET /", "", nil, 404, "problem+json"}, {"GET /boats/", "", nil, 404, "nothing at this path"}, {"GET //boats", "", nil, 404, ""}, {"GET /boats/1/../2", "", nil, 404, ""}, {"DELETE /healthz", "", nil, 405, "Allow: GET, HEAD, OPTIONS"},
		{"GET /boats/1", "", nil, 200, "Arctic Tern"}, {"GET /boats/01", "", nil, 404, ""}, {"GET /boats/-1", "", nil, 404, ""}, {"GET /boats/1.0", "", nil, 404, ""}, {"GET /boats/99999999999999999999", "", nil, 404, ""}, {"GET /boats/%00", "", nil, 404, ""},
		{"GET /boats/1", "", []string{"If-None-Match: " + tag}, 304, ""}, {"GET /boats/1", "", []string{`If-None-Match: "x", W/` + tag}, 304, ""}, {"GET /boats/1", "", []string{`If-None-Match: "stale"`}, 200, ""}, {"HEAD /boats/1", "", nil, 200, "Etag: " + tag}, {"HEAD /boats/77", "", nil, 404, ""},
		{"GET /boats/1", "", []string{"Accept: text/html"}, 406, ""}, {"GET /boats/1", "", []string{"Accept: text/html, */*;q=0.1"}, 200, ""}, {"GET /boats/1", "", []string{"Accept: application/json;q=0, text/html"}, 406, ""}, {"GET /boats/1", "", []string{"Accept: application/*"}, 200, ""},
		{"OPTIONS /boats", "", nil, 204, "Allow: GET, HEAD, OPTIONS, POST"}, {"OPTIONS /boats/1", "", nil, 204, "Allow: DELETE, GET, HEAD, OPTIONS, PATCH, PUT"}, {"POST /boats/1", "{}", nil, 405, "Allow: DELETE"}, {"TRACE /boats", "", nil, 405, "problem+json"}, {"FURL /berths", "", nil, 405, ""},
		{"GET /boats?limit=2", "", nil, 200, `Link: <?>; rel="next"`}, {"GET /boats?limit=2&offset=11", "", nil, 200, `rel="prev"`}, {"GET /boats?limit=0", "", nil, 400, "limit"}, {"GET /boats?offset=-1", "", nil, 400, "offset"}, {"GET /boats?offset=500", "", nil, 200, "[]"}, {"GET /boats?limit=x", "", nil, 400, ""},
		{"GET /boats?flag=NL", "", nil, 200, "Dunlin"}, {"GET /boats?flag=", "", nil, 200, "[]"}, {"GET /boats?min_length=18.3", "", nil, 200, "Gannet"}, {"GET /boats?min_length=long", "", nil, 400, "min_length"},
		{"POST /boats", `{"name":"A","length_m":1}`, []string{"Content-Type: text/plain"}, 415, ""}, {"POST /boats", `{"name":"A","length_m":1}`, []string{"Content-Type: "}, 415, ""}, {"POST /boats", `{"name":"A","length_m":1}`, []string{"Content-Type: application/json; charset=latin1"}, 415, ""},
		{"POST /boats", `{`, nil, 400, "not JSON"}, {"POST /boats", ` `, nil, 400, "empty"}, {"POST /boats", `[]`, nil, 400, "object"}, {"POST /boats", `{"name":"A","name":"B","length_m":1}`, nil, 400, "appears twice"}, {"POST /boats", `{"name":"\ud800","length_m":1}`, nil, 400, "surrogate"}, {"POST /boats", "{\"name\":\"\xff\",\"length_m\":1}", nil, 400, "UTF-8"}, {"POST /boats", `{} {}`, nil, 400, ""},
		{"POST /boats", `{"name":"A"}`, nil, 422, `"member":"length_m"`}, {"POST /boats", `{"name":null,"length_m":1}`, nil, 422, "name is required"}, {"POST /boats", `{"name":7,"length_m":1}`, nil, 422, "name is a string"}, {"POST /boats", `{"name":"A","length_m":"1"}`, nil, 422, "is a number"}, {"POST /boats", `{"name":"A","length_m":0}`, nil, 422, "more than 0"}, {"POST /boats", `{"name":"A","length_m":60.0000000000000000001}`, nil, 422, "at most 60"}, {"POST /boats", `{"name":"A","length_m":1e999999999}`, nil, 422, ""},
		{"POST /boats", `{"name":"` + strings.Repeat("é", 61) + `","length_m":1}`, nil, 422, "1 to 60"}, {"POST /boats", `{"name":"A","length_m":1,"flag":"nl"}`, nil, 422, "flag"}, {"POST /boats", `{"name":"A","length_m":1,"colour":"red"}`, nil, 422, "colour is not a known member"}, {"POST /boats", `{"name":"Eider","length_m":1}`, nil, 409, "another boat"}, {"POST /boats", `{"x":"` + strings.Repeat("x", 3<<20) + `"}`, nil, 413, ""},
		{"PUT /boats/77", `{"name":"A","length_m":1}`, nil, 404, ""}, {"PUT /boats/1", `{"name":"A","length_m":1}`, []string{`If-Match: "stale"`}, 412, ""}, {"PATCH /boats/1", `{"length_m":null}`, nil, 422, "length_m is required"}, {"PATCH /boats/1", `{}`, []string{"Content-Type: text/plain"}, 415, "Accept-Patch: application/merge-patch+json"}, {"DELETE /boats/1", "", []string{`If-Match: "stale"`}, 412, ""}, {"PUT /boats/2", `{"name":"Eider","length_m":1}`, nil, 409, ""},
		{"GET /berths/A1", "", nil, 200, `"power":true`}, {"GET /berths/G1", "", nil, 404, ""}, {"PUT /berths/G1", `{"max_length_m":1,"power":true}`, nil, 404, "A1 to F99"}, {"PUT /berths/F9", `{"max_length_m":1}`, nil, 422, "power is required"}, {"PUT /berths/F9", `{"max_length_m":1,"power":"yes"}`, nil, 422, "true or false"}, {"PUT /berths/F9", `{"code":"A1","max_length_m":1,"power":true}`, nil, 422, "that of the path"}, {"PUT /berths/A1", `{"max_length_m":1,"power":true}`, []string{"If-None-Match: *"}, 412, ""}, {"PUT /berths/F9", `{"max_length_m":1,"power":true}`, []string{"If-Match: *"}, 412, ""}, {"DELETE /berths/F9", "", nil, 404, ""}, {"POST /berths", "{}", nil, 405, "Allow: GET, HEAD, OPTIONS"},
	} {
		got := ask(t, s, c.line, c.body, c.headers...)
		name := fmt.Sprintf("%s %.60s %v", c.line, c.body, c.headers)
		assert.Equal(t, c.status, got.status, name)
		var all strings.Builder
		_ = got.header.Write(&all)
		if c.says == `Link: <?>; rel="next"` {
			c.says = `</boats?limit=2&offset=2>; rel="next"`
		}
		assert.Contains(t, strings.ReplaceAll(all.String(), "\r\n", "\n")+got.body, c.says, name)
		if c.status >= 400 && !strings.HasPrefix(c.line, "HEAD") {
			var p struct {
				Status int
				Title  string
			}
			require.NoError(t, json.Unmarshal([]byte(got.body), &p), name)
			assert.Equal(t, c.status, p.Status, name)
			assert.Equal(t, "application/problem+json", got.header.Get("Content-Type"), name)
		}
		if strings.HasPrefix(c.line, "HEAD") || c.status == 304 || c.status == 204 {
			assert.Empty(t, got.body, name)
		}
	}
	assert.Equal(t, 12, strings.Count(ask(t, s, "GET /boats", "").body, `"id"`), "nothing that was refused is stored")
}

func TestLifeOfABoat(t *testing.T) {
	data := t.TempDir()
	s, err := Start(Options{Data: data})
	require.NoError(t, err)
	made := ask(t, s, "POST /boats", `{"id":99,"name":"Ruff é🚢","length_m":7.500,"draught_m":null,"registered_at":"x"}`)
	assert.Equal(t, 201, made.status, made.body)
	at := made.header.Get("Location")
	assert.Contains(t, made.body, `"length_m":7.500`, "every digit is kept")
	read := ask(t, s, "GET "+at, "")
	assert.Equal(t, made.body, read.body)
	assert.Equal(t, made.header.Get("ETag"), read.header.Get("ETag"))
	merged := ask(t, s, "PATCH "+at, `{"flag":"SE","home_port":"Skerry"}`, "Content-Type: application/merge-patch+json", "If-Match: "+read.header.Get("ETag"))
	assert.Equal(t, 200, merged.status)
	assert.Contains(t, merged.body, `"name":"Ruff é🚢"`)
	put := ask(t, s, "PUT "+at, `{"name":"Ruff","length_m":8}`)
	assert.NotContains(t, put.body, "flag")
	require.NoError(t, s.Close())

	s, err = Start(Options{Data: data, SeedData: true})
	require.NoError(t, err)
	assert.Equal(t, put.body, ask(t, s, "GET "+at, "").body, "it is there after a restart, and seeding leaves it alone")
	assert.Equal(t, 204, ask(t, s, "DELETE "+at, "").status)
	assert.Equal(t, 404, ask(t, s, "DELETE "+at, "").status)
	assert.Equal(t, 404, ask(t, s, "GET "+at, "").status)
	next := ask(t, s, "POST /boats", `{"name":"Ruff","length_m":8}`)
	assert.NotEqual(t, at, next.header.Get("Location"), "ids are not used again")
	require.NoError(t, s.Close())
}

func TestManyAtOnce(t *testing.T) {
	s := start(t, Options{})
	var all sync.WaitGroup
	statuses := make([]int, 16)
	for i := range statuses {
		all.Add(1)
		go func() {
			defer all.Done()
			statuses[i] = ask(t, s, "POST /boats", fmt.Sprintf(`{"name":"Twin %d","length_m":1}`, i%8)).status
		}()
	}
	all.Wait()
	made := 0
	for _, st := range statuses {
		if st == 201 {
			made++
		} else {
			assert.Equal(t, 409, st)
		}
	}
	assert.Equal(t, 8, made)
	assert.Equal(t, 8, strings.Count(ask(t, s, "GET /boats", "").body, `"id"`))
}

func TestStartRefuses(t *testing.T) {
	_, err := Start(Options{Faults: []string{"none-such"}})
	assert.ErrorContains(t, err, "no fault")
	s := start(t, Options{})
	_, err = Start(Options{Listen: strings.TrimPrefix(s.URL, "http://")})
	assert.ErrorContains(t, err, "cannot listen")
	assert.NoError(t, CheckFaults([]string{Faults()[0].Name}))
}
