package scope

import (
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/value"
)

// Drawn are random values that were given out. Who finds one of them in an
// item of a service knows who made the item.
type Drawn struct {
	numbers []int64
	texts   []string
}

// Bounds of what tells one item from another.
const (
	// telling is the smallest number, and shortest the shortest text, that is not
	// likely to be met by chance.
	telling  = 10_000
	shortest = 6
)

// counted notes a number that was counted up or down from one that was drawn: items that are made
// one after the other carry `turn + 1`, and so on.
func (d *Drawn) counted(from, to *value.Value) {
	if n, ok := from.Int(); ok && slices.Contains(d.numbers, int64(n)) {
		d.Note(to)
	}
}

// Take notes what another one knows.
func (d *Drawn) Take(other *Drawn) {
	for _, n := range other.numbers {
		d.Note(value.NewInt(n))
	}
	for _, t := range other.texts {
		if !slices.Contains(d.texts, t) {
			d.texts = append(d.texts, t)
		}
	}
}

// drawn notes a random value, and gives it back.
func (w *World) drawn(v *value.Value) *value.Value { return w.Drawn.Note(v) }

// Note notes a value that was given out, and gives it back.
func (d *Drawn) Note(v *value.Value) *value.Value {
	if n, ok := v.Int(); ok && v.Kind == value.Number {
		if n >= telling && !slices.Contains(d.numbers, int64(n)) {
			d.numbers = append(d.numbers, int64(n))
		}
		return v
	}
	if text := strings.ToLower(v.Plain()); len(text) >= shortest {
		d.texts = append(d.texts, text)
	}
	return v
}

// In tells whether a text holds a value that was drawn, in either case.
func (d *Drawn) In(text string) bool {
	text = strings.ToLower(text)
	for _, t := range d.texts {
		if strings.Contains(text, t) {
			return true
		}
	}
	if len(d.numbers) == 0 {
		return false
	}
	for i := 0; i < len(text); {
		if text[i] < '0' || text[i] > '9' {
			i++
			continue
		}
		from := i
		for i < len(text) && text[i] >= '0' && text[i] <= '9' {
			i++
		}
		n, err := strconv.ParseInt(text[from:i], 10, 64)
		if err != nil {
			continue
		}
		if slices.Contains(d.numbers, n) {
			return true
		}
	}
	return false
}
