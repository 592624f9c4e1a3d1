// Package record keeps what a run says of itself: events as JSON Lines, one
// event a line, written as it happens and readable after a kill at any byte. It
// reads them back, merges the records of shards, and compares two runs.
package record

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"net/http"
	"slices"
	"time"
	"unicode/utf8"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// version is that of the format; docs/record.schema.json describes it.
const version = 2

// maxBody is the longest body that a record holds, in bytes; of a longer one it
// keeps the beginning, the length and a digest.
const maxBody = 64 << 10

// keptOfLong is how much of a longer body is kept.
const keptOfLong = 4 << 10

// The lines of a record. Times are in microseconds.
type (
	line struct {
		Event string `json:"event"`

		*runStarted
		*scenarioStarted
		*step
		*scenarioFinished
		*notice
		*roamed
		*against
		*runFinished
	}
	runStarted struct {
		Record      int       `json:"record,omitempty"`
		Tool        string    `json:"tool,omitempty"`
		Seed        uint64    `json:"seed"`
		Environment string    `json:"environment,omitempty"`
		Base        string    `json:"base,omitempty"`
		Time        time.Time `json:"time"`
		Scenarios   int       `json:"scenarios"`
		Shard       string    `json:"shard,omitempty"`
		Sources     string    `json:"sources,omitempty"`
	}
	scenarioStarted struct {
		Scenario int      `json:"scenario"`
		File     string   `json:"file"`
		Line     int      `json:"line"`
		Title    string   `json:"title"`
		Pattern  string   `json:"pattern,omitempty"`
		About    string   `json:"about,omitempty"`
		Tags     []string `json:"tags,omitempty"`
		Check    *check   `json:"check,omitempty"`
		// Found tells of one that roaming has brought back.
		Found *event.Found `json:"found,omitempty"`
	}
	check struct {
		ID        string `json:"id"`
		Level     string `json:"level"`
		Resource  string `json:"resource"`
		Operation string `json:"operation"`
		// Column, ColumnAt and RowAt are its place in the promise grid.
		Column   string   `json:"column,omitempty"`
		ColumnAt int      `json:"column_at,omitempty"`
		RowAt    int      `json:"row_at,omitempty"`
		Causes   []string `json:"causes,omitempty"`
	}
	step struct {
		Scenario   int         `json:"scenario"`
		Index      int         `json:"index"`
		Title      string      `json:"title"`
		File       string      `json:"file"`
		Line       int         `json:"line"`
		Verdict    string      `json:"verdict"`
		Afterwards bool        `json:"afterwards,omitempty"`
		Took       int64       `json:"took_us"`
		Requests   int         `json:"requests"`
		Judged     int         `json:"expectations,omitempty"`
		Why        string      `json:"why,omitempty"`
		Lacks      []string    `json:"lacks,omitempty"`
		Findings   []finding   `json:"findings,omitempty"`
		Exchanges  []exchanged `json:"exchanges,omitempty"`
	}
	finding struct {
		Verdict  string   `json:"verdict"`
		Line     int      `json:"line"`
		Expected string   `json:"expected"`
		Observed []string `json:"observed,omitempty"`
		Because  string   `json:"because,omitempty"`
		Look     string   `json:"look,omitempty"`
		// Exchange is the index of the exchange it is about, -1 for none.
		Exchange int `json:"exchange"`
	}
	exchanged struct {
		Role    string    `json:"role"`
		N       int       `json:"n,omitempty"`
		Name    string    `json:"name,omitempty"`
		Start   time.Time `json:"start"`
		Connect int64     `json:"connect_us"`
		Wait    int64     `json:"wait_us"`
		Read    int64     `json:"read_us"`
		Total   int64     `json:"total_us"`
		Request request   `json:"request"`
		Answer  *answer   `json:"answer,omitempty"`
		Failure *failure  `json:"failure,omitempty"`
	}
	request struct {
		Method string      `json:"method"`
		URL    string      `json:"url"`
		Header [][2]string `json:"headers,omitempty"`
		Body   *body       `json:"body,omitempty"`
	}
	answer struct {
		Proto  string      `json:"proto"`
		Status int         `json:"status"`
		Reason string      `json:"reason,omitempty"`
		Header [][2]string `json:"headers,omitempty"`
		Body   *body       `json:"body,omitempty"`
		Wire   int         `json:"wire"`
		Stray  int         `json:"stray,omitempty"`
		From   string      `json:"from,omitempty"`
	}
	// body is text, or base64 where the bytes are not text; of a long one it is
	// the beginning.
	body struct {
		Text   string `json:"text,omitempty"`
		Base64 string `json:"base64,omitempty"`
		Length int    `json:"length"`
		SHA256 string `json:"sha256,omitempty"`
	}
	failure struct {
		Kind   string `json:"kind"`
		Detail string `json:"detail,omitempty"`
	}
	scenarioFinished struct {
		Scenario int    `json:"scenario"`
		Verdict  string `json:"verdict"`
		Took     int64  `json:"took_us"`
		Steps    int    `json:"steps"`
		Requests int    `json:"requests"`
		Why      string `json:"why,omitempty"`
	}
	notice struct {
		Text   string `json:"text"`
		Severe bool   `json:"severe,omitempty"`
	}
	roamed struct {
		Roamed *event.Roamed `json:"roamed"`
	}
	against struct {
		Against *event.Against `json:"against"`
	}
	runFinished struct {
		Took        int64        `json:"took_us"`
		Counts      event.Counts `json:"counts"`
		Interrupted bool         `json:"interrupted,omitempty"`
		Unreachable bool         `json:"unreachable,omitempty"`
		ServiceDied bool         `json:"service_died,omitempty"`
	}
)

func micros(d time.Duration) int64    { return d.Microseconds() }
func duration(us int64) time.Duration { return time.Duration(us) * time.Microsecond }

// legible is a text with U+FFFD for each byte that is not UTF-8, as JSON has it:
// what is reported at once is then what is reported of the record later.
func legible(s string) string {
	if utf8.ValidString(s) {
		return s
	}
	return string([]rune(s))
}

func legibles(list []string) []string {
	for i, s := range list {
		if !utf8.ValidString(s) {
			list = slices.Clone(list)
			for ; i < len(list); i++ {
				list[i] = legible(list[i])
			}
			return list
		}
	}
	return list
}

func wireHeaders(list []exchange.Field) [][2]string {
	var out [][2]string
	for _, f := range list {
		out = append(out, [2]string{legible(f.Name), legible(f.Value)})
	}
	return out
}

func wireBody(data []byte, length int) *body {
	if len(data) == 0 && length == 0 {
		return nil
	}
	b := &body{Length: max(length, len(data))}
	if len(data) > maxBody {
		sum := sha256.Sum256(data)
		b.SHA256 = hex.EncodeToString(sum[:])
		data = kept(data)
	}
	if utf8.Valid(data) {
		b.Text = string(data)
	} else {
		b.Base64 = base64.StdEncoding.EncodeToString(data)
	}
	return b
}

// kept is the beginning of a long body, not cut through a character.
func kept(data []byte) []byte {
	data = data[:keptOfLong]
	for i := 0; i < utf8.UTFMax && !utf8.Valid(data); i++ {
		data = data[:len(data)-1]
	}
	return data
}

func (b *body) bytes() []byte {
	if b == nil {
		return nil
	}
	if b.Base64 != "" {
		// A record that was tampered with has no body there.
		data, _ := base64.StdEncoding.DecodeString(b.Base64)
		return data
	}
	return []byte(b.Text)
}

func wireExchange(s event.Sent) exchanged {
	x := s.Exchange
	out := exchanged{Role: string(s.Role), N: s.N, Name: s.Name, Start: x.Start.UTC().Truncate(time.Microsecond), Connect: micros(x.Timing.Connect), Wait: micros(x.Timing.Wait),
		Read: micros(x.Timing.Read), Total: micros(x.Timing.Total),
		Request: request{Method: x.Request.Method, URL: legible(x.Request.URL), Header: wireHeaders(x.Request.Header), Body: wireBody(x.Request.Body, x.Request.Length)}}
	if a := x.Answer; a != nil {
		out.Answer = &answer{Proto: a.Proto, Status: a.Status, Reason: legible(a.Reason), Body: wireBody(a.Body, a.Length), Wire: a.Wire, Stray: a.Stray, From: legible(a.From)}
		for _, n := range a.Names() {
			for _, v := range a.Header[n] {
				out.Answer.Header = append(out.Answer.Header, [2]string{legible(n), legible(v)})
			}
		}
	}
	if f := x.Failure; f != nil {
		out.Failure = &failure{string(f.Kind), legible(f.Detail)}
	}
	return out
}

func (w exchanged) sent() event.Sent {
	x := &exchange.Exchange{Start: w.Start, Timing: exchange.Timing{Connect: duration(w.Connect), Wait: duration(w.Wait), Read: duration(w.Read), Total: duration(w.Total)},
		Request: &exchange.Request{Method: w.Request.Method, URL: w.Request.URL, Body: w.Request.Body.bytes()}}
	if w.Request.Body != nil {
		x.Request.Length = w.Request.Body.Length
	}
	for _, h := range w.Request.Header {
		x.Request.Header = append(x.Request.Header, exchange.Field{Name: h[0], Value: h[1]})
	}
	if a := w.Answer; a != nil {
		x.Answer = &exchange.Answer{Proto: a.Proto, Status: a.Status, Reason: a.Reason, Header: http.Header{}, Body: a.Body.bytes(), Wire: a.Wire, Stray: a.Stray, From: a.From}
		if a.Body != nil {
			x.Answer.Length = a.Body.Length
		}
		for _, h := range a.Header {
			x.Answer.Header[h[0]] = append(x.Answer.Header[h[0]], h[1])
		}
	}
	if w.Failure != nil {
		x.Failure = &exchange.Failure{Kind: exchange.Kind(w.Failure.Kind), Detail: w.Failure.Detail}
	}
	return event.Sent{Role: event.Role(w.Role), N: w.N, Name: w.Name, Exchange: x}
}

// toLine is an event as a line of the record.
func toLine(e event.Event) *line {
	switch e := e.(type) {
	case *event.RunStarted:
		return &line{Event: "run started", runStarted: &runStarted{version, e.Tool, e.Seed, e.Environment, e.Base, e.Time.UTC().Truncate(time.Microsecond), e.Scenarios, e.Shard, e.Sources}}
	case *event.ScenarioStarted:
		l := &scenarioStarted{Scenario: e.ID, File: e.File, Line: e.Line, Title: e.Title, Pattern: e.Pattern, About: e.About, Tags: e.Tags, Found: e.Found}
		if c := e.Check; c != nil {
			l.Check = &check{c.ID, c.Level, c.Resource, c.Operation, c.Column, c.ColumnAt, c.RowAt, c.Causes}
		}
		return &line{Event: "scenario started", scenarioStarted: l}
	case *event.StepFinished:
		s := &step{Scenario: e.Scenario, Index: e.Index, Title: e.Title, File: e.File, Line: e.Line, Verdict: string(e.Verdict), Afterwards: e.Afterwards,
			Took: micros(e.Took), Requests: e.Requests, Judged: e.Judged, Why: e.Why, Lacks: e.Lacks}
		for _, f := range e.Findings {
			s.Findings = append(s.Findings, finding{string(f.Verdict), f.Line, legible(f.Expected), legibles(f.Observed), f.Because, f.Look, f.Sent})
		}
		for _, x := range e.Sent {
			s.Exchanges = append(s.Exchanges, wireExchange(x))
		}
		return &line{Event: "step", step: s}
	case *event.ScenarioFinished:
		return &line{Event: "scenario finished", scenarioFinished: &scenarioFinished{e.Scenario, string(e.Verdict), micros(e.Took), e.Steps, e.Requests, e.Why}}
	case *event.Notice:
		return &line{Event: "notice", notice: &notice{e.Text, e.Severe}}
	case *event.Roamed:
		return &line{Event: "roamed", roamed: &roamed{e}}
	case *event.Against:
		return &line{Event: "against", against: &against{e}}
	case *event.RunFinished:
		return &line{Event: "run finished", runFinished: &runFinished{micros(e.Took), e.Counts, e.Interrupted, e.Unreachable, e.ServiceDied}}
	}
	return nil
}

// fromLine is the event that a line holds; nil for one of an unknown kind,
// which a newer tool may have written.
func fromLine(l *line) event.Event {
	switch {
	case l == nil:
		return nil
	case l.runStarted != nil:
		r := l.runStarted
		return &event.RunStarted{Tool: r.Tool, Seed: r.Seed, Environment: r.Environment, Base: r.Base, Time: r.Time, Scenarios: r.Scenarios, Shard: r.Shard, Sources: r.Sources}
	case l.scenarioStarted != nil:
		s := l.scenarioStarted
		e := &event.ScenarioStarted{ID: s.Scenario, File: s.File, Line: s.Line, Title: s.Title, Pattern: s.Pattern, About: s.About, Tags: s.Tags, Found: s.Found}
		if s.Check != nil {
			c := s.Check
			e.Check = &event.Check{ID: c.ID, Level: c.Level, Resource: c.Resource, Operation: c.Operation, Column: c.Column, ColumnAt: c.ColumnAt, RowAt: c.RowAt, Causes: c.Causes}
		}
		return e
	case l.step != nil:
		s := l.step
		e := &event.StepFinished{Scenario: s.Scenario, Index: s.Index, Title: s.Title, File: s.File, Line: s.Line, Verdict: verdict(s.Verdict), Afterwards: s.Afterwards,
			Took: duration(s.Took), Requests: s.Requests, Judged: s.Judged, Why: s.Why, Lacks: s.Lacks}
		for _, f := range s.Findings {
			e.Findings = append(e.Findings, event.Finding{Verdict: verdict(f.Verdict), Line: f.Line, Expected: f.Expected, Observed: f.Observed, Because: f.Because, Look: f.Look, Sent: f.Exchange})
		}
		for _, x := range s.Exchanges {
			e.Sent = append(e.Sent, x.sent())
		}
		return e
	case l.scenarioFinished != nil:
		s := l.scenarioFinished
		return &event.ScenarioFinished{Scenario: s.Scenario, Verdict: verdict(s.Verdict), Took: duration(s.Took), Steps: s.Steps, Requests: s.Requests, Why: s.Why}
	case l.notice != nil:
		return &event.Notice{Text: l.notice.Text, Severe: l.notice.Severe}
	case l.roamed != nil && l.Roamed != nil:
		return l.Roamed
	case l.against != nil && l.Against != nil:
		return l.Against
	case l.runFinished != nil:
		r := l.runFinished
		return &event.RunFinished{Took: duration(r.Took), Counts: r.Counts, Interrupted: r.Interrupted, Unreachable: r.Unreachable, ServiceDied: r.ServiceDied}
	}
	return nil
}

// verdict is a verdict as recorded; version 1 called "skipped" "left out".
func verdict(text string) event.Verdict {
	if text == "left out" {
		return event.Skipped
	}
	return event.Verdict(text)
}
