package out

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
)

// times are the answer times of each kind of request, in buckets: how many
// there are does not matter for the memory.
type times struct {
	by    map[string]*bins
	order []string
}

// perDecade is how many buckets a tenfold of time has; the first starts at
// 10 microseconds.
const (
	perDecade = 10
	buckets   = 7 * perDecade
)

type bins struct {
	n     [buckets]int
	count int
	max   time.Duration
}

func bucket(d time.Duration) int {
	if d < 10*time.Microsecond {
		return 0
	}
	return min(buckets-1, int(math.Log10(float64(d)/1e4)*perDecade))
}

// upper is the end of a bucket.
func upper(i int) time.Duration {
	return time.Duration(1e4 * math.Pow(10, float64(i+1)/perDecade))
}

var idSegment = late.Regexp(`/(?:[^/]*[0-9%][^/]*|[^/]{33,})`)

// kind is a request without what differs from one to the next of its kind.
func kind(method, url string) string {
	p, _, _ := strings.Cut(path(url), "?")
	return method + " " + idSegment().ReplaceAllString(p, "/…")
}

// mostKinds bounds how many kinds of requests are told apart.
const mostKinds = 500

func (t *times) add(s *scenario) {
	if t.by == nil {
		t.by = map[string]*bins{}
	}
	for _, st := range s.steps {
		for _, x := range st.Sent {
			if x.Exchange.Answer == nil {
				continue
			}
			k := kind(x.Exchange.Request.Method, x.Exchange.Request.URL)
			b := t.by[k]
			if b == nil {
				if len(t.by) >= mostKinds {
					continue
				}
				b = &bins{}
				t.by[k] = b
				t.order = append(t.order, k)
			}
			b.n[bucket(x.Exchange.Timing.Total)]++
			b.count++
			b.max = max(b.max, x.Exchange.Timing.Total)
		}
	}
}

// part is the time that this part of the answers did not exceed.
func (b *bins) part(p float64) time.Duration {
	want, seen := int(math.Ceil(p*float64(b.count))), 0
	for i, n := range b.n {
		if seen += n; seen >= want {
			return min(upper(i), b.max)
		}
	}
	return b.max
}

type timeView struct {
	Name, Median, High, Max string
	N                       int
	Spark                   template.HTML
}

func (t *times) views() ([]timeView, int) {
	order := slices.Clone(t.order)
	slices.SortStableFunc(order, func(a, b string) int { return t.by[b].count - t.by[a].count })
	var out []timeView
	for i, k := range order {
		if i == mostTimes {
			return out, len(order) - i
		}
		b := t.by[k]
		out = append(out, timeView{safe(k), exchange.Took(b.part(.5)), exchange.Took(b.part(.95)), exchange.Took(b.max), b.count, b.spark()})
	}
	return out, 0
}

// spark draws the distribution from 10 microseconds to 10 seconds.
func (b *bins) spark() template.HTML {
	most := slices.Max(b.n[:])
	var s strings.Builder
	fmt.Fprintf(&s, `<svg class="spark" viewBox="0 0 %d 20" role="img" aria-label="from %s to %s"><line class="axis" x1="0" y1="19.5" x2="%d" y2="19.5"/>`, buckets*2, exchange.Took(b.part(.01)), exchange.Took(b.max), buckets*2)
	for i, n := range b.n {
		if n > 0 {
			h := 1 + 18*float64(n)/float64(most)
			fmt.Fprintf(&s, `<rect class="s-held" x="%d" y="%.1f" width="1.6" height="%.1f"><title>%d up to %s</title></rect>`, i*2, 19-h, h, n, exchange.Took(upper(i)))
		}
	}
	s.WriteString(`</svg>`)
	return template.HTML(s.String()) // made of numbers only
}

// timeline is when each scenario ran.
type timeline struct{ spans []span }

type span struct {
	from, took time.Duration
	verdict    event.Verdict
}

func (t *timeline) add(s *scenario, run *event.RunStarted) {
	if run == nil {
		return
	}
	for _, st := range s.steps {
		for _, x := range st.Sent {
			from := x.Exchange.Start.Sub(run.Time)
			t.spans = append(t.spans, span{max(0, from), s.finished.Took, s.finished.Verdict})
			return
		}
	}
}

// slices of the timeline.
const timeSlices = 160

// draw stacks the scenarios by when they began: a column is a slice of time,
// its colours what became of them.
func (t *timeline) draw(took time.Duration) (template.HTML, string) {
	if len(t.spans) == 0 || took <= 0 {
		return "", "nothing was sent"
	}
	order := []event.Verdict{event.Failed, event.Blocked, event.Warned, event.Held, event.Skipped, event.NotReached}
	var n [timeSlices]map[event.Verdict]int
	most := 1
	for _, s := range t.spans {
		i := min(timeSlices-1, int(float64(timeSlices)*float64(s.from)/float64(took)))
		if n[i] == nil {
			n[i] = map[event.Verdict]int{}
		}
		n[i][s.verdict]++
		total := 0
		for _, c := range n[i] {
			total += c
		}
		most = max(most, total)
	}
	var s strings.Builder
	s.WriteString(`<svg viewBox="0 0 640 118" role="img" aria-label="scenarios by the time they began"><line class="axis" x1="0" y1="100.5" x2="640" y2="100.5"/>`)
	for i, at := range n {
		y := 100.0
		for _, v := range order {
			c := at[v]
			if c == 0 {
				continue
			}
			h := 96 * float64(c) / float64(most)
			y -= h
			fmt.Fprintf(&s, `<rect class="s-%s" x="%d" y="%.1f" width="3.4" height="%.1f"><title>%d %s from %s</title></rect>`, class(v), i*4, y, h, c, v, exchange.Took(took*time.Duration(i)/timeSlices))
		}
	}
	fmt.Fprintf(&s, `<text x="0" y="114">0</text><text x="320" y="114" text-anchor="middle">%s</text><text x="640" y="114" text-anchor="end">%s</text></svg>`, exchange.Took(took/2), exchange.Took(took))
	longest := slices.MaxFunc(t.spans, func(a, b span) int { return int(a.took - b.took) })
	all := fmt.Sprintf("%d scenarios and checks", len(t.spans))
	if len(t.spans) == 1 {
		all = "1 scenario or check"
	}
	return template.HTML(s.String()), fmt.Sprintf("%s in %s; the busiest moment has %d; the longest takes %s", all, exchange.Took(took), most, exchange.Took(longest.took)) // made of numbers only
}
