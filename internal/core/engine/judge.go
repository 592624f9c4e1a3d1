package engine

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/late"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// judge judges the lines after a request.
func (t *step) judge(claims []*syntax.Statement, at *attempt) {
	if t.failedExchange(claims, at) {
		return
	}
	if at.sent >= 0 && !t.e.Afterwards {
		claims = append(append([]*syntax.Statement(nil), t.in.needs...), claims...)
	}
	missed, left := false, 0
	for _, st := range claims {
		switch b := st.Body.(type) {
		case syntax.Claiming:
			c := b.Claimed()
			if missed && slices.Contains(aboutBody, c.Subject.Kind) && !slices.Contains(ofAnyBody, c.Predicate.Op) {
				// Another answer than the one that was meant.
				left++
				t.e.Why = notJudged(left)
				continue
			}
			before := len(t.e.Findings)
			t.expectation(st, c, at)
			if c.Subject.Kind == "status" && !syntax.Is[*syntax.Prefer](st) {
				missed = missed || len(t.e.Findings) > before
			}
		case *syntax.Keep:
			t.keep(st, b, at)
		}
		if t.in.halted != "" && !t.e.Afterwards {
			return
		}
	}
}

// mostLines bounds how many lines are told of one expectation.
const mostLines = 14

// aboutBody are the subjects that an answer of another status says nothing of.
var aboutBody = []string{"path", "body", "text", "xml", "size"}

// ofAnyBody are predicates that say what no answer may show, whatever its status.
var ofAnyBody = []string{"lacks", "leaks nothing", "empty", "json"}

func notJudged(n int) string {
	if n == 1 {
		return "one expectation about the body was not judged, since the status is another"
	}
	return fmt.Sprintf("%d expectations about the body were not judged, since the status is another", n)
}

// missed is the verdict of a claim that does not hold, by its word and by the
// level of what the scenario proves.
func (t *step) missed(b syntax.Body) event.Verdict {
	switch b.(type) {
	case *syntax.Need:
		return event.Blocked
	case *syntax.Prefer:
		level := "should"
		if c := t.in.job.s.Check; c != nil && c.Level != "must" {
			level = c.Level
		}
		if slices.Index(syntax.Levels, level) > slices.Index(syntax.Levels, t.env.o.Level) {
			return event.Warned
		}
	}
	return event.Failed
}

// ofExchange is the verdict when nothing was answered: blocked where the step
// only prepares, a warning where all that is said of the answer is preferred.
func (t *step) ofExchange(claims []*syntax.Statement) event.Verdict {
	var gravest syntax.Body
	for _, st := range claims {
		switch st.Body.(type) {
		case *syntax.Need:
			return event.Blocked
		case *syntax.Expect:
			gravest = st.Body
		case *syntax.Prefer:
			if gravest == nil {
				gravest = st.Body
			}
		}
	}
	return t.missed(gravest)
}

// sentWhole is the length in bytes up to which a body is on its way before it can be refused.
const sentWhole = 64 << 10

// failedExchange reports exchanges without an answer, unless that is what is
// expected. With several copies only what is expected of them counts.
func (t *step) failedExchange(claims []*syntax.Statement, at *attempt) bool {
	if len(at.replies) != 1 || at.replies[0] == nil || at.replies[0].Failure == nil {
		return false
	}
	for _, st := range claims {
		if b, ok := st.Body.(syntax.Claiming); ok && b.Claimed().Subject.Kind == "answer" {
			return false
		}
	}
	if t.e.Afterwards && len(claims) == 0 && at.replies[0].Failure.Kind == exchange.Interrupted {
		return true
	}
	f := at.replies[0].Failure
	verdict, check := t.ofExchange(claims), t.in.job.s.Check != nil
	if f.Kind == exchange.Reset && verdict != event.Blocked && check && len(at.replies[0].Request.Body) > sentWhole {
		// A service that answers, and closes before it has read a body to its end, may break the
		// connection with its answer in it (RFC 9112 §9.6).
		t.e.Why = "the connection was broken while a long body was sent: the answer, if there was one, cannot be told"
		return true
	}
	if f.Kind == exchange.Between || f.Kind == exchange.Interrupted || check && (t.e.Afterwards && f.Kind == exchange.SlowAnswer || !t.in.around && f.Kind == exchange.Refused) {
		// Nobody was there to take the request, the run was interrupted, or tidying up took too long: what it asks cannot be
		// told. Why the service has ended is for the check to say before which it was still there.
		verdict = event.Blocked
	}
	finding := event.Finding{Verdict: verdict, Line: t.e.Line, Expected: "an answer", Observed: []string{f.Error()}, Look: f.Look(), Sent: at.sent}
	if at.which != "" {
		finding.Expected += " to " + at.which
	}
	t.miss(finding)
	return true
}

func (t *step) expectation(st *syntax.Statement, b *syntax.Expectation, at *attempt) {
	effect := b.Subject.Kind == "observation" || b.Subject.Kind == "state"
	if !syntax.Is[*syntax.Need](st) {
		t.in.judged++
		t.e.Judged++
	}
	replies := at.replies
	if b.When != nil {
		some := t.under(b.When, at)
		// What all copies did together is told only where it holds for all.
		if len(some) == 0 || effect && len(some) < len(replies) {
			return
		}
		replies = some
	}
	t.hint = ""
	o := t.holds(b, replies, effect, at)
	if o.err != nil {
		t.undecided(st, b, o, at)
		return
	}
	ok, err := t.quantified(b, o.held, o.total)
	if err != nil {
		t.lacking(err)
		return
	}
	if ok || t.ofForm(b) {
		return
	}
	why := ""
	switch {
	case effect && t.in.unknown != "":
		why = "what became of the list was not judged: " + t.in.unknown + " had no answer, and may have been carried out"
	case effect && t.partly(b):
		why = "what became of the list was not judged: it shows a part of what is there, and which part changes"
	}
	if why != "" {
		t.in.judged--
		t.e.Why = t.env.mask.text(why)
		return
	}
	if b.Quantifier != "" && b.Quantifier != "every" {
		o.found = append([]string{fmt.Sprintf("it holds for %d of %d", o.held, o.total)}, o.found...)
	}
	// Each answer's lines are bounded already; of copies there may be many.
	if len(o.found) > mostLines {
		o.found = append(o.found[:mostLines], "… and more")
	}
	f := t.finding(st, b, o, at)
	if t.miss(f); syntax.Is[*syntax.Need](st) {
		t.halts(f)
	}
}

// undecided blocks on a claim that cannot be observed or worked out: it is not
// the request's fault.
func (t *step) undecided(st *syntax.Statement, b *syntax.Expectation, o judgement, at *attempt) {
	var unbound *scope.Unbound
	if errors.As(o.err, &unbound) {
		t.lacking(o.err)
		return
	}
	o.found = []string{o.err.Error()}
	f := t.finding(st, b, o, at)
	f.Verdict = event.Blocked
	t.found(f)
	if t.in.job.s.Check != nil && (b.Subject.Kind == "observation" || b.Subject.Kind == "state") && !t.e.Afterwards {
		// What comes after it would be judged by a list that cannot be read.
		t.in.halted = o.err.Error()
	}
}

// judgement is how a claim fared with several answers.
type judgement struct {
	// held of total answers are as claimed; found is what the others showed.
	held, total int
	found       []string
	// sent is the index of the exchange that a miss is about.
	sent int
	// err is why the claim cannot be judged.
	err error
}

// holds holds a claim against each answer; an effect is that of all together.
func (t *step) holds(b *syntax.Expectation, replies []*expect.Reply, effect bool, at *attempt) judgement {
	o := judgement{total: len(replies), sent: at.sent}
	for i, r := range replies {
		out := expect.Check(t.context(r, at), &b.Claim)
		if o.err = out.Err; o.err != nil {
			return o
		}
		for name, v := range out.Bound {
			t.in.names.Bind(name, v)
		}
		if effect {
			o.held, o.total, o.found = 0, 1, out.Found
			if out.Held {
				o.held = 1
			}
			return o
		}
		if out.Held {
			o.held++
			continue
		}
		if at.sent >= 0 && o.found == nil {
			o.sent = at.sent + i
		}
		prefix := ""
		if len(replies) > 1 {
			prefix = fmt.Sprintf("copy %d: ", i+1)
		}
		for _, line := range out.Found {
			o.found = append(o.found, prefix+line)
		}
	}
	return o
}

// finding tells of an expectation that was missed.
func (t *step) finding(st *syntax.Statement, b *syntax.Expectation, o judgement, at *attempt) event.Finding {
	f := event.Finding{Verdict: t.missed(st.Body), Line: t.lineOf(st), Expected: t.shown(b), Observed: t.env.mask.credentials(&b.Subject, at.replies, o.found), Sent: o.sent}
	if syntax.Is[*syntax.Need](st) && slices.ContainsFunc(b.Predicate.Status, syntax.StatusClass.Succeeds) && t.breaks(at) {
		f.Verdict, f.Because = event.Failed, "a request that can be understood is served or refused (RFC 9110 §15.6.1)"
	}
	if b.Because != nil {
		if text, err := t.in.names.Text(b.Because.Template); err == nil {
			f.Because = text
		}
	}
	f.Look = t.hint
	if at.which != "" {
		f.Expected += "  (" + at.which + ")"
	}
	return f
}

// breaks tells whether what a derived check starts from was answered with an error of the server's
// own, where it was to be served: that is a finding, and what else starts from it is blocked by that.
func (t *step) breaks(at *attempt) bool {
	c := t.in.job.s.Check
	if c == nil || c.Level != "must" || t.e.Afterwards || t.in.around || len(at.replies) != 1 || at.replies[0] == nil || at.replies[0].Answer == nil {
		return false
	}
	status := at.replies[0].Answer.Status
	if status/100 != 5 || status == http.StatusNotImplemented || status == http.StatusServiceUnavailable {
		return false
	}
	kind := fmt.Sprint(t.template(at.replies[0].Request), status)
	t.env.mu.Lock()
	defer t.env.mu.Unlock()
	if first, known := t.env.broken[kind]; known {
		return first == t.in.job.id
	}
	t.env.broken[kind] = t.in.job.id
	return true
}

// under are the answers for which a condition holds: all or none, when the
// condition is about another step.
func (t *step) under(w *syntax.When, at *attempt) []*expect.Reply {
	var out []*expect.Reply
	for _, r := range at.replies {
		of := r
		if w.Of != nil {
			of = t.in.replies[syntax.TitleText(w.Of)]
		}
		if held := expect.Check(t.context(of, at), &w.Claim); held.Err == nil && held.Held {
			out = append(out, r)
		}
	}
	return out
}

func (t *step) quantified(b *syntax.Expectation, held, total int) (bool, error) {
	if b.Quantifier == "" || b.Quantifier == "every" {
		return held == total, nil
	}
	v, err := t.in.names.Value(b.N)
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

var inBraces = late.Regexp(`\{[A-Za-z_][^{}"]*\}`)

// shown is an expectation on one line, with short values of names put in.
func (t *step) shown(b *syntax.Expectation) string {
	text := strings.Join(strings.Fields(syntax.ExpectText(b)), " ")
	if !strings.Contains(text, "{") {
		return text
	}
	values := map[string]*value.Value{}
	syntax.WalkExpectation(b, func(e *syntax.Expr) {
		if e.Raw == "" || e.Call {
			return
		}
		if v, err := t.in.names.Expr(e); err == nil && len(v.Plain()) <= 60 {
			values["{"+e.Raw+"}"] = v
		}
	})
	quoted, last := false, 0
	var out strings.Builder
	for _, at := range inBraces().FindAllStringIndex(text, -1) {
		before := text[last:at[0]]
		out.WriteString(before)
		quoted = quoted != (strings.Count(before, `"`)%2 == 1)
		last = at[1]
		v, known := values[text[at[0]:at[1]]]
		switch {
		case !known:
			out.WriteString(text[at[0]:at[1]])
		case quoted:
			// Within a text, a path or a status it stands as it is.
			out.WriteString(v.Plain())
		case b.Subject.Kind == "status":
			out.WriteString(v.Plain())
		default:
			out.WriteString(v.String())
		}
	}
	return out.String() + text[last:]
}
