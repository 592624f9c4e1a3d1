package exchange

import (
	"mime"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/htmlindex"
)

// MediaType is the type of a Content-Type in lower case, without parameters;
// "" when there is none or it cannot be read (RFC 9110 §8.3.1).
func MediaType(contentType string) string {
	t, _, err := mime.ParseMediaType(contentType)
	if err != nil {
		t, _, _ = strings.Cut(contentType, ";")
		t = strings.ToLower(strings.TrimSpace(t))
	}
	return t
}

// IsJSON tells whether a media type is application/json or ends in +json
// (RFC 6839 §3.1).
func IsJSON(contentType string) bool {
	t := MediaType(contentType)
	return t == "application/json" || t == "text/json" || strings.HasSuffix(t, "+json")
}

// Text is the body as characters, by the charset parameter of its type;
// without one it is UTF-8, or Latin-1 when it is not valid UTF-8. The second
// result names a charset that is not known or not true.
func (a *Answer) Text() (text, problem string) {
	_, params, _ := mime.ParseMediaType(a.Header.Get("Content-Type"))
	charset := strings.ToLower(params["charset"])
	switch charset {
	case "", "utf-8", "utf8", "us-ascii":
		if utf8.Valid(a.Body) {
			return string(a.Body), ""
		}
		if charset != "" {
			problem = "the body is not valid " + charset
		}
		charset = "iso-8859-1"
	}
	enc, err := htmlindex.Get(charset)
	if err != nil {
		return strings.ToValidUTF8(string(a.Body), "\uFFFD"), "charset " + charset + " is not known"
	}
	decoded, err := enc.NewDecoder().Bytes(a.Body)
	if err != nil {
		return strings.ToValidUTF8(string(a.Body), "\uFFFD"), "the body is not valid " + charset
	}
	return string(decoded), problem
}

// SplitList splits a field value that is a list (RFC 9110 §5.6.1) at its
// commas, outside quoted strings; empty elements are dropped.
func SplitList(values ...string) []string {
	var out []string
	for _, v := range values {
		quoted := false
		from := 0
		flush := func(to int) {
			if item := strings.TrimSpace(v[from:to]); item != "" {
				out = append(out, item)
			}
			from = to + 1
		}
		for i := 0; i < len(v); i++ {
			switch {
			case v[i] == '\\' && quoted:
				i++
			case v[i] == '"':
				quoted = !quoted
			case v[i] == ',' && !quoted:
				flush(i)
			}
		}
		if from <= len(v) {
			flush(len(v))
		}
	}
	return out
}

// IsXML tells whether a media type is one of XML's (RFC 7303 §4).
func IsXML(contentType string) bool {
	m := MediaType(contentType)
	return m == "application/xml" || m == "text/xml" || strings.HasSuffix(m, "+xml")
}
