// Package mask hides secrets in texts that leave the tool, in every spelling
// that decodes to them.
package mask

import (
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"
	"unicode/utf8"
)

// Hidden stands for a secret wherever it would be shown.
const Hidden = "•••"

// Bounds of what is hidden, in characters: what is shorter than Shortest cannot
// be, and what is shorter than Free only where it stands by itself.
const (
	Shortest = 4
	Free     = 8
)

// Mask hides the secrets that were added to it. It may be used by several
// workers at once.
type Mask struct {
	mu      sync.RWMutex
	secrets map[string]bool
	needles []needle
	// busy tells that there are needles, without the lock.
	busy atomic.Bool
}

// needle is one text that is looked for.
type needle struct {
	text string
	// alone marks a short one, which is hidden only where it stands by itself.
	alone bool
}

// New hides nothing yet.
func New() *Mask { return &Mask{secrets: map[string]bool{}} }

// Add makes a text a secret; false when it is too short to be hidden.
func (m *Mask) Add(secret string) bool {
	if utf8.RuneCountInString(secret) < Shortest {
		return false
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.secrets[secret] {
		return true
	}
	m.secrets[secret] = true
	defer m.busy.Store(true)
	add := func(text string) {
		if text != "" && !slices.ContainsFunc(m.needles, func(n needle) bool { return n.text == text }) {
			m.needles = append(m.needles, needle{text, utf8.RuneCountInString(text) < Free})
		}
	}
	add(secret)
	for _, text := range inBase64(secret) {
		add(text)
	}
	// A key of several lines may be shown line by line.
	if strings.Contains(secret, "\n") {
		for line := range strings.SplitSeq(secret, "\n") {
			if line = strings.TrimSpace(line); len(line) >= 2*Free {
				add(line)
			}
		}
	}
	return true
}

// Idle tells whether there is nothing to hide.
func (m *Mask) Idle() bool { return !m.busy.Load() }

// Holds tells whether a text has a secret in it.
func (m *Mask) Holds(text string) bool { return m.Text(text) != text }

// Text is a text with its secrets hidden.
func (m *Mask) Text(text string) string {
	if text == "" || m.Idle() {
		return text
	}
	m.mu.RLock()
	defer m.mu.RUnlock()
	var spans []span
	for _, v := range views(text) {
		for _, n := range m.needles {
			spans = n.find(v, spans)
		}
	}
	return blank(text, spans)
}

// span is a part of a text, in bytes.
type span struct{ start, end int }

// blank puts Hidden in place of parts of a text; parts that touch are one.
func blank(text string, spans []span) string {
	if len(spans) == 0 {
		return text
	}
	slices.SortFunc(spans, func(a, b span) int { return a.start - b.start })
	var b strings.Builder
	at := 0
	for i := 0; i < len(spans); {
		s := spans[i]
		for i++; i < len(spans) && spans[i].start <= s.end; i++ {
			s.end = max(s.end, spans[i].end)
		}
		b.WriteString(text[at:s.start])
		b.WriteString(Hidden)
		at = s.end
	}
	b.WriteString(text[at:])
	return b.String()
}

// find adds the parts of the original text that show the needle in one view of
// it, also where a text was cut in the middle of it.
func (n needle) find(v view, out []span) []span {
	for at := 0; ; {
		i := strings.Index(v.text[at:], n.text)
		if i < 0 {
			break
		}
		start := at + i
		end := start + len(n.text)
		if !n.alone || byItself(v.text, start, end) {
			out = append(out, v.span(start, end))
		}
		at = start + 1
	}
	const cut = "…"
	for at := 0; ; {
		i := strings.Index(v.text[at:], cut)
		if i < 0 {
			return out
		}
		start, end := at+i, at+i+len(cut)
		for k := min(len(n.text)-1, start); k >= Shortest; k-- {
			if strings.HasSuffix(v.text[:start], n.text[:k]) {
				out = append(out, v.span(start-k, start))
				break
			}
		}
		for k := min(len(n.text)-1, len(v.text)-end); k >= Shortest; k-- {
			if strings.HasPrefix(v.text[end:], n.text[len(n.text)-k:]) {
				out = append(out, v.span(end, end+k))
				break
			}
		}
		at = end
	}
}

// byItself tells whether a part of a text is a value of its own, and not a part
// of a word, a number, a date, an address or a port.
func byItself(text string, start, end int) bool {
	before, size := utf8.DecodeLastRuneInString(text[:start])
	further, _ := utf8.DecodeLastRuneInString(text[:start-size])
	if word(before, size) || joins(before) && start > size && word(further, 1) {
		return false
	}
	after, size := utf8.DecodeRuneInString(text[end:])
	further, width := utf8.DecodeRuneInString(text[end+size:])
	return !word(after, size) && !(joins(after) && word(further, width))
}

func word(r rune, size int) bool {
	return size > 0 && (r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r))
}

// joins tells of what holds dates, decimals, addresses and ports together.
func joins(r rune) bool { return strings.ContainsRune("-.:", r) }
