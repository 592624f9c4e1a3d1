package traffic

import (
	"cmp"
	"fmt"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"

	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// guard leaves steps out, unless it is said that they may be sent, that may change what a run did
// not make. Sent are creates that the same scenario undoes, writes to what it has made so and to
// what is below that, what gives credentials that are used later, and queries of GraphQL. What
// needs a name of a step that is left out is left out with it.
func (d *drafting) guard(steps []draft.Proposal, signs int) {
	own, lacking := map[string]string{}, map[string]bool{}
	for i := range steps {
		if i == signs {
			continue
		}
		p, c := &steps[i], d.calls[i]
		names := d.keptBy(i, *p)
		sent := true
		for _, l := range p.Lines {
			for n := range lacking {
				sent = sent && !strings.Contains(l, "{"+n+"}") && !strings.Contains(l, "{"+n+".")
			}
		}
		at := sendLine(p.Lines)
		target, _, _ := strings.Cut(strings.TrimSpace(p.Lines[at][strings.Index(p.Lines[at], "send ")+5:]), "?")
		target = strings.TrimPrefix(target, c.Method()+" ")
		var made []string
		d.undo(p, c, target)
		switch {
		case !sent || syntax.SafeMethod(c.Method()) || d.ownTarget(target, own) || d.givesCredentials(i) || c.asksGraphQL():
		case c.Method() == http.MethodPost && c.Status() == http.StatusCreated:
			made = d.madeBy(i, names)
			sent = len(made) > 0 && (len(p.After) > 0 || d.removed(i))
			if sent && len(p.After) == 0 {
				p.After = []string{"step " + value.Quoted("remove the "+singular(pathOf(c))+" again"), "  send DELETE " + strings.TrimSuffix(target, "/") + "/{" + made[0] + "}"}
			}
		case c.Method() == http.MethodPost && c.Status()/100 == 4 && d.makesElsewhere(steps, target):
			// Where it is taken, what it makes is removed.
			d.stray(p, target)
		default:
			sent = false
		}
		if !sent {
			p.Lines = slices.Insert(p.Lines, at, "  "+draft.OnlyUnguarded)
			p.After = nil
			d.unguarded++
			for n := range names {
				lacking[n] = true
			}
			continue
		}
		need := "  need status 2xx"
		for _, n := range made {
			own[n], need = target, "  need status 201"
		}
		if len(names) > 0 && c.Status()/100 == 2 {
			k := slices.IndexFunc(p.Lines, func(l string) bool { return strings.HasPrefix(strings.TrimSpace(l), "expect status ") })
			p.Lines = slices.Insert(p.Lines, k+1, need)
		}
	}
}

// undo has what removes again what a call has made name it as the call does: no item that was
// recorded stands in its path.
func (d *drafting) undo(p *draft.Proposal, c *Call, target string) {
	if len(p.After) == 0 {
		return
	}
	k := sendLine(p.After)
	at := strings.TrimPrefix(strings.TrimSpace(p.After[k]), "send DELETE ")
	if strings.HasPrefix(at, "{") {
		return
	}
	above, name := path.Split(at)
	if recorded := pathOf(c); strings.HasSuffix(strings.TrimSuffix(above, "/"), strings.TrimSuffix(recorded, "/")) {
		above = strings.TrimSuffix(target, "/") + "/"
	}
	p.After[k] = "  send DELETE " + above + name
	for _, segment := range strings.Split(above, "/") {
		if drawn(segment) || segment != "" && strings.Trim(segment, "0123456789") == "" {
			p.After = nil
			return
		}
	}
}

func sendLine(lines []string) int {
	return slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(strings.TrimSpace(l), "send ") })
}

var (
	keepsName = regexp.MustCompile(`^\s*keep (?:every )?(?:secret )?(\w+) from (.+)$`)
	asName    = regexp.MustCompile(`"?([\w$-]+)"?: [a-z]+ as (\w+)\b`)
)

// keptBy are the names that a step keeps of its answer, with where they stand in it.
func (d *drafting) keptBy(i int, p draft.Proposal) map[string]string {
	out := map[string]string{}
	for _, l := range p.Lines {
		if m := keepsName.FindStringSubmatch(l); m != nil {
			out[m[1]] = m[2]
		}
		if strings.HasPrefix(strings.TrimSpace(l), "expect body is") {
			for _, m := range asName.FindAllStringSubmatch(l, -1) {
				out[m[2]] = "$." + m[1]
			}
		}
	}
	return out
}

// madeBy are the names that stand for what a create has made: its identity at the top of the
// answer or in its one wrapper, or the Location. What else an answer names may be something
// that was there.
func (d *drafting) madeBy(i int, names map[string]string) []string {
	c := d.calls[i]
	wrapper := ""
	if v, err := value.Decode(string(c.Exchange.Answer.Body), value.Limits{}); err == nil && v.Kind == value.Object && draft.Identity(v) == "" {
		for k, n := range v.Names {
			if v.Items[k].Kind == value.Object && (len(v.Items) == 1 || n == "data" || n == singular(pathOf(c))) {
				wrapper = "$." + n + "."
			}
		}
	}
	var out []string
	for n, from := range names {
		member, inBody := strings.CutPrefix(from, cmp.Or(wrapper, "$."))
		if at, inXML := strings.CutPrefix(from, "xml "); inXML && strings.Count(at, "/") == 2 {
			member, inBody = strings.TrimPrefix(path.Base(at), "@"), true
		}
		if inBody && !strings.ContainsAny(member, ".[") && tellingOf().MatchString(member) || strings.HasPrefix(from, "header Location") {
			out = append(out, n)
		}
	}
	// What names it by its own comes before where it is.
	slices.SortFunc(out, func(a, b string) int {
		return cmp.Or(strings.Compare(fmt.Sprint(strings.HasPrefix(names[a], "header")), fmt.Sprint(strings.HasPrefix(names[b], "header"))), strings.Compare(a, b))
	})
	return out
}

// ownTarget tells whether a target is an item that the scenario has made, or below one.
func (d *drafting) ownTarget(target string, own map[string]string) bool {
	for name, list := range own {
		item := strings.TrimSuffix(list, "/") + "/{" + name + "}"
		for _, at := range []string{item, "{" + name + "}"} {
			if target == at || strings.HasPrefix(target, at+"/") {
				return true
			}
		}
	}
	return false
}

// givesCredentials tells whether a call gives what later ones sign in with.
func (d *drafting) givesCredentials(i int) bool {
	return d.calls[i].Status()/100 == 2 && d.calls[i].Method() == http.MethodPost && slices.ContainsFunc(d.needed[i], func(g *given) bool { return g.secret })
}

// makesElsewhere tells whether another call makes an item at the same place, and the scenario
// removes it.
func (d *drafting) makesElsewhere(steps []draft.Proposal, target string) bool {
	for i, c := range d.calls {
		if c.Method() == http.MethodPost && c.Status() == http.StatusCreated && strings.HasSuffix(steps[i].Lines[sendLine(steps[i].Lines)], "send POST "+target) &&
			(len(steps[i].After) > 0 || d.removed(i)) && len(d.madeBy(i, d.keptBy(i, steps[i]))) > 0 {
			return true
		}
	}
	return false
}

// stray removes what a create makes that was refused when it was recorded.
func (d *drafting) stray(p *draft.Proposal, target string) {
	name := d.free("stray")
	title := strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(p.Lines[0]), "step "), "\n")
	p.Lines = append(p.Lines, "  keep "+name+" from $.id or header Location last segment if there")
	p.After = []string{"step " + value.Quoted("remove what came of: "+strings.Trim(title, `"`)), "  when status 201 of " + title, "  send DELETE " + path.Clean(target) + "/{" + name + "}"}
}

var writesGraphQL = late.Regexp(`(?m)^\s*(mutation|subscription)\b`)

// asksGraphQL tells whether a call is a query of GraphQL, which reads.
func (c *Call) asksGraphQL() bool {
	v, err := value.Decode(string(c.Exchange.Request.Body), value.Limits{})
	if err != nil || c.Method() != http.MethodPost {
		return false
	}
	q, has := v.Get("query")
	text := ""
	if has && q.Kind == value.String {
		text = strings.TrimSpace(q.Text)
	}
	return (strings.HasPrefix(text, "query") || strings.HasPrefix(text, "{")) && !writesGraphQL().MatchString(text)
}
