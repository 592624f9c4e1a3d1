package mask

import (
	"bytes"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"unicode"

	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// Found is a text at a place where secrets stand, with what the place is called.
type Found struct{ Name, Value string }

// secretWords are words of names that hold secrets; the texts of others tell no secret, when they
// come last in such a name: token_type, password_hint.
var (
	secretWords = set("password passwd passphrase passcode pass pwd secret token apikey otp totp pin ssn cvv cvc signature credential credentials jwt csrf xsrf authorization")
	aboutWords  = set("type expires expiry expiration ttl hint length policy count at in url uri endpoint age strength required enabled changed updated created id ids name names budget limit usage")
	keyWords    = set("api access private secret signing encryption account shared subscription auth")
	// leadsWords are segments of a path behind which a secret stands.
	leadsWords = set("token tokens reset invite invitation share")
	// drawnWords are names of what may be drawn: a secret where it is long and random.
	drawnWords = set("code sig state nonce session sid")
)

func set(words string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(words) {
		out[w] = true
	}
	return out
}

// words are those of a name, in lower case, parted at a change of case and at what is no letter
// or digit: userPassword, j_password, user[password].
func words(name string) []string {
	var out []string
	var b strings.Builder
	end := func() {
		if b.Len() > 0 {
			out = append(out, strings.ToLower(b.String()))
			b.Reset()
		}
	}
	small := false
	for _, c := range name {
		switch {
		case !unicode.IsLetter(c) && !unicode.IsDigit(c):
			end()
			small = false
			continue
		case unicode.IsUpper(c) && small:
			end()
		}
		small = unicode.IsLower(c)
		b.WriteRune(c)
	}
	end()
	return out
}

// named tells whether what is called so is a secret.
func named(name string) bool {
	list := words(name)
	if len(list) == 0 || aboutWords[list[len(list)-1]] {
		return false
	}
	for i, w := range list {
		if secretWords[w] || w == "key" && i > 0 && keyWords[list[i-1]] || strings.HasSuffix(w, "password") || strings.HasSuffix(w, "secret") || strings.HasSuffix(w, "token") && w != "token" {
			return true
		}
	}
	return false
}

// HeaderNamed tells whether a header field of that name holds a secret: one whose last word is
// key, token or secret too, but for keys that only tell one request from the next.
func HeaderNamed(name string) bool {
	list := words(name)
	if len(list) == 0 || strings.EqualFold(name, "Idempotency-Key") || strings.EqualFold(name, "X-Idempotency-Key") || strings.HasPrefix(strings.ToLower(name), "sec-") {
		return false
	}
	switch last := list[len(list)-1]; {
	case len(list) > 1 && (last == "key" || last == "auth" || last == "session"):
		return true
	case strings.EqualFold(name, "Authorization"), strings.EqualFold(name, "Proxy-Authorization"), strings.EqualFold(name, "Cookie"), strings.EqualFold(name, "Set-Cookie"):
		return true
	}
	return named(name)
}

var (
	jwtForm    = late.Regexp(`^[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]*$`)
	randomForm = late.Regexp(`^[A-Za-z0-9+/=_.~-]{32,}$`)
)

// shaped tells whether a text is a secret by its form: a token in three parts, a private key, or a
// long random one under a name that such have.
func shaped(name, text string) bool {
	switch {
	case strings.HasPrefix(text, "eyJ") && jwtForm().MatchString(text), strings.Contains(text, "-----BEGIN ") && strings.Contains(text, "KEY-----"):
		return true
	case !randomForm().MatchString(text) || !strings.ContainsAny(text, "0123456789") || !strings.ContainsFunc(text, unicode.IsLetter):
		return false
	}
	list := words(name)
	return len(list) > 0 && drawnWords[list[len(list)-1]]
}

// finder gathers what stands where secrets do.
type finder struct{ out []Found }

func (f *finder) pair(name, text string) {
	if text != "" && (named(name) || shaped(name, text)) {
		f.out = append(f.out, Found{name, text})
	}
}

// InURL are the secrets in a URL: in its user information, its query, and behind segments of its
// path that lead to one.
func InURL(raw string) []Found {
	if !strings.ContainsAny(raw, "?@") && !strings.Contains(raw, "/token") && !strings.Contains(raw, "/reset") && !strings.Contains(raw, "/invit") && !strings.Contains(raw, "/share") {
		return nil
	}
	u, err := url.Parse(raw)
	if err != nil {
		return nil
	}
	f := &finder{}
	if pw, ok := u.User.Password(); ok {
		f.out = append(f.out, Found{"password", pw})
	}
	parts := strings.Split(u.Path, "/")
	for i := 1; i < len(parts); i++ {
		if leadsWords[strings.ToLower(parts[i-1])] && len(parts[i]) >= Free && strings.ContainsAny(parts[i], "0123456789") {
			f.out = append(f.out, Found{parts[i-1], parts[i]})
		}
	}
	f.form(u.RawQuery)
	return f.out
}

// InHeader is the secret in a header field: what stands behind the scheme, or the values of
// cookies.
func InHeader(name, text string) []Found {
	f := &finder{}
	switch lower := strings.ToLower(name); {
	case lower == "authorization" || lower == "proxy-authorization":
		_, rest, spaced := strings.Cut(text, " ")
		if !spaced {
			rest = text
		}
		f.out = append(f.out, Found{"token", strings.TrimSpace(rest)})
	case lower == "cookie" || lower == "set-cookie":
		for i, pair := range strings.Split(text, ";") {
			if n, v, ok := strings.Cut(strings.TrimSpace(pair), "="); ok && len(v) >= Free && (i == 0 || lower == "cookie") {
				f.out = append(f.out, Found{n, v})
			}
		}
	case HeaderNamed(name) && text != "":
		f.out = append(f.out, Found{name, text})
	case strings.Contains(text, "?"):
		// A URL in a header: Location, Referer.
		f.out = append(f.out, InURL(text)...)
	default:
		f.pair(name, text)
	}
	return f.out
}

var (
	xmlElement = late.Regexp(`<([A-Za-z_][\w.:-]*)(?:\s[^<>]*)?>([^<>]+)</`)
	xmlMember  = late.Regexp(`\s([A-Za-z_][\w.:-]*)\s*=\s*["']([^"'<>]+)["']`)
	partName   = late.Regexp(`(?is)\r?\ncontent-disposition:[^\r\n]*\bname="([^"]*)"[^\r\n]*\r?\n(?:[^\r\n]+\r?\n)*\r?\n(.*?)\r?\n--`)
	// stems are what at least one name of a secret has in it, or a token.
	stems = [][]byte{}
	// drawnMember ends with what comes before the value of a member whose name has what may be drawn.
	drawnMember = late.Regexp(`"([^"\\]*(?:[Cc]ode|[Ss]tate|[Nn]once|[Ss]ig|[Ss]id|[Ss]ession))"\s*:\s*"$`)
)

func init() {
	for _, s := range strings.Fields("ass ASS wd WD ecret ECRET oken OKEN _key -key Key KEY apikey eyJ otp OTP pin Pin PIN ssn SSN vv VV cvc CVC ignature redential jwt JWT srf SRF uthorization") {
		stems = append(stems, []byte(s))
	}
}

// InBody are the secrets in a body: members of JSON, also of JSON that stands as text in it, fields
// of forms, parts, and elements and attributes of XML.
func InBody(body []byte) []Found {
	if len(body) == 0 {
		return nil
	}
	f := &finder{}
	f.drawn(body)
	if !slices.ContainsFunc(stems, func(s []byte) bool { return bytes.Contains(body, s) }) {
		return f.out
	}
	text := string(body)
	switch trimmed := strings.TrimLeft(text, " \t\r\n\ufeff"); {
	case strings.HasPrefix(trimmed, "{") || strings.HasPrefix(trimmed, "["):
		f.json(text)
	case strings.HasPrefix(trimmed, "<"):
		for _, list := range [][][]string{xmlElement().FindAllStringSubmatch(text, -1), xmlMember().FindAllStringSubmatch(text, -1)} {
			for _, m := range list {
				f.pair(m[1], strings.TrimSpace(m[2]))
			}
		}
	case strings.HasPrefix(trimmed, "--"):
		for _, m := range partName().FindAllStringSubmatch("\n"+text, -1) {
			f.pair(m[1], m[2])
			f.json(m[2])
		}
	case strings.Contains(trimmed, "="):
		f.form(trimmed)
	}
	return f.out
}

// Shown is an answer as it may be kept.
type Shown struct {
	Header http.Header
	Body   []byte
}

// Answer is an answer without the secrets that stand in it.
func Answer(header http.Header, body []byte) Shown {
	m := New()
	for _, f := range InBody(body) {
		m.Add(f.Value)
	}
	out := Shown{Header: http.Header{}, Body: []byte(m.Text(string(body)))}
	for n, values := range header {
		for _, v := range values {
			if shown := Credential(n, v, nil); shown != v {
				v = shown
			} else if HeaderNamed(n) {
				v = Hidden
			}
			out.Header[n] = append(out.Header[n], m.Text(v))
		}
	}
	return out
}

// drawnNames are how names of what may be drawn end in JSON.
var drawnNames = [][]byte{[]byte(`ode"`), []byte(`tate"`), []byte(`once"`), []byte(`ig"`), []byte(`id"`), []byte(`ession"`)}

// drawn takes members that may be drawn, where they are long.
func (f *finder) drawn(body []byte) {
	if !slices.ContainsFunc(drawnNames, func(n []byte) bool { return bytes.Contains(body, n) }) {
		return
	}
	for from, to := 0, 0; from < len(body); from = to + 1 {
		for to = from; to < len(body) && inDrawn[body[to]]; {
			to++
		}
		if to-from < shortestDrawn || to == len(body) || body[to] != '"' {
			continue
		}
		if m := drawnMember().FindSubmatch(body[max(0, from-mostNamed):from]); m != nil {
			f.pair(string(m[1]), string(body[from:to]))
		}
	}
}

// shortestDrawn is how long what is drawn is at least, inDrawn what it is written with, and mostNamed
// how far before it its name begins at most.
const (
	shortestDrawn = 32
	mostNamed     = 300
)

var inDrawn = func() (in [256]bool) {
	for _, c := range []byte("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/=_.~-") {
		in[c] = true
	}
	return in
}()

// form takes fields of a form or a query.
func (f *finder) form(text string) {
	for _, p := range strings.Split(text, "&") {
		n, v, _ := strings.Cut(p, "=")
		name, err := url.QueryUnescape(n)
		plain, err2 := url.QueryUnescape(v)
		if err == nil && err2 == nil {
			f.pair(name, plain)
			f.json(plain)
		}
	}
}

// json takes members of JSON.
func (f *finder) json(text string) {
	trimmed := strings.TrimSpace(text)
	if len(trimmed) < 2 || trimmed[0] != '{' && trimmed[0] != '[' {
		return
	}
	if v, err := value.Decode(trimmed, value.Limits{Lenient: true}); err == nil {
		f.within("", v, 0)
	}
}

func (f *finder) within(name string, v *value.Value, deep int) {
	if deep > 64 {
		return
	}
	switch v.Kind {
	case value.Object:
		for i, one := range v.Items {
			f.within(v.Names[i], one, deep+1)
		}
	case value.Array:
		for _, one := range v.Items {
			f.within(name, one, deep+1)
		}
	case value.String:
		f.pair(name, v.Text)
		f.json(v.Text)
	case value.Number:
		if named(name) {
			f.out = append(f.out, Found{name, v.Text})
		}
	}
}
