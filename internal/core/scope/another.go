package scope

import (
	"cmp"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// Another is a value of the same form that nothing is likely to have: for a
// number, in quotes or not, one that is some hundred millions larger and still fits 32
// bits, a fresh UUID for a UUID, a text with other letters and digits. Of a path or URL
// only the last segment is another.
func Another(r *Random, v *value.Value) (*value.Value, error) {
	if v.Kind == value.Number {
		sum, err := value.Add(v.Text, value.NewInt(700_000_000+r.Int64N(200_000_000)).Text, false)
		return value.NewNumber(sum), err
	}
	text := v.Plain()
	if _, err := uuid.Parse(text); err == nil && len(text) == 36 {
		id, err := uuid.NewRandomFromReader(randomReader{r})
		return value.NewString(id.String()), err
	}
	head := ""
	if i := strings.LastIndexByte(strings.TrimSuffix(text, "/"), '/'); i >= 0 {
		head, text = text[:i+1], text[i+1:]
		last, err := Another(r, lastSegment(text))
		return value.NewString(head + last.Plain()), err
	}
	if n := lastSegment(text); n.Kind == value.Number {
		// A number in quotes is counted up like any other: the next ones may have been there.
		far, err := Another(r, n)
		return value.NewString(far.Plain()), err
	}
	return likeText(r, text), nil
}

// likeText is a text with other letters and digits. What its form may depend on stays: words
// before numbers, as in "buoy-17", the first half of a long run, where a time or a version may
// be, and the letters that such a run is written with.
func likeText(r *Random, text string) *value.Value {
	out := []byte(text)
	runs := alnumRun().FindAllStringIndex(text, -1)
	numbered := strings.ContainsAny(text, "0123456789")
	for _, at := range runs {
		run := text[at[0]:at[1]]
		if numbered && len(runs) > 1 && !strings.ContainsAny(run, "0123456789") {
			continue
		}
		from, letters := at[0], ""
		if hexRun().MatchString(run) {
			letters = "0123456789abcdefABCDEF"
		}
		if len(run) >= longRun {
			from = at[0] + len(run)/2 + 1
			letters = cmp.Or(letters, run)
		}
		for i := from; i < at[1]; i++ {
			out[i] = otherThan(r, text[i], letters)
		}
	}
	return value.NewString(string(out))
}

// longRun is how long a run of letters and digits is that has an alphabet of its own.
const longRun = 16

var (
	alnumRun = late.Regexp(`[0-9A-Za-z]+`)
	hexRun   = late.Regexp(`^([0-9a-f]{8,}|[0-9A-F]{8,})$`)
)

// otherThan is another letter or digit of its kind; of those in a text, where it has others.
func otherThan(r *Random, b byte, of string) byte {
	first, last := byte('0'), byte('9')
	switch {
	case b >= 'a' && b <= 'z':
		first, last = 'a', 'z'
	case b >= 'A' && b <= 'Z':
		first, last = 'A', 'Z'
	}
	var others []byte
	for c := first; c <= last; c++ {
		if c != b && (of == "" || strings.IndexByte(of, c) >= 0) {
			others = append(others, c)
		}
	}
	if len(others) == 0 {
		return b
	}
	return others[r.IntN(len(others))]
}

// anotherThan is another that is not in a list: of short texts there are few.
func anotherThan(r *Random, like, list *value.Value) (*value.Value, error) {
	if list.Kind != value.Array {
		return nil, fmt.Errorf("another() takes a value, and a list of those that it must not be")
	}
	taken := map[string]bool{}
	for _, it := range list.Items {
		taken[it.Plain()] = true
	}
	for range 1000 {
		v, err := Another(r, like)
		if like.Kind == value.String && lastSegment(like.Text).Kind == value.Number {
			// With those that are there known, the next one is as good, and keeps to the form.
			v = likeText(r, like.Text)
		}
		if err != nil || !taken[v.Plain()] {
			return v, err
		}
	}
	return nil, &Unbound{"a value like " + value.Cut(like.String(), 40) + " that none of the " + fmt.Sprint(len(list.Items)) + " has"}
}

// lastSegment is a path's segment as a number where it is one.
func lastSegment(text string) *value.Value {
	if text != "" && strings.Trim(text, "0123456789") == "" && text[0] != '0' && len(text) < 10 {
		return value.NewNumber(text)
	}
	return value.NewString(text)
}
