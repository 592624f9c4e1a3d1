package record

import (
	"bytes"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// stepOf is a step that has something of everything, made of a text and numbers.
func stepOf(text string, n int) *event.StepFinished {
	body := bytes.Repeat([]byte(text), 1+n%3*9000)
	reason, url := text, "http://127.0.0.1/"+text
	// What is written by people is UTF-8.
	text = legible(text)
	e := &event.StepFinished{Scenario: n, Index: n % 7, Title: text, File: "a.upath", Line: n, Verdict: event.Held, Took: time.Duration(n) * time.Millisecond, Requests: n % 3, Judged: n % 2, Afterwards: n%5 == 0}
	x := &exchange.Exchange{Request: &exchange.Request{Method: "PUT", URL: url, Body: body, Header: []exchange.Field{{Name: "A", Value: reason}, {Name: "B", Value: ""}}},
		Start: time.Unix(int64(n), int64(n)*1_234_567), Timing: exchange.Timing{Connect: time.Duration(n) * 1500, Total: time.Second}}
	if n%4 != 0 {
		x.Answer = &exchange.Answer{Proto: "HTTP/1.1", Status: 200 + n%300, Reason: reason, Header: http.Header{"Z": {reason, "2"}, "C": {"x"}, "Empty": nil}, Body: body, Wire: n, Stray: n % 2, From: reason, Length: n % 6}
	} else {
		x.Failure = &exchange.Failure{Kind: exchange.Reset, Detail: reason}
	}
	if n%3 > 0 {
		e.Why, e.Lacks = text, []string{text, "b"}
		e.Findings = []event.Finding{{Verdict: event.Failed, Line: n, Expected: reason, Observed: []string{reason}, Sent: -1}, {Because: text, Look: text, Sent: n}}
		e.Sent = []event.Sent{{Role: event.Main, Exchange: x}, {Role: event.Copy, N: n, Name: text, Exchange: x}}
	}
	return e
}

// What is appended is what the library would write.
func FuzzAStepIsWrittenAsTheLibraryWould(f *testing.F) {
	for i, text := range []string{"", "plain", `"quotes\" and \\`, "tab\tline\nend\r", "\x00\x1f\b\f", "ü ⛵ \u2028 \u2029 <&>", "\xff\xfehalf\xe2\x80", "{\"a\": 1}"} {
		for n := range 6 {
			f.Add(text, i*7+n)
		}
	}
	f.Fuzz(func(t *testing.T, text string, n int) {
		n &= 0xffff
		e := stepOf(text, n)
		var want bytes.Buffer
		require.NoError(t, encodeLine(&want, toLine(e)))
		got := appendStep(nil, e)
		at := 0
		for at < len(got) && at < want.Len() && got[at] == want.Bytes()[at] {
			at++
		}
		assert.True(t, bytes.Equal(want.Bytes(), got), "they part at byte %d: %.80q and %.80q", at, want.Bytes()[at:], got[at:])
	})
}
