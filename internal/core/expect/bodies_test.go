package expect

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Claims about bodies of other kinds: media type, body, claim, and what is said.
func TestOtherBodies(t *testing.T) {
	for _, c := range []struct{ media, body, claim, said string }{
		{"application/json", "", `body empty`, ""},
		{"application/json", "", `$.id is 1`, "the body is empty"},
		{"application/json", "", `body is { ... }`, "the body is empty"},
		{"application/json", "", `body is not { ... }`, ""},
		{"application/json", "", `body covers {}`, "the body is empty"},
		{"application/json", "", `body same as "read"`, "the body is empty"},
		{"application/json", "", `$ missing`, "the body is empty"},
		{"application/json", "{", `$.id missing`, "the body is not JSON: cut off at byte 1: a member name is missing"},
		{"application/json", "{", `body is not {}`, "the body is not JSON: cut off at byte 1: a member name is missing; it reads \"{\""},
		{"application/json", "{}", `body json`, ""},
		{"application/problem+json", "{}", `body json`, ""},
		{"", "{}", `body json`, "the body is JSON, and there is no Content-Type that says so"},
		{"text/html", "{}", `body json`, `the body is JSON, and Content-Type says "text/html"`},
		{"application/json", "[1, 2]", `$[*] is 1`, "$[*] selects 2 values, where one value was expected"},
		{"application/json", "[1]", `$[*] is 1`, ""},
		{"application/json", "[1]", `body resembles "list"`, ""},
		{"application/json", `{"n": [1, "x", {"a": 1}]}`, `body same shape as "mixed"`, ""},
		{"application/json", `{"n": [true]}`, `body same shape as "mixed"`, "$.n[0] is of type boolean here, number there"},
		{"application/json", `{"n": [{"b": 1}]}`, `body same shape as "mixed"`, "$.n[0] is of type object here, number there"},
		{"application/json", `{"n": {}}`, `body same shape as "mixed"`, "$.n is of type object here, array there"},
		{"application/json", `{"n": [1]}`, `body same shape as "bare"`, ""},
		{"application/json", `{"n": {"a": 1}}`, `body agrees with "mixed"`, `$.n is [1, "x", {"a": 1}] there, {"a": 1} here`},
		{"application/json", `{"at": "x", "mail": "at /srv/app.js:12:3"}`, `body leaks nothing`, `the body holds a source path: "/srv/app.js:12"`},
		{"application/json", numbers(12), `body is []`, trailing(12, 12)},
		{"application/json", numbers(13), `body is []`, trailing(12, 13)},
		{"application/json", numbers(12), `$ none integer`, each(12, 12)},
		{"application/json", numbers(13), `$ none integer`, each(12, 13)},
		{"application/json", numbers(12), `body fits schema "none.schema.json"`, fitting(12, 12)},
		{"application/json", numbers(13), `body fits schema "none.schema.json"`, fitting(12, 13)},
		{"application/json", `{"n": 1}`, `$ contains { "n": 1 }`, ""},
		{"application/json", `{"n": 1}`, `$ contains { "n": 1 }, { "m": 2 }`, "$.m is missing: 2"},
		{"text/plain", "0123456789012345678x9012345678901234567y", `text lacks "x"`, `the body contains it: "0123456789012345678x9012345678901234567y"`},
		{"text/plain", "01234567890123456789x01234567890123456789", `text lacks "x"`, `the body contains it: "01234567890123456789x01234567890123456789"`},
		{"text/plain", "a01234567890123456789x01234567890123456789b", `text lacks "x"`, `the body contains it: "…01234567890123456789x01234567890123456789…"`},
		{"text/plain", strings.Repeat("a", 160), `text is "b"`, `the body is "` + strings.Repeat("a", 160) + `"`},
		{"image/png", "\xff\xd8\x00A", `body same as file "photo.png"`, ""},
		{"image/png", "\xff\xd8\x00A", `text same as file "photo.png"`, ""},
		{"image/png", "\xff\xd8\x01", `body same as file "photo.png"`, "the body has 3 bytes, photo.png has 4: they differ from byte 3 on"},
		{"image/png", "\xff\xd8", `body same as file "photo.png"`, "the body has 2 bytes, photo.png has 4: they differ from byte 3 on"},
		{"image/png", "", `body same as file "photo.png"`, "the body is empty"},
		{"text/plain", "Curlew", `body same as "text"`, ""},
		{"text/plain", "Curlews", `body same as "text"`, `the body has 7 bytes, step "text" has 6: they differ from byte 7 on`},
		{"text/xml", `<b><n>1</n><n>2</n></b>`, `xml //n is "1"`, "//n selects 2 values, where one was expected"},
		{"text/xml", `<b><n> 1 </n></b>`, `xml //n is "1"`, ""},
		{"text/xml", `<b><n>1</n></b>`, `xml //n missing`, `//n is "1"`},
		{"text/xml", `<b><n>1</n></b>`, `xml //n exists`, ""},
		{"text/xml", `<b/>`, `xml //n exists`, "//n selects nothing"},
		{"text/xml", `<b><n/><n/></b>`, `xml count(//n) is "2"`, ""},
		{"text/xml", `<b><n/><n/></b>`, `xml //n count 3`, "the count is 2"},
		{"text/xml", `<b`, `xml //n exists`, "the body is not XML: XML syntax error on line 1: unexpected EOF"},
	} {
		q := quay(t)
		q.ReadFile = func(name string) ([]byte, error) {
			if name != "photo.png" {
				return nil, errors.New("there is no file " + name)
			}
			return []byte("\xff\xd8\x00A"), nil
		}
		earlier := q.Step
		q.Step = func(title string, n int) *Reply {
			switch title {
			case "mixed":
				return reply(200, `{"n": [1, "x", {"a": 1}]}`, "Content-Type", "application/json")
			case "bare":
				return reply(200, `{"n": []}`, "Content-Type", "application/json")
			}
			return earlier(title, n)
		}
		read := q.ReadFile
		q.ReadFile = func(name string) ([]byte, error) {
			if name == "none.schema.json" {
				return []byte(`{"items": {"type": "string"}}`), nil
			}
			return read(name)
		}
		q.Reply = reply(200, c.body)
		if c.media != "" {
			q.Reply = reply(200, c.body, "Content-Type", c.media)
		}
		out := Check(q, claim(t, c.claim))
		require.NoError(t, out.Err, c.claim)
		assert.Equal(t, c.said, strings.Join(out.Found, "|"), "%s of %s", c.claim, c.body)
		assert.Equal(t, c.said == "", out.Held, c.claim)
	}
}

func numbers(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprint(i))
	}
	return "[" + strings.Join(all, ", ") + "]"
}

// counted are lines for the first shown of all numbers, and how many more there are.
func counted(shown, all int, line string) string {
	var out []string
	for i := range shown {
		out = append(out, strings.ReplaceAll(line, "%d", fmt.Sprint(i)))
	}
	if all > shown {
		out = append(out, fmt.Sprintf("… and %d more", all-shown))
	}
	return strings.Join(out, "|")
}

func trailing(shown, all int) string { return counted(shown, all, "$[%d] is extra: %d") }
func each(shown, all int) string     { return counted(shown, all, "$[%d] is %d") }
func fitting(shown, all int) string  { return counted(shown, all, "$[%d] got number, want string") }

// What stands behind an answer that can have no body is told with its text, where there is one.
func TestStrayBytes(t *testing.T) {
	q := quay(t)
	q.Reply = reply(204, "")
	q.Reply.Answer.Stray = 5
	assert.Equal(t, []string{"5 bytes follow the header section of an answer that can have no body"}, Check(q, claim(t, "body empty")).Found)
	q.Reply.Answer.StrayText = "gulls"
	assert.Equal(t, []string{`5 bytes follow the header section of an answer that can have no body: "gulls"`}, Check(q, claim(t, "body empty")).Found)
	q.Reply = reply(200, "{}", "X-Trace", "at handle (/srv/app.js:12:3)")
	assert.Equal(t, []string{`header X-Trace holds a source path: "/srv/app.js:12"`}, Check(q, claim(t, "body leaks nothing")).Found)
}

// What is to be left out of account is no miss, and nothing else is left out.
func TestWhatIsLeftOutOfAccount(t *testing.T) {
	q := quay(t)
	q.Form = func(d value.Difference) bool { return d.Path.String() == "$.id" }
	assert.True(t, Check(q, claim(t, `body covers { "id": 8 }`)).Held)
	assert.Equal(t, []string{`$.name expected "Smew", found "Curlew"`}, Check(q, claim(t, `body covers { "id": 8, "name": "Smew" }`)).Found)
}

// A context that has ended ends what takes long, and only the names of what held are bound.
func TestContexts(t *testing.T) {
	q := quay(t)
	assert.Equal(t, context.Background(), q.until())
	done, cancel := context.WithCancel(context.Background())
	cancel()
	q.Until = done
	assert.Equal(t, done, q.until())
	out := Check(quay(t), claim(t, `boats gains { "id": integer as new, ... }`))
	assert.Equal(t, "7", out.Bound["new"].String())
	q.Reply = nil
	assert.Equal(t, []string{"nothing was sent"}, Check(q, claim(t, "answer missing")).Found)
	q = quay(t)
	var saved string
	q.Baseline = func(now []byte) ([]byte, error) { saved = string(now); return now, nil }
	assert.True(t, Check(q, claim(t, `$.tags same as baseline`)).Held)
	assert.Equal(t, "[\n  \"a\",\n  \"b\",\n  \"c\"\n]\n", saved)
	q.Baseline = func([]byte) ([]byte, error) { return nil, fmt.Errorf("there is none") }
	assert.ErrorContains(t, Check(q, claim(t, `$.tags same as baseline`)).Err, "there is none")
	q.Reply.Request.Body = nil
	assert.ErrorContains(t, Check(q, claim(t, `body same as sent`)).Err, "no body to compare with")
	q.Reply.Request.Body = []byte("{")
	assert.Contains(t, Check(q, claim(t, `body same as sent`)).Found[0], "what was sent is not JSON")
}

// kept is a keep line as a tester writes it.
func kept(t *testing.T, text string) *syntax.Keep {
	t.Helper()
	f, diags := syntax.Parse(source.NewFile("t", "scenario \"s\"\n  step \"t\"\n    send GET /x\n    keep "+text+"\n"))
	require.Empty(t, diags, text)
	return f.Statements[0].Children[0].Children[1].Body.(*syntax.Keep)
}

// What is kept of an answer, and why nothing is.
func TestKeep(t *testing.T) {
	for _, c := range []struct{ keep, value, why string }{
		{`x from status`, "200", ""},
		{`x from header ETag`, `"\"a1\""`, ""},
		{`x from header X-None`, "", "there is no header X-None"},
		{`x from header Location`, `"/boats/7"`, ""},
		{`x from header Content-Location`, `"/quay/boats/7?v=1"`, ""},
		{`x from header X-Relative`, `"boats/7"`, ""},
		{`x from header Location last segment`, `"7"`, ""},
		{`x from header X-Slash last segment`, `"a b"`, ""},
		{`x from header X-Root last segment`, "", `"/" has no last segment`},
		{`x from header X-Odd last segment`, "", `"/%zz" is not a URL`},
		{`x from header Link /<([^>]+)>/`, `"/quay/next"`, ""},
		{`x from header ETag /[a-z]\d/`, `"a1"`, ""},
		{`x from header ETag /z/`, "", "/z/ matches nothing in the header"},
		{`x from cookie sid`, `"abc"`, ""},
		{`x from cookie other`, "", "no cookie other is set"},
		{`x from text /"name": "(\w+)"/`, `"Curlew"`, ""},
		{`x from text /gull/`, "", "/gull/ matches nothing in the body"},
		{`x from $.id`, "7", ""},
		{`x from $.nope`, "", "$.nope selects nothing"},
		{`x from $.tags[*]`, `["a", "b", "c"]`, ""},
		{`x from $.crew[?@.n == 1].pay`, `20`, ""},
		{`x from $.crew[?@.n == 9].pay`, "", "selects nothing"},
		{`x from $.flag`, "null", ""},
		{`x from $.nope or header X-None or $.id`, "7", ""},
		{`x from $.nope or header X-None`, "", "$.nope selects nothing"},
	} {
		q := quay(t)
		q.Reply.Request.URL = "http://127.0.0.1/quay/boats?draft=1"
		for _, f := range [][2]string{{"Content-Location", "boats/7?v=1"}, {"X-Relative", "boats/7"}, {"X-Slash", "/x/a%20b/"}, {"X-Root", "/"}, {"X-Odd", "/%zz"}, {"Link", "<next>; rel=next"}} {
			q.Reply.Answer.Header.Set(f[0], f[1])
		}
		v, err := q.Keep(kept(t, c.keep))
		if c.why != "" {
			assert.ErrorContains(t, err, c.why, c.keep)
			continue
		}
		require.NoError(t, err, c.keep)
		assert.Equal(t, c.value, v.String(), c.keep)
	}
	for _, c := range []struct{ keep, body, value, why string }{
		{`x from body`, `{"a": 1}`, `{"a": 1}`, ""},
		{`x from body`, `plain`, `"plain"`, ""},
		{`x from $.a`, `plain`, "", "the body is not JSON"},
		{`x from $.a if there`, `{"a": 1, "a": 2}`, "2", ""},
		{`x from $.a`, `{"a": 1, "a": 2}`, "", "twice"},
		{`x from xml //n`, `<b><n> 5 </n></b>`, `"5"`, ""},
		{`x from xml //n`, `<b><n/><n/></b>`, "", "//n selects 2 values"},
		{`x from xml //n`, `{`, "", "not XML"},
	} {
		q := quay(t)
		q.Reply = reply(200, c.body)
		v, err := q.Keep(kept(t, c.keep))
		if c.why != "" {
			assert.ErrorContains(t, err, c.why, c.keep)
			continue
		}
		require.NoError(t, err, c.keep)
		assert.Equal(t, c.value, v.String(), c.keep)
	}
	q := quay(t)
	q.Reply = nil
	_, err := q.Keep(kept(t, "x from status"))
	assert.ErrorContains(t, err, "nothing was sent")
	q.Reply = NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{Kind: exchange.Refused, Detail: "nobody"}})
	_, err = q.Keep(kept(t, "x from status"))
	assert.ErrorContains(t, err, "there is no answer")
	_, err = xmlTexts(context.Background(), reply(200, "<b/>"), "//[")
	assert.ErrorContains(t, err, "is not an XPath")
}

// Answers that are not JSON are read as values where that is said.
func TestReadings(t *testing.T) {
	for _, c := range []struct {
		r           Reading
		media, body string
		want        string
	}{
		{Reading{}, "application/json", `{"a": 1}`, `{"a": 1}`},
		{Reading{}, "text/plain", "plain", "error"},
		{Reading{Text: true}, "text/plain", "plain\r\n", `"plain"`},
		{Reading{Text: true}, "text/plain", "plain\n\n", `"plain\n"`},
		{Reading{Text: true}, "", "plain", `"plain"`},
		{Reading{Text: true}, "application/json", `"a"`, `"a"`},
		{Reading{Text: true}, "text/json", `{"a": 1}`, `{"a": 1}`},
		{Reading{Text: true}, "application/octet-stream", "plain", "error"},
		{Reading{Text: true}, "application/xml", "<a/>", "error"},
		{Reading{XML: true}, "text/plain", "plain", "error"},
		{Reading{XML: true}, "application/xml", "<a>1</a>", `{"a": "1"}`},
		{Reading{XML: true}, "application/json", `{"a": 1}`, `{"a": 1}`},
		{Reading{XML: true}, "application/xml", "<a", "error"},
	} {
		r := reply(200, c.body)
		if c.media != "" {
			r = reply(200, c.body, "Content-Type", c.media)
		}
		r.Reading = c.r
		for _, read := range []func() (*value.Value, error){r.JSON, r.Lenient, func() (*value.Value, error) { return c.r.Value(r.Answer) }} {
			v, err := read()
			got := "error"
			if err == nil {
				got = v.String()
			}
			assert.Equal(t, c.want, got, "%+v %s %s", c.r, c.media, c.body)
		}
	}
	twice := reply(200, `{"a": 1, "a": 2}`)
	_, err := twice.JSON()
	assert.Error(t, err)
	v, err := twice.Lenient()
	require.NoError(t, err)
	assert.Equal(t, `{"a": 2}`, v.String())
	joined := reply(200, "", "Vary", "a", "Vary", "b", "Set-Cookie", "bad;;=", "Set-Cookie", "a=1", "Set-Cookie", "a=2")
	text, ok := joined.Header("vary")
	assert.Equal(t, "a, b", text)
	assert.True(t, ok)
	text, ok = joined.Cookie("a")
	assert.Equal(t, []any{"1", true}, []any{text, ok})
	_, ok = joined.Cookie("b")
	assert.False(t, ok)
	assert.Equal(t, http.StatusOK, joined.Answer.Status)
}
