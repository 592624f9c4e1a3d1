package custody

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// quay is a small service with a list, and the odd manners that a test gives it.
type quay struct {
	t    *testing.T
	odd  []string
	ids  []string
	item map[string]string
	next int
	// asked is what came to it, removed what it holds no more and shows all the same.
	asked   []string
	removed map[string]bool
	looks   int
}

const quayURL = "http://127.0.0.1:8123"

func newQuay(t *testing.T, odd string, there ...string) *quay {
	q := &quay{t: t, odd: strings.Split(odd, ", "), item: map[string]string{}, removed: map[string]bool{}, next: 50}
	for _, text := range there {
		q.put(decode(t, text))
	}
	return q
}

func decode(t *testing.T, text string) *value.Value {
	t.Helper()
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	return v
}

func (q *quay) is(odd string) bool { return slices.Contains(q.odd, odd) }

func (q *quay) put(v *value.Value) string {
	id := ""
	if v.Kind == value.Object {
		if one, ok := v.Get("id"); ok {
			id = one.Plain()
		}
	}
	if id == "" {
		q.next++
		id = strconv.Itoa(q.next)
		with := value.NewObject().Add("id", value.NewInt(int64(q.next)))
		for i, n := range v.Names {
			with.Add(n, v.Items[i])
		}
		v = with
	}
	if _, there := q.item[id]; !there {
		q.ids = append(q.ids, id)
	}
	q.item[id] = v.String()
	return id
}

func (q *quay) drop(id string) {
	delete(q.item, id)
	q.ids = slices.DeleteFunc(q.ids, func(one string) bool { return one == id })
}

// serve answers a request.
func (q *quay) serve(r *exchange.Request) *exchange.Exchange {
	at := strings.TrimPrefix(r.URL, quayURL)
	q.asked = append(q.asked, strings.TrimSpace(r.Method+" "+at+" "+string(r.Body)))
	status, location, body := q.answer(r.Method, at, string(r.Body))
	x := &exchange.Exchange{Request: r, Start: time.Now()}
	if status == 0 {
		x.Failure = &exchange.Failure{Kind: exchange.SlowAnswer}
		return x
	}
	x.Answer = &exchange.Answer{Status: status, Header: http.Header{"Content-Type": {"application/json"}}, Body: []byte(body)}
	if location != "" {
		field := "Location"
		if q.is("by a field of its own") {
			field = "Boat"
		}
		x.Answer.Header.Set(field, location)
	}
	return x
}

func (q *quay) answer(method, at, body string) (status int, location, text string) {
	if q.is("items elsewhere") {
		if rest, its := strings.CutPrefix(at, "/boat/"); its {
			at = "/boats/" + rest
		} else if strings.HasPrefix(at, "/boats/") {
			return 404, "", ""
		}
	}
	list, id, below := strings.Cut(strings.TrimPrefix(at, "/"), "/")
	id = strings.TrimSuffix(id, ".json")
	switch {
	case list != "boats" && list != "new":
		return 404, "", ""
	case method == "POST" && id == "":
		return q.create(body)
	case method == "GET" && !below:
		return q.list()
	case !below || q.is("mute"):
		return 0, "", ""
	}
	text, there := q.item[id]
	switch {
	case q.is("ids in any case") && !there:
		for _, one := range q.ids {
			if strings.EqualFold(one, id) {
				id, text, there = one, q.item[one], true
			}
		}
	}
	switch method {
	case "HEAD":
		if !there || q.is("HEAD is not served") {
			return 404, "", ""
		}
		return 200, "", ""
	case "BREW":
		if q.is("BREW removes") {
			q.drop(id)
			return 200, "", ""
		}
	case "GET":
		switch {
		case q.is("forgets"):
			q.drop(id)
			return 404, "", ""
		case q.is("items are forbidden"):
			return 403, "", ""
		case q.is("items are not answered"):
			return 0, "", ""
		case !there && q.is("what is not there is forbidden"):
			return 403, "", ""
		case !there:
			return 404, "", ""
		}
		return 200, "", text
	case "PUT":
		v := decode(q.t, body)
		with := value.NewObject().Add("id", value.NewString(id))
		for i, n := range v.Names {
			if n != "id" {
				with.Add(n, v.Items[i])
			}
		}
		q.put(with)
		if there || q.is("PUT says 200") {
			return 200, "", ""
		}
		return 201, "", ""
	case "PATCH":
		if !there {
			return 404, "", ""
		}
		for _, one := range q.ids {
			if one == id || q.is("PATCH changes all") {
				q.item[one] = strings.Replace(q.item[one], "}", fmt.Sprintf(`, "changed%d": true}`, len(q.asked)), 1)
			}
		}
		return 200, "", ""
	case "DELETE":
		if q.is("numbers are given again") {
			q.next = 50
		}
		switch {
		case !there && q.is("DELETE of nothing removes the first") && len(q.ids) > 0:
			q.drop(q.ids[0])
			return 204, "", ""
		case !there:
			return 404, "", ""
		case q.is("DELETE keeps"):
		case q.is("DELETE changes"):
			q.item[id] = strings.Replace(text, "afloat", "sunk", 1)
		case q.is("DELETE marks"):
			q.item[id] = strings.TrimSuffix(text, "}") + `, "gone": true}`
		case q.is("DELETE removes the first too"):
			q.drop(q.ids[0])
			q.drop(id)
		default:
			q.drop(id)
		}
		switch {
		case q.is("DELETE is taken"):
			return 202, "", ""
		case q.is("DELETE is not answered"):
			return 0, "", ""
		}
		return 204, "", ""
	}
	return 405, "", ""
}

func (q *quay) create(body string) (status int, location, text string) {
	v := decode(q.t, body)
	status = 201
	switch {
	case q.is("creates say 200"):
		status = 200
	case q.is("creates say 202"):
		status = 202
	}
	if q.is("creates name the first") {
		return status, "", q.item[q.ids[0]]
	}
	if last := q.ids[max(len(q.ids)-1, 0):]; q.is("creates are done once") && len(last) == 1 && last[0] > "50" {
		if status == 202 {
			// It was made when it was taken, and is there now.
			status = 200
		}
		return status, "/boats/" + last[0], q.item[last[0]]
	}
	if q.is("creates are refused") {
		return 422, "", ""
	}
	if q.is("shows nothing of what was sent") {
		v = value.NewObject()
	}
	if q.is("creates take lists") && v.Kind == value.Array {
		for range v.Items {
			q.put(value.NewObject().Add("name", value.NewString("Tern 123456")))
		}
		return 200, "", "[]"
	}
	id := q.put(v)
	switch {
	case q.is("Location of the first"):
		return status, "/boats/" + q.ids[0], ""
	case q.is("only Location"):
		return status, "/boats/" + id, ""
	case q.is("Location with a suffix"):
		return status, "/boats/" + id + ".json", q.item[id]
	case q.is("no name"):
		return status, "", ""
	}
	return status, "", q.item[id]
}

func (q *quay) list() (status int, location, text string) {
	q.looks++
	if q.is("ticks") {
		q.item["2"] = fmt.Sprintf(`{"id": 2, "name": "Smew", "tick": %d}`, q.looks)
	}
	if q.is("the list is not read") {
		return 500, "", ""
	}
	ids := slices.Clone(q.ids)
	switch {
	case q.is("shows what was there first"):
		ids = slices.DeleteFunc(ids, func(id string) bool { n, err := strconv.Atoi(id); return err == nil && n > 50 })
	case q.is("skips the first for a moment") && q.looks < 2, q.is("skips the first"):
		ids = ids[1:]
	case q.is("shows its newest three"):
		ids = ids[max(0, len(ids)-3):]
	case q.is("shows new ones late") && q.looks%3 != 0:
		ids = slices.DeleteFunc(ids, func(id string) bool { n, err := strconv.Atoi(id); return err == nil && n > 50 })
	}
	var all []string
	for _, id := range ids {
		if q.is("hides what is marked") && strings.Contains(q.item[id], "gone") {
			continue
		}
		if q.is("lists are short") {
			v := decode(q.t, q.item[id])
			all = append(all, value.NewObject().Add("id", v.Items[0]).Add("name", v.Items[1]).String())
			continue
		}
		all = append(all, q.item[id])
	}
	return 200, "", "[" + strings.Join(all, ", ") + "]"
}

// deck is a step that asks a quay.
type deck struct {
	q     *quay
	s     *Scenario
	index int
	after bool
	lists []List
	sent  []event.Sent
	view  state.View
	// header is a field whose last segment names what was made.
	header bool
	// fails is why the lists are not known.
	fails error
}

var boatsList = List{Host: "127.0.0.1:8123", Path: "/boats", Written: "/boats", Keyed: true}

func (d *deck) About() About {
	return About{Index: d.index, Base: quayURL, Afterwards: d.after, Stranger: d.q.is("asked by a stranger")}
}
func (d *deck) Lists() ([]List, error) { return d.lists, d.fails }
func (d *deck) Wait(time.Duration)     {}

func (d *deck) Ask(r *exchange.Request, why string) *exchange.Exchange {
	x := d.q.serve(r)
	d.sent = append(d.sent, event.Sent{Role: event.Observation, Name: why, Exchange: x})
	return x
}

func (d *deck) Item(method string, l List, id, why string) *exchange.Exchange {
	return d.Ask(&exchange.Request{Method: method, URL: quayURL + l.Path + "/" + id}, why)
}

func (d *deck) Look(l List, why string, _ bool) (*Sight, error) {
	at := time.Now()
	x := d.Ask(&exchange.Request{Method: "GET", URL: quayURL + l.Path}, why)
	s := &Sight{At: at, Host: l.Host, Path: l.Path, View: d.view}
	if x.Answer == nil || x.Answer.Status != 200 {
		s.Problem = "GET " + l.Path + " was not answered with 200"
		if d.index > 0 {
			d.s.Missed("step "+strconv.Itoa(d.index), s)
		} else {
			d.s.Missed("", s)
		}
		return s, nil
	}
	d.s.Learn(expect.NewReply(x))
	list, err := d.view.Entries(decode(d.q.t, string(x.Answer.Body)).Items, nil)
	require.NoError(d.q.t, err)
	s.S = d.view.Absent()
	s.S.Put(list)
	d.s.Saw(s)
	return s, nil
}

func (d *deck) Kept(r *expect.Reply) []Kept {
	if d.header {
		if to := r.Answer.Header.Get("Location") + r.Answer.Header.Get("Boat"); to != "" {
			return []Kept{{Value: value.NewString(to), Header: true, Line: 7}}
		}
		return nil
	}
	body, err := r.JSON()
	if err != nil {
		return nil
	}
	if v, ok := body.Get("id"); ok {
		return []Kept{{Value: v, Path: true, Line: 7}}
	}
	return nil
}

func (d *deck) Apart() Step {
	other := *d
	other.s, other.index = d.s.Apart(), 0
	return &other
}

// trip is a scenario under way at a quay, with what became of it.
type trip struct {
	*deck
	run  *Run
	told []string
	// last is the name of what was made last.
	last string
	// asked is what was asked for; over tells that it has ended.
	asked []string
	over  bool
}

// drawn is the number in the names that the first trip makes; others have multiples of it.
const drawn = 123456

func newTrip(t *testing.T, q *quay, run *Run, id int, how How) *trip {
	key, err := jsonpath.Parse("$.id")
	require.NoError(t, err)
	tr := &trip{run: run}
	world := &scope.World{}
	world.Drawn.Note(value.NewInt(int64(drawn * id)))
	how.Guarded = true
	list := boatsList
	if how.Elsewhere = q.is("items elsewhere"); how.Elsewhere {
		list.Items = "/boat/*.json"
	}
	tr.deck = &deck{q: q, header: q.is("by header") || q.is("by a field of its own"), lists: []List{list}, view: state.View{By: key}}
	by := Writer{ID: id, Name: fmt.Sprintf("trip %d", id), File: "a.upath", Line: id, Of: tr, Over: func() bool { return tr.over }}
	by.Again = func(_ context.Context, d *Doubt) (Deed, bool) {
		how := how
		how.Closely = d
		again := newTrip(t, q, run, id, how)
		for _, line := range tr.asked {
			again.do(line)
		}
		if again.s.Deed() == nil {
			return Deed{}, false
		}
		deed := *again.s.Deed()
		deed.Step, deed.Name, deed.File, deed.Line, deed.Sent = "step", fmt.Sprintf("step %d", deed.Index), "a.upath", 3, again.sent
		return deed, true
	}
	tr.s = run.Scenario(context.Background(), by, how, &world.Drawn, func(text string) { tr.told = append(tr.told, text) })
	return tr
}

// do asks for what a line says, `POST /boats {"name": "x"}`, and tells what became of it.
func (tr *trip) do(line string) string {
	tr.index++
	tr.asked = append(tr.asked, line)
	line = strings.ReplaceAll(line, "{id}", tr.last)
	method, rest, _ := strings.Cut(line, " ")
	at, body, _ := strings.Cut(rest, " ")
	r := &exchange.Request{Method: method, URL: quayURL + at, Body: []byte(body)}
	if strings.HasPrefix(at, "http") {
		r.URL = at
	}
	why, err := tr.s.May(tr.deck, r)
	if err != nil {
		return "error: " + err.Error()
	}
	if why != "" {
		return "held: " + strings.ReplaceAll(strings.TrimLeft(strings.TrimPrefix(why, NotOurs+method+" "+r.URL), ": "), "`", "'")
	}
	tr.s.Sent(tr.deck, []*exchange.Request{r})
	reply := expect.NewReply(tr.q.serve(r))
	first := len(tr.sent)
	tr.sent = append(tr.sent, event.Sent{Exchange: reply.Exchange})
	said := "no answer"
	if reply.Answer != nil {
		said = strconv.Itoa(reply.Answer.Status)
		if kept := tr.Kept(reply); method == "POST" && len(kept) > 0 {
			tr.last = path.Base(kept[0].Value.Plain())
		}
	}
	if wrong := tr.s.Answered(tr.deck, []*expect.Reply{reply}, tr.sent[first:], first); wrong != nil {
		said += ", which is false of " + wrong.Name
	}
	return said
}

// whose tells what is known of whose an item is, and of the list.
func (tr *trip) whose() string {
	o, l := &tr.s.own, &tr.run.ledger
	words := map[string][]string{}
	note := func(set map[string]bool, word string) {
		for at, is := range set {
			if at = at[strings.LastIndex(at, "/")+1:]; is {
				words[at] = append(words[at], word)
			}
		}
	}
	for at := range o.paths {
		note(map[string]bool{at: true}, "named")
	}
	for name := range o.names {
		note(map[string]bool{name: true}, "named so")
	}
	note(o.gone, "gone")
	note(o.shown, "shown")
	note(o.proven, "proven")
	note(tr.s.removed, "removed")
	note(l.put, "put")
	note(l.free, "free")
	note(l.away, "away")
	for _, m := range l.made {
		note(map[string]bool{m.path: true}, "left")
	}
	for _, m := range l.removed {
		note(map[string]bool{m.path: true}, "known to go")
	}
	for at := range l.seen {
		if !strings.Contains(at, " ") {
			note(map[string]bool{at: true}, "seen")
		}
	}
	var out []string
	for _, name := range slices.Sorted(maps.Keys(words)) {
		slices.Sort(words[name])
		out = append(out, name+" "+strings.Join(words[name], ", "))
	}
	page := tr.run.book.page(boatsList.kind())
	list := []string{"unknown", "whole", "partial"}[page.listing]
	if page.slides {
		list += ", slides"
	}
	if page.waited {
		list += ", waited for"
	}
	for _, status := range slices.Sorted(maps.Keys(page.statuses)) {
		list += fmt.Sprint(", creates by ", status)
	}
	return strings.Join(append(out, list), "; ")
}

// items are what is left at the quay.
func (q *quay) items() string {
	var out []string
	for _, id := range q.ids {
		out = append(out, path.Base(id))
	}
	return strings.Join(out, " ")
}
