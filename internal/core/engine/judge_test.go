package engine

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

// judging is a step of a scenario, derived with a level or not ("").
func judging(level, fails string) *step {
	s := &project.Scenario{}
	if level != "" {
		s.Check = &syntax.Check{ID: "x/y", Level: level}
	}
	return &step{env: &environment{o: Options{Level: fails}}, in: &flow{job: job{planned: planned{s: s}}}, e: &event.StepFinished{Title: "one"}}
}

// What a miss means follows from its word, the level of the check, and the level at which a run fails.
func TestVerdictsOfMisses(t *testing.T) {
	for _, c := range []struct {
		body         syntax.Body
		level, fails string
		want         event.Verdict
	}{
		{&syntax.Need{}, "", "must", event.Blocked}, {&syntax.Need{}, "usual", "usual", event.Blocked},
		{&syntax.Expect{}, "", "must", event.Failed}, {&syntax.Expect{}, "should", "must", event.Failed}, {nil, "", "must", event.Failed},
		{&syntax.Prefer{}, "", "must", event.Warned}, {&syntax.Prefer{}, "", "should", event.Failed}, {&syntax.Prefer{}, "", "usual", event.Failed},
		{&syntax.Prefer{}, "must", "must", event.Warned}, {&syntax.Prefer{}, "must", "should", event.Failed},
		{&syntax.Prefer{}, "should", "must", event.Warned}, {&syntax.Prefer{}, "should", "should", event.Failed},
		{&syntax.Prefer{}, "usual", "must", event.Warned}, {&syntax.Prefer{}, "usual", "should", event.Warned}, {&syntax.Prefer{}, "usual", "usual", event.Failed},
	} {
		assert.Equal(t, c.want, judging(c.level, c.fails).missed(c.body), "%T of %q at %s", c.body, c.level, c.fails)
	}
}

// When nothing was answered, what is said of the answer decides; and where nobody was there to take
// the request of a check, nothing can be told.
func TestVerdictsOfFailures(t *testing.T) {
	lines := func(bodies ...syntax.Body) (out []*syntax.Statement) {
		for _, b := range bodies {
			out = append(out, &syntax.Statement{Body: b})
		}
		return out
	}
	need, wish, claim := &syntax.Need{}, &syntax.Prefer{}, &syntax.Expect{}
	missing := &syntax.Expect{Expectation: syntax.Expectation{Claim: syntax.Claim{Subject: syntax.Subject{Kind: "answer"}}}}
	for name, c := range map[string]struct {
		claims     []*syntax.Statement
		kind       exchange.Kind
		level      string
		around     bool
		afterwards bool
		want       event.Verdict
		// long tells that nothing is said of it where a long body was sent.
		long bool
	}{
		"nothing is said":            {nil, exchange.Reset, "", false, false, event.Failed, false},
		"a claim":                    {lines(claim), exchange.Reset, "must", false, false, event.Failed, true},
		"a wish":                     {lines(wish), exchange.Reset, "must", false, false, event.Warned, true},
		"two wishes":                 {lines(wish, wish), exchange.Reset, "", false, false, event.Warned, false},
		"a wish and a claim":         {lines(wish, claim), exchange.Reset, "must", false, false, event.Failed, true},
		"a claim and a wish":         {lines(claim, wish), exchange.Reset, "must", false, false, event.Failed, true},
		"a need":                     {lines(claim, need), exchange.Reset, "", false, false, event.Blocked, false},
		"that is what is meant":      {lines(missing), exchange.Reset, "", false, false, event.Held, false},
		"closed between requests":    {lines(claim), exchange.Between, "", false, false, event.Blocked, false},
		"nobody there, for a check":  {lines(claim), exchange.Refused, "must", false, false, event.Blocked, false},
		"nobody there, around it":    {lines(claim), exchange.Refused, "must", true, false, event.Failed, false},
		"nobody there, by hand":      {lines(claim), exchange.Refused, "", false, false, event.Failed, false},
		"late, when tidying up":      {nil, exchange.SlowAnswer, "must", false, true, event.Blocked, false},
		"late, by hand":              {nil, exchange.SlowAnswer, "", false, true, event.Failed, false},
		"late, in a check":           {lines(claim), exchange.SlowAnswer, "must", false, false, event.Failed, false},
		"interrupted, at the end":    {nil, exchange.Interrupted, "", false, true, event.Held, false},
		"interrupted, with a claim":  {lines(claim), exchange.Interrupted, "", false, true, event.Blocked, false},
		"interrupted, before it":     {nil, exchange.Interrupted, "", false, false, event.Blocked, false},
		"something else, at the end": {nil, exchange.Reset, "", false, true, event.Failed, false},
	} {
		s := judging(c.level, "must")
		s.in.around, s.e.Afterwards, s.e.Verdict = c.around, c.afterwards, event.Held
		r := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{Kind: c.kind}})
		over := s.failedExchange(c.claims, &attempt{replies: []*expect.Reply{r}, which: "the repeat"})
		assert.Equal(t, c.want, s.e.Verdict, name)
		s.e.Verdict = event.Held
		long := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Body: make([]byte, 64<<10+1)}, Failure: &exchange.Failure{Kind: c.kind}})
		s.failedExchange(c.claims, &attempt{replies: []*expect.Reply{long}, which: "the repeat"})
		assert.Equal(t, c.long || c.want == event.Held, s.e.Verdict == event.Held, "a long body: %s", name)
		assert.Equal(t, name != "that is what is meant", over, name)
		if c.want != event.Held {
			assert.Equal(t, "an answer to the repeat", s.e.Findings[0].Expected, name)
		}
	}
	s := judging("", "must")
	answered := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Answer: &exchange.Answer{Status: 200}})
	failed := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{Kind: exchange.Reset}})
	for _, replies := range [][]*expect.Reply{{answered}, {nil}, {failed, failed}} {
		assert.False(t, s.failedExchange(nil, &attempt{replies: replies}))
	}
}

// What is told of several answers is the first that misses, with its exchange.
func TestWhichAnswerIsTold(t *testing.T) {
	_, steps, _ := ran(t, `
scenario "s"
  step "make"
    send POST /list
    expect status 201
    again
    expect $.id is 1
`, nil)
	assert.Equal(t, 1, steps["make"].Findings[0].Sent)
	assert.Equal(t, 2, steps["make"].Judged)
	s := judging("", "must")
	reply := func(status int) *expect.Reply {
		return expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Answer: &exchange.Answer{Status: status}})
	}
	is200 := &syntax.Expectation{Claim: syntax.Claim{Subject: syntax.Subject{Kind: "status"}, Predicate: syntax.Predicate{Op: "status", Status: []syntax.StatusClass{{Code: 200}}}}}
	s.in.names = scope.New(&scope.World{})
	for _, c := range []struct {
		statuses []int
		first    int
		held     int
		sent     int
		found    []string
	}{
		{[]int{200, 200}, 3, 2, 3, nil}, {[]int{200, 404, 500}, 3, 1, 4, []string{"copy 2: 404 Not Found", "copy 3: 500 Internal Server Error"}}, {[]int{404}, 3, 0, 3, []string{"404 Not Found"}},
		{[]int{200, 404}, -1, 1, -1, []string{"copy 2: 404 Not Found"}}, {[]int{200, 404}, 0, 1, 1, []string{"copy 2: 404 Not Found"}},
	} {
		var replies []*expect.Reply
		for _, status := range c.statuses {
			replies = append(replies, reply(status))
		}
		o := s.holds(is200, replies, false, &attempt{sent: c.first})
		assert.Equal(t, judgement{held: c.held, total: len(replies), sent: c.sent, found: c.found}, o)
	}
}

// A condition chooses the copies that it holds for; an effect is that of all of them, or of none.
func TestConditionsOfCopies(t *testing.T) {
	_, steps, _ := ran(t, `
scenario "s"
  observe list at /list by $.id
  step "some"
    send GET /x/{turn}
      together 2
    expect $.path is "/x/1" when $.path is "/x/1"
  step "none"
    send GET /x/{turn}
      together 2
    expect $.path is "/y" when $.path is "/z"
  step "an effect of some"
    send POST /list
      together 2
    expect list unchanged when $.id is 1
  step "an effect of all"
    send POST /list
      together 2
    expect list unchanged when status 201
`, nil)
	for title, want := range map[string]event.Verdict{"some": event.Held, "none": event.Held, "an effect of some": event.Held, "an effect of all": event.Failed} {
		assert.Equal(t, want, steps[title].Verdict, title)
	}
}
