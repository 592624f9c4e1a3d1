package mask

import (
	"encoding/base64"
	"encoding/json"
	"html"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

const key = "Møwe & \"Auk\"/%41\\7"

func TestEverySpelling(t *testing.T) {
	quoted := func(s string) string { b, _ := json.Marshal(s); return string(b) }
	pem := "-----BEGIN KEY-----\nAAAABBBBCCCCDDDDEEEE\nFFFFGGGGHHHHIIIIJJJJ\n-----END KEY-----"
	m := New()
	for _, s := range []string{key, pem, "2468", "swordfish9"} {
		assert.True(t, m.Add(s))
	}
	assert.False(t, m.Add("abc"), "too short to be hidden")
	for _, text := range []string{
		key, quoted(key), quoted(quoted(key)), url.QueryEscape(key), url.PathEscape(key), strings.ReplaceAll(url.PathEscape(key), "%C3%B8", "%c3%b8"),
		html.EscapeString(key), `M\u00f8we \u0026 \"Auk\"\/%41\\7`, "a " + base64.StdEncoding.EncodeToString([]byte("x:"+key)) + " b", quoted(pem), quoted(quoted(pem)), "line FFFFGGGGHHHHIIIIJJJJ",
		"swor…", "a swordfi…", "…fish9 b", "xswordfish9y", `{"pin":2468}`, `{"pin":"2468"}`, "pin=2468&x", "/pins/2468",
	} {
		got := m.Text("before " + text + " after")
		assert.Contains(t, got, Hidden, text)
		assert.True(t, strings.HasPrefix(got, "before ") && strings.HasSuffix(got, " after"), got)
		for _, s := range []string{"Møwe", "AAAABBBB", "FFFFGGGG", "2468", "fish9"} {
			assert.NotContains(t, got, s, text)
		}
	}
	// Nothing more is hidden than the secret.
	for _, text := range []string{"2468-01-02", "2026-11-24T68:00", "127.0.0.1:2468", "http://127.0.0.1:2468/boats", "12468", "24680", "a2468", "1.2468", "2468.5", "sword fish", "swo…", "%41", "&amp;", "\\n"} {
		assert.Equal(t, text, m.Text(text))
	}
	assert.Equal(t, `{"a": "`+Hidden+`", "b": 1}`, m.Text(`{"a": "swordfish9", "b": 1}`))
}

func TestHeaders(t *testing.T) {
	for _, c := range [][3]string{
		{"Authorization", "Bearer abc", "Bearer •••"}, {"authorization", "abc", "•••"}, {"Proxy-Authorization", "Basic eA==", "Basic •••"}, {"Cookie", "a=1; b=2", "a=•••; b=•••"},
		{"Set-Cookie", "sid=1; Path=/; HttpOnly", "sid=•••; Path=/; HttpOnly"}, {"X-Key", "abc", "•••"}, {"Accept", "a/b", "a/b"},
	} {
		assert.Equal(t, c[2], Credential(c[0], c[1], map[string]bool{"x-key": true}))
	}
}

func FuzzText(f *testing.F) {
	f.Add("swordfish", "a %s b", uint8(0))
	f.Add("Møwe & \"Auk\"", `{"k": "%s"}`, uint8(7))
	f.Add("2468", "x%s1", uint8(2))
	f.Fuzz(func(t *testing.T, secret, around string, how uint8) {
		m := New()
		if !m.Add(secret) || strings.ContainsRune(secret, '•') || strings.Contains(around, secret) {
			return
		}
		text := secret
		for ; how > 0; how >>= 2 {
			switch how & 3 {
			case 1:
				b, _ := json.Marshal(text)
				text = strings.Trim(string(b), `"`)
			case 2:
				text = url.PathEscape(text)
			case 3:
				text = html.EscapeString(text)
			}
			if how>>2 > 63 {
				break
			}
		}
		got := m.Text(around + "\n" + secret + "\n" + around)
		if len([]rune(secret)) >= Free && strings.Contains(got, secret) {
			t.Fatalf("%q shows %q", got, secret)
		}
		if got := m.Text(" " + text + " "); strings.Contains(got, secret) && len([]rune(secret)) >= Free {
			t.Fatalf("%q shows %q", got, secret)
		}
	})
}
