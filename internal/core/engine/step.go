package engine

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// step is one step while it runs.
type step struct {
	*scenario
	st *syntax.Statement
	f  *project.File
	e  *event.StepFinished
	// base is the URL that paths of this step are relative to.
	base string
	// before and after are the snapshots around the current request.
	before, after map[string]*snapshot
}

// group is a request and what is expected of it: the first with `send`, the
// others with `again`.
type group struct {
	request *syntax.Statement
	claims  []*syntax.Statement
}

func (t *step) run() {
	var groups []*group
	for _, c := range t.st.Children {
		switch b := c.Body.(type) {
		case *syntax.When:
			if !t.applies(c, b) {
				return
			}
		case *syntax.Wait:
			if c.Word == "pause" {
				t.sleep(b.For.D)
			}
		case *syntax.Process:
			if !t.process(c) {
				return
			}
		case *syntax.Let:
			if err := t.define(c, t.f); err != nil {
				t.lacking(err)
				return
			}
		case *syntax.Send, *syntax.Again:
			groups = append(groups, &group{request: c})
		case *syntax.Expect, *syntax.Keep:
			if len(groups) == 0 {
				groups = append(groups, &group{})
			}
			last := groups[len(groups)-1]
			last.claims = append(last.claims, c)
		}
	}
	t.groups(groups)
}

func (t *step) sleep(d time.Duration) {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
	case <-t.ctx.Done():
	case <-t.o.Stop:
	}
}

// applies judges a `when`; a step that it leaves out says why.
func (t *step) applies(st *syntax.Statement, w *syntax.When) bool {
	reply := t.last
	if w.Of != nil {
		reply = t.replies[titleOf(w.Of)]
	}
	out := expect.Check(t.context(reply), &w.Claim)
	if out.Err != nil {
		t.lacking(out.Err)
		return false
	}
	if !out.Held {
		t.e.Verdict = event.LeftOut
		t.e.Why = "not applicable: " + syntax.ClaimText(w.Claim) + " does not hold"
	}
	return out.Held
}

// process restarts or kills the service.
func (t *step) process(st *syntax.Statement) bool {
	line := t.lineOf(st)
	if t.o.Service == nil {
		t.e.Verdict = event.LeftOut
		t.e.Why = "not applicable: this run has not started the service itself (a `service` in " + project.ConfigName + ", and no --base)"
		return false
	}
	if err := t.o.Service.Restart(t.ctx, st.Word == "kill"); err != nil {
		t.miss(event.Finding{Verdict: event.Failed, Line: line, Expected: "the service starts again", Observed: strings.Split(err.Error(), "\n"), Sent: -1})
		return false
	}
	t.client.Forget()
	return true
}

func (t *step) lineOf(st *syntax.Statement) int { return t.f.Line(st) }

// lacking marks a step that cannot run: blocked when a value was never kept,
// failed for any other reason.
func (t *step) lacking(err error) {
	var unbound *scope.Unbound
	if !errors.As(err, &unbound) {
		t.miss(event.Finding{Verdict: event.Failed, Line: t.e.Line, Expected: "the request can be put together", Observed: []string{err.Error()}, Sent: -1})
		return
	}
	if t.e.Afterwards {
		if t.e.Verdict == event.Held {
			t.e.Verdict = event.LeftOut
		}
		t.e.Why = "nothing to do: " + unbound.Error()
		return
	}
	t.e.Verdict = event.Worse(t.e.Verdict, event.Blocked)
	lack := "`" + unbound.Name + "`"
	if strings.Contains(unbound.Name, " ") {
		lack = unbound.Name
	}
	if by := t.binders[unbound.Name]; by != "" {
		lack += fmt.Sprintf(", which step %q should have kept", by)
	}
	for _, l := range t.e.Lacks {
		if l == lack {
			return
		}
	}
	t.e.Lacks = append(t.e.Lacks, lack)
	if t.lacked == "" {
		t.lacked = fmt.Sprintf("step %q lacks %s", t.e.Title, lack)
	}
}

func (t *step) miss(f event.Finding) {
	t.e.Findings = append(t.e.Findings, f)
	t.e.Verdict = event.Worse(t.e.Verdict, f.Verdict)
	if f.Verdict == event.Blocked && !t.e.Afterwards {
		t.halted = fmt.Sprintf("step %q: %s was needed", t.e.Title, f.Expected)
		if len(f.Observed) > 0 {
			t.halted += ", found " + f.Observed[0]
		}
	}
}

// groups sends the step's request and its repeats, and judges each.
func (t *step) groups(groups []*group) {
	if len(groups) == 0 {
		return
	}
	var d *draft
	for i, g := range groups {
		if t.ctx.Err() != nil || t.halted != "" && !t.e.Afterwards {
			return
		}
		switch {
		case g.request == nil:
			t.judge(g.claims, []*expect.Reply{t.last}, -1, "")
			continue
		case i == 0:
			first, copies, err := t.first(g.request)
			if err != nil {
				t.lacking(err)
				return
			}
			d = first
			t.send(d, copies, g)
		default:
			if !t.repeat(d, g) {
				return
			}
		}
	}
}

// first puts the step's request together, as many times as it is sent at once.
func (t *step) first(st *syntax.Statement) (*draft, []*draft, error) {
	send := st.Body.(*syntax.Send)
	if err := t.findBase(); err != nil {
		return nil, nil, err
	}
	put := func(names *scope.Scope) (*draft, error) {
		d := &draft{method: send.Method, timeout: t.o.Timeout, copies: 1}
		for _, layer := range [][]*syntax.Statement{t.p.Defaults(), t.headers, st.Children} {
			if err := d.layer(layer, names, t.p, t.f); err != nil {
				return nil, err
			}
		}
		target, err := names.Target(send.Target)
		d.target = target
		if err == nil {
			d.unsafe = unsafe(names, send)
		}
		return d, err
	}
	together := false
	for _, c := range st.Children {
		together = together || c.Word == "together"
	}
	names := t.names
	if together {
		names = names.Inner()
		names.Bind("turn", value.NewInt(1))
	}
	mark := t.world.Rand.Mark()
	d, err := put(names)
	if err != nil || d.copies == 1 {
		return d, []*draft{d}, err
	}
	// Each copy draws the same random values: it is the same request.
	var all []*draft
	for n := range d.copies {
		t.world.Rand.Back(mark)
		names.Bind("turn", value.NewInt(int64(n+1)))
		one, err := put(names)
		if err != nil {
			return nil, nil, err
		}
		all = append(all, one)
	}
	return d, all, nil
}

func (t *step) findBase() error {
	if t.o.Base != "" {
		t.base = t.o.Base
		return nil
	}
	if b := t.p.Base(t.job.s.File); b != nil {
		text, err := t.names.Text(b)
		t.base = text
		return err
	}
	if t.o.Service != nil {
		t.base = t.o.Service.Base()
	}
	return nil
}

// repeat sends the request of a group after `again`.
func (t *step) repeat(d *draft, g *group) bool {
	again := g.request.Body.(*syntax.Again)
	times := 1
	if again.Times != nil {
		v, err := t.names.Value(again.Times)
		n, ok := 0, false
		if err == nil {
			n, ok = v.Int()
		}
		if err == nil && (!ok || n < 1 || n > 1_000_000) {
			err = fmt.Errorf("again takes a whole number from 1 to 1000000, not %s", v)
		}
		if err != nil {
			t.lacking(err)
			return false
		}
		times = n
	}
	next := d.copy()
	if err := next.layer(g.request.Children, t.names, t.p, t.f); err != nil {
		t.lacking(err)
		return false
	}
	*d = *next
	for n := range times {
		if t.ctx.Err() != nil {
			return false
		}
		which := "the repeat"
		if times > 1 {
			which = fmt.Sprintf("repeat %d of %d", n+1, times)
		}
		t.sendOnce(d, []*draft{d}, g, event.Repeat, n+1, which)
		if times > 3 && t.e.Verdict == event.Failed {
			// The rest would say the same again.
			return true
		}
	}
	return true
}

func (t *step) send(d *draft, copies []*draft, g *group) {
	if d.retry != nil {
		t.retry(d, g)
		return
	}
	role := event.Main
	if len(copies) > 1 {
		role = event.Copy
	}
	t.sendOnce(d, copies, g, role, 0, "")
}

// retry sends until all that is expected holds, or the time is over.
func (t *step) retry(d *draft, g *group) {
	every := d.retry.Every.D
	if every == 0 {
		every = 100 * time.Millisecond
	}
	deadline := time.Now().Add(d.retry.For.D)
	kept := *t.e
	for n := 1; ; n++ {
		*t.e = kept
		t.e.Sent = append([]event.Sent(nil), t.e.Sent...)
		t.sendOnce(d, []*draft{d}, g, event.Retry, n, "")
		kept.Sent, kept.Requests = t.e.Sent, t.e.Requests
		if t.e.Verdict == event.Held || t.e.Verdict == event.Warned || t.e.Verdict == event.LeftOut || d.unsafe != "" || time.Now().Add(every).After(deadline) || t.ctx.Err() != nil || t.stopped() {
			if t.e.Verdict == event.Failed {
				t.e.Why = fmt.Sprintf("tried %d times in %s", n, d.retry.For.Raw)
			}
			return
		}
		// Only the first and the last try are told.
		if len(kept.Sent) > 1 {
			kept.Sent = kept.Sent[:1]
		}
		t.sleep(every)
	}
}

// sendOnce sends one request, or several copies at once, with what is observed
// around it, and judges the answers.
func (t *step) sendOnce(d *draft, copies []*draft, g *group, role event.Role, n int, which string) {
	need := t.observations(g)
	var err error
	if t.before, err = t.observe(need); err != nil {
		t.lacking(err)
		return
	}
	replies := make([]*expect.Reply, len(copies))
	requests := make([]*exchange.Request, len(copies))
	for i, c := range copies {
		if requests[i], err = c.request(t.base); err != nil {
			t.lacking(err)
			return
		}
		if c.unsafe != "" {
			t.withheld(requests[i], c.unsafe)
			return
		}
		why, err := t.hold(requests[i])
		if err != nil {
			t.lacking(err)
			return
		}
		if why != "" {
			t.refuse(why)
			return
		}
		t.cookies(requests[i])
	}
	if t.o.Begins != nil {
		t.o.Begins(t.mask.text(requests[0].Method + " " + requests[0].URL))
	}
	if len(copies) == 1 {
		replies[0] = expect.NewReply(t.client.Do(t.ctx, requests[0]))
	} else {
		t.together(requests, replies)
	}
	first := len(t.e.Sent)
	for i, r := range replies {
		number := n
		if role == event.Copy {
			number = i + 1
		}
		t.note(r.Exchange)
		t.e.Sent = append(t.e.Sent, event.Sent{Role: role, N: number, Exchange: r.Exchange})
		t.takeCookies(r)
	}
	t.e.Requests += len(replies)
	t.last = replies[0]
	t.replies[stepTitle(t.st)] = replies[0]
	if t.after, err = t.observe(need); err != nil {
		t.lacking(err)
		return
	}
	t.remember(replies)
	if t.claimed(g, replies, first) {
		return
	}
	t.judge(g.claims, replies, first, which)
}

// together sends all requests at the same moment.
func (t *step) together(requests []*exchange.Request, replies []*expect.Reply) {
	gate := make(chan struct{})
	var all sync.WaitGroup
	for i, r := range requests {
		all.Add(1)
		go func() {
			defer all.Done()
			<-gate
			replies[i] = expect.NewReply(t.client.Do(t.ctx, r))
		}()
	}
	close(gate)
	all.Wait()
}

func (t *step) cookies(r *exchange.Request) {
	if t.jar == nil {
		return
	}
	u, err := url.Parse(r.URL)
	if err != nil || hasHeader(r.Header, "cookie") {
		return
	}
	var pairs []string
	for _, c := range t.jar.Cookies(u) {
		pairs = append(pairs, c.Name+"="+c.Value)
	}
	if len(pairs) > 0 {
		r.Header = append(append([]exchange.Field(nil), r.Header...), exchange.Field{Name: "Cookie", Value: strings.Join(pairs, "; ")})
	}
}

func (t *step) takeCookies(r *expect.Reply) {
	if t.jar == nil || r.Answer == nil {
		return
	}
	u, err := url.Parse(r.Request.URL)
	if err != nil {
		return
	}
	t.jar.SetCookies(u, (&http.Response{Header: r.Answer.Header}).Cookies())
}

// note counts what tells a run that reached nobody from one that failed.
func (t *step) note(x *exchange.Exchange) {
	t.mu.Lock()
	defer t.mu.Unlock()
	switch {
	case x.Answer != nil:
		t.answered = true
	case x.Failure.Kind == exchange.Refused || x.Failure.Kind == exchange.UnknownHost || x.Failure.Kind == exchange.SlowConnect:
		t.unreached++
	case x.Failure.Kind != exchange.HostRefused && x.Failure.Kind != exchange.BadRequest:
		t.answered = true
	}
}

// context is what expectations of the current request may look at.
func (t *step) context(reply *expect.Reply) *expect.Context {
	return &expect.Context{
		Reply:    reply,
		Names:    t.names,
		Step:     func(title string) *expect.Reply { return t.replies[title] },
		ReadFile: func(name string) ([]byte, error) { return t.p.ReadFile(t.f, name) },
		Baseline: t.baseline,
		Effect:   t.effect,
		Observed: t.order,
	}
}

// judge judges the lines after a request. sent is the index of the first
// exchange they are about, -1 for none.
func (t *step) judge(claims []*syntax.Statement, replies []*expect.Reply, sent int, which string) {
	if t.failedExchange(claims, replies, sent, which) {
		return
	}
	if sent >= 0 && !t.e.Afterwards {
		claims = append(append([]*syntax.Statement(nil), t.needs...), claims...)
	}
	for _, st := range claims {
		switch b := st.Body.(type) {
		case *syntax.Expect:
			t.expectation(st, b, replies, sent, which)
		case *syntax.Keep:
			t.keep(st, b, replies, sent)
		}
		if t.halted != "" && !t.e.Afterwards {
			return
		}
	}
}

// missed is the verdict of a claim that does not hold, by its word and by the
// level of what the scenario proves.
func (t *step) missed(word string) event.Verdict {
	switch word {
	case "need":
		return event.Blocked
	case "prefer":
		level := "should"
		if c := t.job.s.Check; c != nil && c.Level != "must" {
			level = c.Level
		}
		if slices.Index(syntax.Levels, level) > slices.Index(syntax.Levels, t.o.Level) {
			return event.Warned
		}
	}
	return event.Failed
}

// ofExchange is the verdict when nothing was answered: blocked where the step
// only prepares, a warning where all that is said of the answer is preferred.
func (t *step) ofExchange(claims []*syntax.Statement) event.Verdict {
	word := ""
	for _, st := range claims {
		switch {
		case st.Word == "need":
			return event.Blocked
		case st.Word == "expect":
			word = "expect"
		case st.Word == "prefer" && word == "":
			word = "prefer"
		}
	}
	return t.missed(word)
}

// failedExchange reports exchanges without an answer, unless that is what is
// expected. With several copies only what is expected of them counts.
func (t *step) failedExchange(claims []*syntax.Statement, replies []*expect.Reply, sent int, which string) bool {
	if len(replies) != 1 || replies[0] == nil || replies[0].Failure == nil {
		return false
	}
	for _, st := range claims {
		if b, ok := st.Body.(*syntax.Expect); ok && b.Subject.Kind == "answer" {
			return false
		}
	}
	if t.e.Afterwards && len(claims) == 0 && replies[0].Failure.Kind == exchange.Interrupted {
		return true
	}
	f := replies[0].Failure
	finding := event.Finding{Verdict: t.ofExchange(claims), Line: t.e.Line, Expected: "an answer", Observed: []string{f.Error()}, Look: f.Look(), Sent: sent}
	if which != "" {
		finding.Expected += " to " + which
	}
	t.miss(finding)
	return true
}

func (t *step) expectation(st *syntax.Statement, b *syntax.Expect, replies []*expect.Reply, sent int, which string) {
	effect := b.Subject.Kind == "observation" || b.Subject.Kind == "state"
	finding := event.Finding{Verdict: t.missed(st.Word), Sent: sent}
	if st.Word != "need" {
		t.judged++
		t.e.Judged++
	}
	if b.When != nil {
		some := t.under(b.When, replies)
		// What all copies did together is told only where it holds for all.
		if len(some) == 0 || effect && len(some) < len(replies) {
			return
		}
		replies = some
	}
	// Told only when it is missed, and seldom is.
	tell := func() {
		finding.Line, finding.Expected = t.lineOf(st), t.shown(b)
		if b.Because != nil {
			if text, err := t.names.Text(b.Because.Template); err == nil {
				finding.Because = text
			}
		}
	}
	held, total := 0, len(replies)
	var found []string
	for i, r := range replies {
		out := expect.Check(t.context(r), &b.Claim)
		if out.Err != nil {
			var broken *observeError
			if errors.As(out.Err, &broken) {
				tell()
				finding.Observed = broken.lines
				t.miss(finding)
				return
			}
			t.lacking(out.Err)
			return
		}
		for name, v := range out.Bound {
			t.names.Bind(name, v)
		}
		if effect {
			// The effect is that of all copies together.
			held, total, found = 0, 1, out.Found
			if out.Held {
				held = 1
			}
			break
		}
		if out.Held {
			held++
			continue
		}
		if finding.Sent >= 0 && found == nil {
			finding.Sent = sent + i
		}
		prefix := ""
		if len(replies) > 1 {
			prefix = fmt.Sprintf("copy %d: ", i+1)
		}
		for _, line := range out.Found {
			found = append(found, prefix+line)
		}
	}
	ok, err := t.quantified(b, held, total)
	if err != nil {
		t.lacking(err)
		return
	}
	if ok {
		return
	}
	tell()
	if b.Quantifier != "" && b.Quantifier != "every" {
		found = append([]string{fmt.Sprintf("it holds for %d of %d", held, total)}, found...)
	}
	if len(found) > 12 {
		found = append(found[:12], fmt.Sprintf("… and %d more", len(found)-12))
	}
	finding.Observed = found
	if which != "" {
		finding.Expected += "  (" + which + ")"
	}
	t.miss(finding)
}

// under are the answers for which a condition holds: all or none, when the
// condition is about another step.
func (t *step) under(w *syntax.When, replies []*expect.Reply) []*expect.Reply {
	var out []*expect.Reply
	for _, r := range replies {
		of := r
		if w.Of != nil {
			of = t.replies[titleOf(w.Of)]
		}
		if held := expect.Check(t.context(of), &w.Claim); held.Err == nil && held.Held {
			out = append(out, r)
		}
	}
	return out
}

func (t *step) quantified(b *syntax.Expect, held, total int) (bool, error) {
	if b.Quantifier == "" || b.Quantifier == "every" {
		return held == total, nil
	}
	v, err := t.names.Value(b.N)
	if err != nil {
		return false, err
	}
	n, _ := v.Int()
	switch b.Quantifier {
	case "exactly":
		return held == n, nil
	case "at least":
		return held >= n, nil
	}
	return held <= n, nil
}

var inBraces = regexp.MustCompile(`\{[A-Za-z_][^{}"]*\}`)

// shown is an expectation as it stands, on one line, with short values of
// names put in.
func (t *step) shown(b *syntax.Expect) string {
	text := strings.Join(strings.Fields(syntax.ExpectText(b)), " ")
	if !strings.Contains(text, "{") {
		return text
	}
	values := map[string]string{}
	st := &syntax.Statement{Body: b}
	syntax.Walk(st, func(e *syntax.Expr) {
		if e.Raw == "" || e.Call {
			return
		}
		if v, err := t.names.Expr(e); err == nil && len(v.Plain()) <= 60 {
			values["{"+e.Raw+"}"] = v.Plain()
		}
	})
	return inBraces.ReplaceAllStringFunc(text, func(m string) string {
		if v, ok := values[m]; ok {
			return v
		}
		return m
	})
}

func (t *step) keep(st *syntax.Statement, k *syntax.Keep, replies []*expect.Reply, sent int) {
	if k.Every {
		all := value.NewArray()
		for _, r := range replies {
			if v, err := t.context(r).Keep(k); err == nil {
				all.Items = append(all.Items, v)
			}
		}
		t.names.Bind(k.Name, all)
		return
	}
	from := replies[0]
	for _, r := range replies {
		if r != nil && r.Answer != nil && r.Answer.Status/100 == 2 {
			from = r
			break
		}
	}
	v, err := t.context(from).Keep(k)
	if err == nil {
		t.names.Bind(k.Name, v)
		return
	}
	if k.IfThere {
		return
	}
	var unbound *scope.Unbound
	if errors.As(err, &unbound) || t.e.Afterwards {
		t.lacking(err)
		return
	}
	t.miss(event.Finding{Verdict: t.ofKeep(), Line: t.lineOf(st), Expected: "keep " + k.Name + " from " + keptFrom(k),
		Observed: []string{err.Error()}, Sent: sent})
}

// ofKeep is the verdict when nothing could be kept: blocked in a step that
// only prepares, which its `need` lines tell.
func (t *step) ofKeep() event.Verdict {
	for _, c := range t.st.Children {
		if c.Word == "need" {
			return event.Blocked
		}
	}
	return event.Failed
}

func keptFrom(k *syntax.Keep) string {
	switch {
	case k.Path != nil:
		return k.Path.Raw
	case k.Pattern != nil:
		return k.From + " " + syntax.NodeText(k.Pattern)
	case k.Key != "":
		return k.From + " " + k.Key
	}
	return k.From
}

// baseline reads the saved answer of this step, or writes it when accepted.
func (t *step) baseline(now []byte) ([]byte, error) {
	name := filepath.Join(t.f.Dir(), "baselines", fileName(strings.TrimSuffix(filepath.Base(t.job.s.File.Path), project.Extension)),
		fileName(t.title), fileName(t.e.Title)+".json")
	saved, err := os.ReadFile(name)
	if err == nil && (!t.o.Accept || string(saved) == string(now)) {
		return saved, nil
	}
	if !t.o.Accept {
		if os.IsNotExist(err) {
			return nil, fmt.Errorf("there is no baseline yet; `usualpath run --accept` writes it to %s", t.shownPath(name))
		}
		return nil, fmt.Errorf("the baseline cannot be read: %w", err)
	}
	text := []byte(t.mask.text(string(now)))
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, fmt.Errorf("the baseline cannot be written: %w", err)
	}
	if err := source.WriteWhole(name, text); err != nil {
		return nil, fmt.Errorf("the baseline cannot be written: %w", err)
	}
	return text, nil
}

func (t *step) shownPath(name string) string {
	if rel, err := filepath.Rel(t.f.Dir(), name); err == nil {
		return filepath.Join(filepath.Dir(t.f.Source.Name), rel)
	}
	return name
}

var notInNames = regexp.MustCompile(`[^\pL\pN._-]+`)

// fileName makes a title usable as a file's name.
func fileName(title string) string {
	s := strings.Trim(notInNames.ReplaceAllString(title, "-"), "-.")
	if s == "" {
		s = "untitled"
	}
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}

func (t *step) effect(name string) (*state.Delta, error) {
	b, a := t.before[name], t.after[name]
	if b == nil || a == nil {
		return nil, nil
	}
	for _, s := range []*snapshot{b, a} {
		if s.problem != "" {
			return nil, &observeError{[]string{name + " could not be observed: " + s.problem}}
		}
	}
	return state.Between(b.s, a.s), nil
}

type observeError struct{ lines []string }

func (o *observeError) Error() string { return strings.Join(o.lines, "; ") }
