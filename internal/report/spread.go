package report

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// Spread says what differs between an answer and others to the same request:
// status, headers, body by path; and how the times lie.
func Spread(first *exchange.Exchange, others []*exchange.Exchange) []string {
	var out []string
	seen := map[string]bool{}
	say := func(format string, args ...any) {
		if line := fmt.Sprintf(format, args...); !seen[line] {
			seen[line] = true
			out = append(out, line)
		}
	}
	lo, hi := first.Timing.Total, first.Timing.Total
	paths := &places{said: map[string][]string{}}
	for _, x := range others {
		lo, hi = min(lo, x.Timing.Total), max(hi, x.Timing.Total)
		if first.Answer == nil || x.Answer == nil {
			if (first.Answer == nil) != (x.Answer == nil) || first.Failure.Kind != x.Failure.Kind {
				say("%s, then %s", became(first), became(x))
			}
			continue
		}
		a, b := first.Answer, x.Answer
		if a.Status != b.Status {
			say("status %s, then %s", a.StatusText(), b.StatusText())
		}
		names := map[string]bool{}
		for _, n := range append(a.Names(), b.Names()...) {
			names[n] = true
		}
		var sorted []string
		for n := range names {
			sorted = append(sorted, n)
		}
		slices.Sort(sorted)
		for _, n := range sorted {
			was, is := strings.Join(a.Header[n], ", "), strings.Join(b.Header[n], ", ")
			switch {
			case was == is || n == "Date":
			case was == "":
				say("header %s is new: %s", headerName(n), value.Cut(is, 60))
			case is == "":
				say("header %s is gone: %s", headerName(n), value.Cut(was, 60))
			default:
				say("header %s: %s, then %s", headerName(n), value.Cut(was, 50), value.Cut(is, 50))
			}
		}
		bodies(a, b, paths, say)
	}
	for _, p := range paths.order {
		out = append(out, fmt.Sprintf("%s: %s", p, strings.Join(paths.said[p][:min(3, len(paths.said[p]))], "; ")))
	}
	if len(others) > 2 {
		out = append(out, fmt.Sprintf("time: from %s to %s", exchange.Took(lo), exchange.Took(hi)))
	}
	return out
}

// places are what differs by path, in the order in which it was met: as text,
// element 10 would come before element 2.
type places struct {
	order []string
	said  map[string][]string
}

// mostPlaces is how many are told: beyond them everything differs.
const mostPlaces = 40

func (p *places) add(path, text string) {
	if p.said[path] == nil {
		if len(p.order) == mostPlaces {
			return
		}
		p.order = append(p.order, path)
	}
	if !slices.Contains(p.said[path], text) {
		p.said[path] = append(p.said[path], text)
	}
}

func became(x *exchange.Exchange) string {
	if x.Answer != nil {
		return x.Answer.StatusText()
	}
	return x.Failure.Error()
}

func bodies(a, b *exchange.Answer, paths *places, say func(string, ...any)) {
	v, err := value.Decode(string(a.Body), value.Limits{Lenient: true})
	w, err2 := value.Decode(string(b.Body), value.Limits{Lenient: true})
	if err != nil || err2 != nil {
		if string(a.Body) != string(b.Body) {
			say("the body: %d bytes, then %d bytes that differ", len(a.Body), len(b.Body))
		}
		return
	}
	for _, d := range value.Differences(v, w) {
		text := ""
		switch d.Change {
		case value.Missing:
			text = "gone, was " + value.Cut(d.Want.String(), 40)
		case value.Extra:
			text = "new: " + value.Cut(d.Got.String(), 40)
		default:
			was, is := value.CutAround(d.Want, d.Got, 40)
			text = was + ", then " + is
		}
		paths.add(d.Path.String(), text)
	}
}
