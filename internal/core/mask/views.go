package mask

import (
	"encoding/base64"
	"html"
	"sort"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// view is a text as a reader may decode it, with the places in the original of what it is made of.
type view struct {
	text string
	// parts are in order, the first at 0; none where the view is the original.
	parts []part
}

// part is what a view holds from an offset to the next part: bytes as they are in the original
// from there on, or, where long is not 0, what so many bytes of the original stand for.
type part struct{ at, from, long int }

// in is the index of the part that holds an offset.
func (v view) in(at int) int {
	return sort.Search(len(v.parts), func(i int) bool { return v.parts[i].at > at }) - 1
}

// place is where the byte at an offset comes from.
func (v view) place(at int) span {
	if v.parts == nil {
		return span{at, at + 1}
	}
	p := v.parts[v.in(at)]
	if p.long > 0 {
		return span{p.from, p.from + p.long}
	}
	at += p.from - p.at
	return span{at, at + 1}
}

func (v view) span(start, end int) span { return span{v.place(start).start, v.place(end - 1).end} }

// run adds the parts of v from start to end, as they are, to those of a view that ends at an offset.
func (v view) run(start, end, at int, out []part) []part {
	if start == end {
		return out
	}
	if v.parts == nil {
		return append(out, part{at, start, 0})
	}
	for i := v.in(start); i < len(v.parts) && v.parts[i].at < end; i++ {
		p := v.parts[i]
		if from := max(p.at, start); p.long == 0 {
			out = append(out, part{at + from - start, p.from + from - p.at, 0})
		} else {
			out = append(out, part{at + from - start, p.from, p.long})
		}
	}
	return out
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
	w := view{parts: []part{}}
	var b strings.Builder
	b.Grow(len(v.text))
	done := 0
	for i := 0; i < len(v.text); {
		next := strings.IndexAny(v.text[i:], d.marks)
		if next < 0 {
			break
		}
		i += next
		text, n := d.unit(v.text[i:])
		if n == 0 {
			i++
			continue
		}
		w.parts = v.run(done, i, b.Len(), w.parts)
		b.WriteString(v.text[done:i])
		s := v.span(i, i+n)
		w.parts = append(w.parts, part{b.Len(), s.start, s.end - s.start})
		b.WriteString(text)
		i += n
		done = i
	}
	w.parts = v.run(done, len(v.text), b.Len(), w.parts)
	b.WriteString(v.text[done:])
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
