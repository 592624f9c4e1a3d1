package jsonpath

import (
	"regexp"
	"strings"
	"unicode/utf8"
)

// pattern is a compiled I-Regexp; both are nil when the text is none, and
// then nothing matches (RFC 9535 §2.4.6).
type pattern struct{ whole, part *regexp.Regexp }

func compilePattern(text string) *pattern {
	translated, ok := translate(text)
	if !ok {
		return &pattern{}
	}
	part, err := regexp.Compile(translated)
	if err != nil {
		return &pattern{}
	}
	return &pattern{regexp.MustCompile(`\A(?:` + translated + `)\z`), part}
}

func (p *pattern) matches(s string, whole bool) bool {
	if p.part == nil {
		return false
	}
	if whole {
		return p.whole.MatchString(s)
	}
	return p.part.MatchString(s)
}

// translate checks a pattern against the grammar of RFC 9485 §3 and writes it
// for Go's engine: there only the dot means something else.
func translate(text string) (string, bool) {
	if !utf8.ValidString(text) {
		return "", false
	}
	t := translator{s: text}
	t.alternatives()
	return t.out.String(), !t.bad && t.i == len(t.s)
}

type translator struct {
	s    string
	i    int
	out  strings.Builder
	bad  bool
	deep int
}

func (t *translator) peek() byte {
	if t.i < len(t.s) {
		return t.s[t.i]
	}
	return 0
}

func (t *translator) alternatives() {
	t.deep++
	if t.deep > 200 {
		t.bad = true
		return
	}
	for !t.bad && t.i < len(t.s) && t.peek() != ')' {
		if t.peek() == '|' {
			t.out.WriteByte('|')
			t.i++
			continue
		}
		t.piece()
	}
	t.deep--
}

func (t *translator) piece() {
	switch c := t.peek(); c {
	case '(':
		t.i++
		t.out.WriteString("(?:")
		t.alternatives()
		if t.peek() != ')' {
			t.bad = true
			return
		}
		t.i++
		t.out.WriteByte(')')
	case '.':
		t.i++
		t.out.WriteString(`[^\n\r]`)
	case '[':
		t.class()
	case '\\':
		t.escape()
	case '*', '+', '?', '{', '}', ']':
		t.bad = true
		return
	default:
		_, size := utf8.DecodeRuneInString(t.s[t.i:])
		// RFC 9485 leaves ^ and $ to the engine's meaning (§5.3).
		t.out.WriteString(t.s[t.i : t.i+size])
		t.i += size
	}
	t.quantifier()
}

func (t *translator) quantifier() {
	switch t.peek() {
	case '*', '+', '?':
		t.out.WriteByte(t.peek())
		t.i++
	case '{':
		end := strings.IndexByte(t.s[t.i:], '}')
		if end < 0 || !quantity.MatchString(t.s[t.i:t.i+end+1]) {
			t.bad = true
			return
		}
		t.out.WriteString(t.s[t.i : t.i+end+1])
		t.i += end + 1
	}
}

var (
	quantity = regexp.MustCompile(`^\{[0-9]+(,[0-9]*)?\}$`)
	category = regexp.MustCompile(`^\\[pP]\{(L[lmotu]?|M[cen]?|N[dlo]?|P[cdefios]?|Z[lps]?|S[ckmo]?|C[cfno]?)\}`)
)

const escapable = `()*+-.?[\]^{|}nrt`

func (t *translator) escape() {
	if m := category.FindString(t.s[t.i:]); m != "" {
		if strings.HasSuffix(m, "{Cn}") {
			// Unassigned: everything outside the other categories.
			if m[1] == 'p' {
				m = `[^\p{L}\p{M}\p{N}\p{P}\p{Z}\p{S}\p{C}]`
			} else {
				m = `[\p{L}\p{M}\p{N}\p{P}\p{Z}\p{S}\p{C}]`
			}
			t.i += len(`\p{Cn}`)
			t.out.WriteString(m)
			return
		}
		t.out.WriteString(m)
		t.i += len(m)
		return
	}
	if t.i+1 >= len(t.s) || !strings.ContainsRune(escapable, rune(t.s[t.i+1])) {
		t.bad = true
		return
	}
	t.out.WriteString(t.s[t.i : t.i+2])
	t.i += 2
}

func (t *translator) class() {
	t.i++
	t.out.WriteByte('[')
	if t.peek() == '^' {
		t.i++
		t.out.WriteByte('^')
	}
	first := true
	for !t.bad {
		switch c := t.peek(); {
		case t.i == len(t.s) || c == '[':
			t.bad = true
		case c == ']':
			if first {
				t.bad = true
				return
			}
			t.i++
			t.out.WriteByte(']')
			return
		case c == '-':
			// A hyphen stands for itself only at either end.
			if !first && !strings.HasPrefix(t.s[t.i:], "-]") {
				t.bad = true
				return
			}
			t.out.WriteString(`\-`)
			t.i++
		case c == '\\' && category.MatchString(t.s[t.i:]):
			t.escape()
		default:
			t.classChar()
			if t.peek() == '-' && !strings.HasPrefix(t.s[t.i:], "-]") {
				t.out.WriteByte('-')
				t.i++
				t.classChar()
			}
		}
		first = false
	}
}

func (t *translator) classChar() {
	switch c := t.peek(); {
	case t.i == len(t.s) || c == '[' || c == ']' || c == '-':
		t.bad = true
	case c == '\\':
		if category.MatchString(t.s[t.i:]) {
			t.bad = true
			return
		}
		t.escape()
	default:
		r, size := utf8.DecodeRuneInString(t.s[t.i:])
		if r == '^' || r == '&' || r == '~' {
			t.out.WriteByte('\\')
		}
		t.out.WriteString(t.s[t.i : t.i+size])
		t.i += size
	}
}
