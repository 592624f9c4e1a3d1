package draft

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// trial makes items of a resource that is being drafted, to see what the service
// takes and what it makes of it. It writes to nothing but what it has made, and
// takes that away again.
type trial struct {
	r    *Resource
	send Send
	base string
	// watch looks after what was there before.
	watch *keeper
	// sample is an item that is there; id its identity in the list.
	sample *value.Value
	id     string
	there  map[string]bool
	// body is what is tried, n the number that tells one try from the next, counted
	// from first.
	body     *value.Value
	first, n int
	// turns are the forms of the text that tells items apart, still to be tried.
	turns []string
	// dropped are the members that were left out, added those that were put in.
	dropped, added map[string]bool
	// made is the path of the item that is there now, "" for none.
	made, revision string
	// status is what creates are answered with.
	status int
	left   []string
}

// turnForms are ways to make a text another one each time: names of hosts,
// words in lower case, and texts that take no blank.
var turnForms = []string{"%s {turn}", "t{turn}.%s", "%s-{turn}", "%s{turn}", "{turn}%s"}

// mostTries bounds how often a create is varied.
const mostTries = 24

// quotedWord finds what a refusal names.
var quotedWord = late.Regexp("[\"'`]([A-Za-z_][A-Za-z0-9_-]{1,40})[\"'`]")

func (t *trial) turn() string { return strconv.Itoa(t.first + 7*t.n) }

func (t *trial) text(v *value.Value) []byte {
	text := strings.ReplaceAll(t.r.example(v), "{turn}", t.turn())
	return []byte(strings.ReplaceAll(text, `\{`, "{"))
}

// run tries all of it.
func (t *trial) run() {
	t.dropped, t.added, t.turns = map[string]bool{}, map[string]bool{}, slices.Clone(turnForms[1:])
	t.begin()
	t.open("list", t.base+t.r.Collection)
	t.body = t.r.Make
	x := t.create()
	if x == nil {
		t.sweep()
		return
	}
	if t.r.Make = t.body; !t.identify(x) {
		t.sweep()
		return
	}
	t.compare()
	t.writes()
	gone := t.remove()
	if gone {
		t.required()
		t.r.Supports = append(slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" }), "delete")
	}
	t.sweep()
}

// create varies the body until it is taken; nil when it never is.
func (t *trial) create() *exchange.Exchange {
	var x *exchange.Exchange
	for range mostTries {
		t.n++
		x = t.send("POST", t.base+t.r.Collection, t.text(t.body), "application/json")
		if x.Answer == nil || x.Answer.Status/100 == 2 || !t.adapt(x.Answer) {
			break
		}
	}
	switch {
	case x.Answer == nil:
		t.r.Notes = append(t.r.Notes, "`make` was tried, and nothing was answered: "+x.Failure.Error())
	case x.Answer.Status/100 == 2:
		t.status = x.Answer.Status
		return x
	case slices.Contains([]int{404, 405, 501}, x.Answer.Status) && t.byName():
		return nil
	default:
		t.r.Notes = append(t.r.Notes, "`make` was tried in "+strconv.Itoa(t.n)+" forms and refused ("+x.Answer.StatusText()+" "+
			value.Cut(strings.Join(strings.Fields(string(x.Answer.Body)), " "), 120)+"): mend it.")
	}
	t.r.Supports = slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" })
	return nil
}

// adapt changes the body by what a refusal names; false when there is nothing
// more to change.
func (t *trial) adapt(a *exchange.Answer) bool {
	if a.Status/100 != 4 || slices.Contains([]int{401, 403, 404, 405, 429}, a.Status) {
		return false
	}
	says := strings.ToLower(string(a.Body))
	if strings.Contains(says, t.turn()) && len(t.turns) > 0 {
		t.nextTurn()
		return true
	}
	named := t.mentioned(says)
	for _, n := range named {
		switch _, has := t.body.Get(n); {
		case n == t.r.Turn && len(t.turns) > 0:
			t.nextTurn()
			return true
		case has && t.nextForm(n):
			return true
		case has && !t.dropped[n]:
			t.drop(n)
			return true
		case !has && !t.added[n]:
			t.added[n] = true
			if v, ok := t.sample.Get(n); ok && n == t.id && v.Kind == value.String {
				t.nameIt(n, v)
			} else if ok {
				t.put(n, later(n, v))
			} else if strings.Contains(says, "array") || strings.Contains(says, "list") {
				t.put(n, value.NewArray())
			} else {
				t.put(n, value.NewString("text"))
			}
			return true
		}
	}
	if len(named) == 0 {
		some := false
		for _, n := range slices.Sorted(maps.Keys(t.r.Keys)) {
			some = t.nextForm(n) || some
		}
		if some {
			return true
		}
	}
	// Nothing is named: what is most likely the service's goes first.
	for pass := range 2 {
		for i := len(t.body.Names) - 1; i >= 0; i-- {
			n := t.body.Names[i]
			if n != t.r.Turn && !t.added[n] && !t.dropped[n] && (pass == 1 || t.body.Items[i].Kind >= value.Array) {
				t.drop(n)
				return true
			}
		}
	}
	return false
}

// mentioned are the members that a refusal names: those of the item, then any that
// stand in quotes.
func (t *trial) mentioned(says string) []string {
	var out []string
	names := slices.Concat(t.body.Names, t.sample.Names)
	slices.SortStableFunc(names, func(a, b string) int { return len(b) - len(a) })
	for _, n := range names {
		word := regexp.MustCompile(`(^|[^a-z0-9_])` + regexp.QuoteMeta(strings.ToLower(n)) + `($|[^a-z0-9_])`)
		if !slices.Contains(out, n) && len(n) > 1 && word.MatchString(says) {
			out = append(out, n)
		}
	}
	for _, m := range quotedWord().FindAllStringSubmatch(says, -1) {
		known := slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, m[1]) })
		if !known && !slices.Contains(out, m[1]) && !slices.Contains([]string{"error", "message", "code", "detail", "status", "title", "type"}, m[1]) {
			out = append(out, m[1])
		}
	}
	return out
}

// nameIt puts the identity into the body, as a client chooses it: another for each item.
func (t *trial) nameIt(n string, v *value.Value) {
	r := t.r
	r.Turn, r.TurnForm, t.turns = n, "%s-{turn}", nil
	r.Assigned = slices.DeleteFunc(r.Assigned, func(s string) bool { return s == n })
	r.Notes = slices.DeleteFunc(r.Notes, func(s string) bool { return s == sameForAll })
	// Whatever else is refused, this is needed.
	r.Make = value.NewObject().Add(n, v)
	for i, other := range t.body.Names {
		r.Make.Add(other, t.body.Items[i])
	}
	t.body = r.Make
}

func (t *trial) nextTurn() { t.r.TurnForm, t.turns = t.turns[0], t.turns[1:] }

func (t *trial) drop(name string) {
	t.dropped[name] = true
	t.body = Without(t.body, name)
}

func (t *trial) put(name string, v *value.Value) {
	out := value.NewObject()
	for i, n := range t.body.Names {
		out.Add(n, t.body.Items[i])
	}
	t.body = out.Add(name, v)
}

// endName finds members that say when something is over.
var endName = late.Regexp(`(?i)(end|until|expire|due|to$)`)

// later is a time of an item that is there as one that is still to come; what
// ends comes after what begins.
func later(name string, v *value.Value) *value.Value {
	if v.Kind != value.String || !timeForm().MatchString(v.Text) {
		return v
	}
	if at, err := time.Parse(time.RFC3339Nano, v.Text); err == nil && at.Before(time.Now().AddDate(1, 0, 0)) {
		day := 1
		if endName().MatchString(name) {
			day = 2
		}
		return value.NewString(fmt.Sprintf("%d-06-%02dT12:00:00Z", time.Now().Year()+3, day))
	}
	return v
}
