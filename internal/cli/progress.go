package cli

import (
	"fmt"
	"io"
	"sync"
	"time"

	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"

	"usualpath/internal/core/event"
	"usualpath/internal/core/roam"
	"usualpath/internal/report"
)

// hanging is how long a request is in flight before it is named.
const hanging = time.Second

// progress is the live line of a long run on a terminal; in a pipe there is
// none.
type progress struct {
	p   *mpb.Progress
	bar *mpb.Bar

	mu       sync.Mutex
	failed   int
	inFlight string
	// roamed is how far roaming is, nil before it begins.
	roamed *roam.Progress
	// since is when the run began, begun when the request in flight was sent.
	since, begun time.Time
}

// newProgress gives nil where nothing is to be shown.
func (a *app) newProgress(total int) *progress {
	tty, width := terminal(a.out)
	if !tty || total < 1 || width < report.Narrowest {
		return nil
	}
	g := &progress{since: time.Now()}
	g.p = mpb.New(mpb.WithOutput(a.out), mpb.WithWidth(24), mpb.WithRefreshRate(150*time.Millisecond))
	g.bar = g.p.New(int64(total), mpb.BarStyle().Lbound("").Filler("━").Tip("").Padding(" ").Rbound(""), mpb.BarRemoveOnComplete(),
		mpb.AppendDecorators(decor.Any(func(s decor.Statistics) string { return g.counts(s) }), decor.Any(func(s decor.Statistics) string { return g.words(s, width) })))
	return g
}

// counts are how many have ended, of all; roaming has no such number.
func (g *progress) counts(s decor.Statistics) string {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.roamed != nil {
		return " " + g.roamed.Resource
	}
	return fmt.Sprintf(" %d of %d", s.Current, s.Total)
}

func (g *progress) words(s decor.Statistics, width int) string {
	g.mu.Lock()
	defer g.mu.Unlock()
	if p := g.roamed; p != nil {
		text := fmt.Sprintf("   %d steps, %d items, %d new", p.Steps, p.Items, p.New)
		if p.Found > 0 {
			text += fmt.Sprintf("   %d found", p.Found)
		}
		if p.Left > 0 {
			text += fmt.Sprintf("   %s left", p.Left.Round(time.Second))
		}
		return text
	}
	text := ""
	if g.failed > 0 {
		text += fmt.Sprintf("   %d failed", g.failed)
	}
	took := time.Since(g.since)
	if s.Current > 4 && took > 2*time.Second {
		left := time.Duration(float64(took) / float64(s.Current) * float64(s.Total-s.Current))
		text += fmt.Sprintf("   about %s left", left.Round(time.Second))
	}
	if since := time.Since(g.begun); g.inFlight != "" && since > hanging {
		text += fmt.Sprintf("   %.0f s", since.Seconds())
		if room := width - 50 - len(text); len(g.inFlight) > room && room > 12 {
			return text + "   " + g.inFlight[:room] + "…"
		}
		text += "   " + g.inFlight
	}
	return text
}

// event counts what has ended.
func (g *progress) event(e event.Event) {
	if g == nil {
		return
	}
	switch e := e.(type) {
	case *event.StepFinished:
		g.mu.Lock()
		g.inFlight = ""
		g.mu.Unlock()
	case *event.ScenarioFinished:
		if e.Verdict == event.Failed || e.Verdict == event.Blocked {
			g.mu.Lock()
			g.failed++
			g.mu.Unlock()
		}
		g.bar.Increment()
	}
}

// roams tells how far roaming is: the line is its own from then on.
func (g *progress) roams(p roam.Progress) {
	if g == nil {
		return
	}
	g.mu.Lock()
	g.roamed = &p
	g.mu.Unlock()
	if p.Share > 0 {
		g.bar.SetCurrent(int64(p.Share * 1000))
	}
}

// begins notes the request that is sent now.
func (g *progress) begins(request string) {
	if g == nil {
		return
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	g.inFlight, g.begun = request, time.Now()
}

// writer is where the run's own output goes, above the line.
func (g *progress) writer(to io.Writer) io.Writer {
	if g == nil {
		return to
	}
	return g.p
}

// end takes the line away.
func (g *progress) end() {
	if g == nil {
		return
	}
	g.bar.Abort(true)
	g.p.Wait()
}
