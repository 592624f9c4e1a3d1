package cli

import (
	"errors"
	"fmt"
	"io"
	"syscall"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/roam"
	"usualpath/internal/report"
	"usualpath/internal/runner"
)

// shown is a run as it appears on the output while it happens.
type shown struct {
	view  *report.Terminal
	text  *paced
	lines *report.Narrow
	live  *progress
	quiet int
	// roams is what is walked off the usual path, nil for nothing.
	roams *roam.Options
}

// show prepares the view of a run; again gives the command that runs a part of
// it again.
func (a *app) show(f *runFlags, again func(file, option, value string) string) *shown {
	s := &shown{text: newPaced(a.out), quiet: f.quiet}
	tty, width := terminal(a.out)
	var to io.Writer = s.text
	if tty && width >= report.Narrowest {
		s.lines = &report.Narrow{W: s.text, Width: width}
		to = s.lines
	}
	s.view = &report.Terminal{W: to, Style: a.style(a.out), Verbose: f.verbose, Quiet: f.quiet > 0, Silent: f.quiet > 1, Width: width, Kept: f.roam.into,
		Again: func(file, title string) string { return again(file, "--only", title) },
		AgainCheck: func(file, id, level string) string {
			command := again(file, "--check", id)
			if level != "must" {
				command += " --level " + level
			}
			return command
		}}
	return s
}

// watching is what the view is told.
func (s *shown) watching(a *app) runner.View {
	v := runner.View{
		Waiting: a.waiting,
		Ready: func(base string, took time.Duration) {
			if s.quiet == 0 {
				fmt.Fprintf(a.out, "the service is ready at %s after %s\n\n", base, exchange.Took(took))
			}
		},
		Begin: func(scenarios int, since func(file, pattern string) string) {
			s.view.Since = since
			if s.roams != nil {
				scenarios = 1000
			}
			s.live = a.newProgress(scenarios)
			s.text.Reset(s.live.writer(a.out))
		},
		Event: func(e event.Event) {
			s.live.event(e)
			s.view.Event(e)
			s.text.pace(e)
		},
	}
	if s.roams != nil {
		s.roams.Seen = func(p roam.Progress) { s.live.roams(p) }
	}
	if tty, _ := terminal(a.out); tty {
		v.Request = func(request string) { s.live.begins(request) }
	}
	return v
}

// end shows what a run came to, once the live line is gone.
func (s *shown) end(a *app, done *runner.Outcome) error {
	flushed := s.text.Flush()
	s.live.end()
	s.text.Reset(a.out)
	for _, line := range done.Flickering {
		s.view.Event(&event.Notice{Text: "flickers without a change: " + line})
	}
	s.view.Event(done.Finished)
	if done.Log != "" && s.quiet < 2 {
		fmt.Fprintf(s.text, "what the service said is in %s\n", done.Log)
	}
	if s.lines != nil {
		s.lines.Flush()
	}
	err := errors.Join(flushed, s.text.Flush())
	if errors.Is(err, syscall.EPIPE) {
		// Whoever read has had enough.
		return &exit{code: exitInterrupted}
	}
	if err != nil {
		return &exit{code: exitBroken, message: "the output cannot be written: " + err.Error()}
	}
	return nil
}

// waiting shows how long something takes already, on a terminal, until the
// function it gives is called.
func (a *app) waiting(what string) func() {
	tty, _ := terminal(a.out)
	if !tty {
		return func() {}
	}
	start := time.Now()
	end, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(100 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-end:
				fmt.Fprint(a.out, "\r\x1b[K")
				return
			case <-tick.C:
				fmt.Fprintf(a.out, "\r%s … %.1f s", what, time.Since(start).Seconds())
			}
		}
	}()
	return func() {
		close(end)
		<-ended
	}
}
