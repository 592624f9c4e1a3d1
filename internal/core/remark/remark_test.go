package remark

import (
	"bufio"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// exchanged is a request, "METHOD name: value …", and an answer as HTTP writes
// it, without the version.
func exchanged(t *testing.T, request, answer string) *exchange.Exchange {
	t.Helper()
	lines := strings.Split(request, "\n")
	x := &exchange.Exchange{Request: &exchange.Request{Method: lines[0], URL: "http://127.0.0.1/x"}}
	for _, l := range lines[1:] {
		if name, v, ok := strings.Cut(l, ": "); ok {
			x.Request.Header = append(x.Request.Header, exchange.Field{Name: name, Value: v})
		} else {
			x.Request.Body = []byte(l)
		}
	}
	r, err := http.ReadResponse(bufio.NewReader(strings.NewReader("HTTP/1.1 "+strings.ReplaceAll(answer, "\n", "\r\n"))), nil)
	require.NoError(t, err)
	body, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	x.Answer = &exchange.Answer{Status: r.StatusCode, Header: r.Header, Body: body}
	return x
}

func TestRemarks(t *testing.T) {
	const js = "\nContent-Type: application/json\n\n"
	for name, c := range map[string]struct {
		request, answer string
		// want are all remarks, in order.
		want []string
	}{
		"nothing to say":                   {"GET", "200 OK" + js + `{"id":1}`, nil},
		"created, and where":               {"POST", "201 Created\nLocation: /x/1" + js + `{"id":1}`, nil},
		"created, and only the body says":  {"POST", "201 Created" + js + `{"id":1}`, []string{"201 without Location: only the body tells where the new item is"}},
		"created, and nobody says":         {"POST", "201 Created" + js + `{"a":1}`, []string{"201 without Location: the client does not learn where the new item is"}},
		"not allowed":                      {"PUT", "405 Method Not Allowed\nContent-Length: 0\n\n", []string{"405 without Allow: the client does not learn which methods work"}},
		"not allowed, and what is":         {"PUT", "405 Method Not Allowed\nAllow:\n\n", nil},
		"sign in":                          {"GET", "401 Unauthorized\n\n", []string{"401 without WWW-Authenticate: the client does not learn how to sign in"}},
		"a page for JSON":                  {"GET\nAccept: application/json", "404 Not Found\nContent-Type: text/html\n\n<p>no</p>", []string{"HTML where JSON was asked for"}},
		"a page without a type":            {"GET\nAccept: application/json", "404 Not Found\n\n <!DOCTYPE html>", []string{"HTML where JSON was asked for"}},
		"a page for a browser":             {"GET\nAccept: text/html", "404 Not Found\nContent-Type: text/html\n\n<p>no</p>", nil},
		"a page for who sends JSON":        {"POST\nContent-Type: application/json\n{}", "400 Bad Request\nContent-Type: text/html\n\n<p>no</p>", []string{"HTML where JSON was asked for"}},
		"JSON of no type":                  {"GET", "200 OK\n\n[1]", []string{"JSON without a Content-Type"}},
		"JSON called text":                 {"GET", "200 OK\nContent-Type: text/plain\n\n[1]", []string{"JSON that is labelled text/plain"}},
		"a number called text":             {"GET", "200 OK\nContent-Type: text/plain\n\n1", nil},
		"not JSON":                         {"GET", "200 OK" + js + `{"id":1`, []string{"labelled application/json, but not JSON: cut off at byte 7: `}` is missing"}},
		"nothing":                          {"GET", "200 OK\nContent-Length: 0\n\n", []string{"200 with an empty body: 204 means that there is no content, 404 that nothing was found"}},
		"nothing for HEAD":                 {"HEAD", "200 OK\n\n", nil},
		"null":                             {"GET", "200 OK" + js + `null`, []string{"200 with `null`: a missing item is 404"}},
		"an error in a success":            {"GET", "200 OK" + js + `{"error":"no"}`, []string{`an error inside a success: error is "no"`}},
		"another status":                   {"GET", "404 Not Found" + js + `{"status":400}`, []string{"the body says status 400, the answer 404"}},
		"a trace":                          {"GET", "500 Internal Server Error\nContent-Type: text/plain\n\npanic: boom\ngoroutine 1 [running]:", []string{"the body shows a stack trace: panic:"}},
		"a body of no type was sent":       {"POST\n{}", "415 Unsupported Media Type\n\n", []string{"the request had a body and no Content-Type: --json sends one"}},
		"a body of no type was sent, fine": {"POST\n{}", "204 No Content\n\n", nil},
		"elsewhere":                        {"GET", "302 Found\nLocation: /y\n\n", []string{"redirects to /y, which was not followed"}},
		"not changed":                      {"GET", "304 Not Modified\nLocation: /y\n\n", nil},
		"more than one":                    {"POST", "201 Created\n\n{\"id\": 1}", []string{"201 without Location: only the body tells where the new item is", "JSON without a Content-Type"}},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			for _, r := range Of(exchanged(t, c.request, c.answer)) {
				got = append(got, r.Text)
			}
			assert.Equal(t, c.want, got)
		})
	}
	assert.Empty(t, Of(&exchange.Exchange{}), "no answer, no remark")
}

func TestErrorInside(t *testing.T) {
	for text, want := range map[string]string{
		`{"error":null}`: "", `{"error":false}`: "", `{"error":""}`: "", `{"error":0}`: "", `{"errors":[]}`: "", `{"errors":{}}`: "",
		`{"Error":{"a":1}}`: `Error is {"a": 1}`, `{"errors":["x"]}`: `errors is ["x"]`, `{"success":false}`: "success is false", `{"ok":true}`: "",
		`{"status":"failed"}`: `status is "failed"`, `{"state":"open"}`: "", `{"status":404}`: "status is 404", `{"code":200}`: "", `{"code":7}`: "", `[1]`: "", `"error"`: "",
	} {
		v, err := value.Decode(text, value.Limits{})
		require.NoError(t, err)
		assert.Equal(t, want, errorInside(v), text)
	}
	assert.Empty(t, errorInside(nil))
}
