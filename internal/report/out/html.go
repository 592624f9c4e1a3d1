package out

import (
	"bufio"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
	"usualpath/internal/report"
)

var (
	//go:embed page/style.css
	styleText string
	//go:embed page/script.js
	scriptText string
	//go:embed page/page.tmpl
	pageText string
)

var page = sync.OnceValue(func() *template.Template { return template.Must(template.New("page").Parse(pageText)) })

// bounds of what the page's head holds; the rest is below.
const (
	mostFailures = 100
	mostTimes    = 40
	mostMarks    = 40
	mostGroups   = 400
)

// htmlPage writes one page without outside resources: the scenarios are
// spooled as they end, the head is written when all is known.
type htmlPage struct {
	gather
	w        io.Writer
	body     *bufio.Writer
	spooled  *spool
	grids    *report.Grids
	walks    *event.Roamed
	notices  []event.Notice
	failures []failureLine
	bads     int
	groups   map[string]bool
	times    times
	line     timeline
	file     string
	n        int
	err      error
	done     bool
}

type failureLine struct {
	Class, Mark, Verdict, Anchor, Name, Headline string
	// With are the checks that follow from it, and how many there are.
	With  string
	Count int
}

var _ = format("html", newHTML)

func newHTML(w io.Writer) (Sink, error) {
	s, err := newSpool()
	if err != nil {
		return nil, err
	}
	h := &htmlPage{w: w, spooled: s, body: s.Writer, grids: report.NewGrids(), groups: map[string]bool{}}
	h.caused = true
	h.each = h.scenario
	h.notice = func(e *event.Notice) {
		h.notices = append(h.notices, event.Notice{Text: safeLines(e.Text), Severe: e.Severe})
	}
	h.roamed = func(e *event.Roamed) { h.walks = e }
	h.end = h.finish
	return h, nil
}

func class(v event.Verdict) string { return strings.ReplaceAll(string(v), " ", "-") }

func (h *htmlPage) scenario(s *scenario) {
	h.n++
	h.grids.Add(s.ScenarioStarted, s.finished)
	h.times.add(s)
	h.line.add(s, h.run)
	v := s.finished.Verdict
	anchor := fmt.Sprintf("s%d", h.n)
	if (bad(v) || v == event.Warned) && s.first == "" {
		h.bads++
		if len(h.failures) < mostFailures {
			h.failures = append(h.failures, failureLine{class(v), marks[v], string(v), anchor, safe(s.name()), safe(value.Cut(headline(s), 160)), strings.Join(s.with, ", "), len(s.with)})
		}
	}
	var groups []string
	for _, t := range s.Tags {
		groups = append(groups, "tag "+safe(t))
	}
	if s.Check != nil {
		groups = append(groups, "resource "+safe(s.Check.Resource), "check "+safe(s.Check.ID))
	}
	for _, g := range groups {
		if len(h.groups) < mostGroups {
			h.groups[g] = true
		}
	}
	if s.File != h.file {
		h.file = s.File
		h.execute("file", safe(s.File))
	}
	h.execute("scenario", scenarioView(s, anchor, groups))
}

func (h *htmlPage) execute(name string, data any) {
	if err := page().ExecuteTemplate(h.body, name, data); err != nil && h.err == nil {
		h.err = err
	}
}

type countView struct {
	Class, Word string
	N           int
}

type cellView struct{ Class, Mark, Text, Words string }

type rowView struct {
	Op    string
	Cells []cellView
}

type gridView struct {
	Resource, File, Tally string
	Families              []string
	Rows                  []rowView
}

type stateView struct {
	Verdict, Class, Word string
	On                   bool
}

type headView struct {
	Style                 template.CSS
	StyleHash, ScriptHash template.URL
	Word, Meta            string
	Bad                   bool
	Counts                []countView
	Notices               []event.Notice
	Failures              []failureLine
	MoreFailures          int
	Grids                 []gridView
	Walked                []walkedView
	Roamed                string
	Against               *againstView
	Timeline              template.HTML
	TimelineWords         string
	Times                 []timeView
	MoreTimes             int
	Groups                []string
	States                []stateView
}

type footView struct {
	Script template.JS
	Tool   string
	Seed   uint64
}

func digest(text string) template.URL {
	sum := sha256.Sum256([]byte(text))
	// Base64 has nothing to escape in an attribute.
	return template.URL(base64.StdEncoding.EncodeToString(sum[:]))
}

func (h *htmlPage) finish(e *event.RunFinished) {
	h.done = true
	run := h.run
	if run == nil {
		run = &event.RunStarted{}
	}
	c, both := e.Counts, e.Counts.Both()
	head := headView{Style: template.CSS(styleText), StyleHash: digest(styleText), ScriptHash: digest(scriptText), Word: "all held", Notices: h.notices, Failures: h.failures, MoreFailures: h.bads - len(h.failures)}
	switch {
	case e.Interrupted:
		head.Word, head.Bad = "interrupted", true
	case both.Failed > 0:
		head.Word, head.Bad = fmt.Sprintf("%d failed", both.Failed), true
	case departs(h.against) != "":
		head.Word, head.Bad = safe(departs(h.against)), true
	case both.Blocked > 0:
		head.Word, head.Bad = fmt.Sprintf("%d blocked", both.Blocked), true
	case both.Warned > 0:
		head.Word = fmt.Sprintf("all held, %d warned", both.Warned)
	}
	meta := []string{safe(run.Tool), run.Time.UTC().Format("2006-01-02 15:04:05 UTC")}
	if run.Base != "" {
		meta = append(meta, safe(run.Base))
	}
	if run.Environment != "" {
		meta = append(meta, "environment "+safe(run.Environment))
	}
	head.Meta = strings.Join(append(meta, fmt.Sprintf("seed %d", run.Seed), exchange.Took(e.Took), event.Count(c.Steps.Ran(), "step"), event.Count(c.Expectations, "expectation"), event.Count(c.Requests+c.Observations, "request")), "  ·  ")
	for _, one := range []countView{{"", event.Word(c.Scenarios.All, "scenario"), c.Scenarios.All}, {"", event.Word(c.Checks.All, "check"), c.Checks.All}, {"held", "held", both.Held}, {"failed", "failed", both.Failed},
		{"blocked", "blocked", both.Blocked}, {"warned", "warned", both.Warned}, {"skipped", "not applicable", both.Skipped}, {"not-reached", "not finished", both.NotReached}} {
		if one.N > 0 {
			head.Counts = append(head.Counts, one)
		}
	}
	if a := h.against; a != nil && len(a.Failed()) > 0 {
		head.Counts = append(head.Counts, countView{"failed", event.Word(len(a.Failed()), "departure"), len(a.Failed())})
	}
	for _, g := range h.grids.All() {
		head.Grids = append(head.Grids, viewOf(g))
	}
	head.Walked, head.Roamed = walkedViews(h.walks)
	head.Against = viewAgainst(h.against)
	head.Timeline, head.TimelineWords = h.line.draw(e.Took)
	head.Times, head.MoreTimes = h.times.views()
	for g := range h.groups {
		head.Groups = append(head.Groups, g)
	}
	slices.Sort(head.Groups)
	for _, v := range []event.Verdict{event.Failed, event.Blocked, event.Warned, event.Held, event.Skipped, event.NotReached} {
		word := string(v)
		if v == event.Skipped {
			word = "not applicable"
		}
		head.States = append(head.States, stateView{string(v), class(v), word, true})
	}
	w := bufio.NewWriterSize(h.w, 64<<10)
	rest := h.spooled
	h.body = w
	h.execute("head", head)
	if err := rest.pour(w); err != nil && h.err == nil {
		h.err = err
	}
	h.execute("foot", footView{template.JS(scriptText), safe(run.Tool), run.Seed})
	if err := w.Flush(); err != nil && h.err == nil {
		h.err = err
	}
}

func viewOf(g *report.Grid) gridView {
	v := gridView{Resource: safe(g.Resource), File: safe(g.File), Families: g.Families}
	for _, op := range g.Rows {
		row := rowView{Op: op}
		for _, f := range g.Families {
			c := g.At(op, f)
			if c == nil {
				row.Cells = append(row.Cells, cellView{})
				continue
			}
			words := fmt.Sprintf("%s, %s: all %d held", op, f, c.All)
			if c.Bad > 0 {
				words = fmt.Sprintf("%s, %s: %d of %d did not hold (%s)", op, f, c.Bad, c.All, c.Worst)
			}
			row.Cells = append(row.Cells, cellView{class(c.Worst), marks[c.Worst], c.Text(), words})
		}
		v.Rows = append(v.Rows, row)
	}
	var parts []string
	for _, t := range g.Tally() {
		parts = append(parts, fmt.Sprintf("%d %s", t.N, t.Word))
	}
	v.Tally = fmt.Sprintf("%s: %s; %s, %s", event.Count(g.Checks, "check"), strings.Join(parts, ", "), event.Count(g.Requests, "request"), exchange.Took(g.Took))
	return v
}

func (h *htmlPage) Close() error {
	h.release()
	if !h.done {
		h.finish(&event.RunFinished{})
	}
	return h.err
}
