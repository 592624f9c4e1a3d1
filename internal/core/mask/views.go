package mask

import (
	"encoding/base64"
	"html"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// view is a text as a reader may decode it, with the place in the original of
// each of its bytes.
type view struct {
	text string
	// from and to are offsets in the original; nil where the view is the original.
	from, to []int
}

func (v view) span(start, end int) span {
	if v.from == nil {
		return span{start, end}
	}
	return span{v.from[start], v.to[end-1]}
}

// Bounds of how far a text is decoded: an escape may be escaped again, by a
// service and by this tool.
const (
	deepest   = 3
	mostViews = 24
)

// views are a text as it is, and decoded in each way and order.
func views(text string) []view {
	out := []view{{text: text}}
	seen := map[string]bool{text: true}
	level := out
	for range deepest {
		var next []view
		for _, v := range level {
			for _, d := range decoders {
				if len(out)+len(next) >= mostViews {
					break
				}
				if !strings.ContainsAny(v.text, d.marks) {
					continue
				}
				if w := d.decode(v); !seen[w.text] {
					seen[w.text] = true
					next = append(next, w)
				}
			}
		}
		if len(next) == 0 {
			break
		}
		out, level = append(out, next...), next
	}
	return out
}

// decoder undoes one kind of escapes: unit is what one of them at the start of a
// text stands for, and how long it is; 0 for none.
type decoder struct {
	marks string
	unit  func(s string) (string, int)
}

var decoders = []decoder{{`\`, jsonUnit}, {"%", percentUnit}, {"+%", formUnit}, {"&", entityUnit}}

func (d decoder) decode(v view) view {
	w := view{}
	var b strings.Builder
	put := func(text string, start, end int) {
		s := v.span(start, end)
		for range len(text) {
			w.from, w.to = append(w.from, s.start), append(w.to, s.end)
		}
		b.WriteString(text)
	}
	for i := 0; i < len(v.text); {
		if strings.IndexByte(d.marks, v.text[i]) >= 0 {
			if text, n := d.unit(v.text[i:]); n > 0 {
				put(text, i, i+n)
				i += n
				continue
			}
		}
		put(v.text[i:i+1], i, i+1)
		i++
	}
	w.text = b.String()
	return w
}

// jsonUnit is an escape of RFC 8259 §7.
func jsonUnit(s string) (string, int) {
	if len(s) < 2 {
		return "", 0
	}
	if i := strings.IndexByte(`"\/bfnrt`, s[1]); i >= 0 {
		return "\"\\/\b\f\n\r\t"[i : i+1], 2
	}
	unit := func(s string) (rune, bool) {
		if len(s) < 6 || s[0] != '\\' || s[1] != 'u' {
			return 0, false
		}
		n, err := strconv.ParseUint(s[2:6], 16, 16)
		return rune(n), err == nil
	}
	r, ok := unit(s)
	if !ok {
		return "", 0
	}
	if utf16.IsSurrogate(r) {
		if low, ok := unit(s[6:]); ok {
			if both := utf16.DecodeRune(r, low); both != utf8.RuneError {
				return string(both), 12
			}
		}
	}
	return string(r), 6
}

// percentUnit is an escape of RFC 3986 §2.1.
func percentUnit(s string) (string, int) {
	if len(s) < 3 || s[0] != '%' {
		return "", 0
	}
	n, err := strconv.ParseUint(s[1:3], 16, 8)
	if err != nil {
		return "", 0
	}
	return string([]byte{byte(n)}), 3
}

// formUnit is one of a form, in which a plus sign is a blank.
func formUnit(s string) (string, int) {
	if s[0] == '+' {
		return " ", 1
	}
	return percentUnit(s)
}

// entityUnit is a character reference of HTML.
func entityUnit(s string) (string, int) {
	end := strings.IndexByte(s[:min(len(s), 12)], ';')
	if end < 0 {
		return "", 0
	}
	if text := html.UnescapeString(s[:end+1]); text != s[:end+1] {
		return text, end + 1
	}
	return "", 0
}

// inBase64 is what every Base64 of a text that holds the secret holds: inside a
// longer text it starts at one of three places of a group.
func inBase64(secret string) []string {
	var out []string
	for _, enc := range []*base64.Encoding{base64.RawStdEncoding, base64.RawURLEncoding} {
		for offset := range 3 {
			coded := enc.EncodeToString([]byte(strings.Repeat("\x00", offset) + secret))
			from, to := []int{0, 2, 3}[offset], len(coded)
			if (offset+len(secret))%3 != 0 {
				to--
			}
			if to-from >= 6 {
				out = append(out, coded[from:to])
			}
		}
	}
	return out
}
