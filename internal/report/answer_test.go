package report

import (
	"bufio"
	"bytes"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/core/exchange"
	"usualpath/internal/golden"
)

// answerOf is what an answer as HTTP writes it, without the version, becomes.
func answerOf(t *testing.T, method, text string, took time.Duration) *exchange.Exchange {
	t.Helper()
	head, body, _ := strings.Cut(text, "\n\n")
	r, err := http.ReadResponse(bufio.NewReader(strings.NewReader("HTTP/1.1 "+head+"\n\n")), nil)
	require.NoError(t, err)
	return &exchange.Exchange{Request: &exchange.Request{Method: method, URL: "http://127.0.0.1:1/x"}, Timing: exchange.Timing{Total: took},
		Answer: &exchange.Answer{Proto: "HTTP/1.1", Status: r.StatusCode, Header: r.Header, Body: []byte(strings.TrimSuffix(body, "\n"))}}
}

// The archive holds answers, "METHOD name", and what `try` shows of them.
func TestAnswers(t *testing.T) {
	golden.Each(t, "testdata/answers/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		var given []txtar.File
		for _, verbose := range []string{"", " -v"} {
			var all bytes.Buffer
			for _, name := range slices.Sorted(maps.Keys(in)) {
				all.WriteString("## " + name + "\n")
				method, _, _ := strings.Cut(name, " ")
				Answer(&all, answerOf(t, method, in[name], 1234*time.Microsecond), &View{Style: NewStyle(false, false), Verbose: verbose != "", Agent: "usualpath/t", Width: 100})
			}
			given = append(given, txtar.File{Name: "shown" + verbose, Data: all.Bytes()})
		}
		return given
	})
}

func TestWhatDiffersBetweenAnswers(t *testing.T) {
	js := "200 OK\nContent-Type: application/json\n\n"
	for name, c := range map[string]struct {
		texts []string
		want  string
	}{
		"nothing":  {[]string{js + `{"a":1}`, js + `{"a":1}`}, ""},
		"a status": {[]string{js + `{"a":1}`, "404 Not Found\nContent-Type: application/json\n\n" + `{"a":1}`}, "status 200 OK, then 404 Not Found"},
		"headers":  {[]string{"200 OK\nA: 1\nB: 1\n\nx", "200 OK\nA: 2\nC: 1\n\nx"}, "header A: 1, then 2\nheader B is gone: 1\nheader C is new: 1"},
		"a member": {[]string{js + `{"a":1,"b":2}`, js + `{"a":1,"b":3}`}, "$.b"},
		"text":     {[]string{"200 OK\n\nab", "200 OK\n\nabc"}, "the body: 2 bytes, then 3 bytes that differ"},
	} {
		t.Run(name, func(t *testing.T) {
			var list []*exchange.Exchange
			for i, text := range c.texts {
				list = append(list, answerOf(t, "GET", text, time.Duration(i+1)*time.Millisecond))
			}
			got := strings.Join(Spread(list[0], list[1:]), "\n")
			assert.Contains(t, got, c.want)
		})
	}
	failed := &exchange.Exchange{Request: &exchange.Request{Method: "GET"}, Failure: &exchange.Failure{Kind: exchange.Refused}}
	assert.Contains(t, strings.Join(Spread(answerOf(t, "GET", js+`1`, 0), []*exchange.Exchange{failed}), "\n"), "200 OK, then ")
	var b bytes.Buffer
	Answer(&b, failed, &View{Style: NewStyle(false, false), Verbose: true})
	assert.Contains(t, b.String(), "no answer: ")
}
