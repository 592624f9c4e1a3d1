package traffic

import (
	"fmt"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// Draft is what a recording became.
type Draft struct {
	// Base is the URL of the service.
	Base string
	// Head are lines of the project beside its base: secrets, what is sent with every request,
	// and what signs in before all.
	Secrets, Defaults, SignIn []string
	// Scenario is the text of what was recorded, Resources what looked like the life of one.
	Scenario  string
	Resources []*draft.Resource
	Notes     []string
	// secrets are hidden in the text of resources.
	secrets *draft.Concealed
}

// drafting puts a draft together.
type drafting struct {
	calls  []*Call
	base   string
	source *answers
	// uses are the values of answers that a call needs, by what stands in its request.
	uses []map[string]*given
	// needed are those that some later call needs, by the call that gives them.
	needed map[int][]*given
	// names are taken, known those that have been kept so far.
	names map[string]bool
	known draft.Known
	auth  []string
	out   *Draft
	// secrets are what the calls show of secrets that no answer gave.
	secrets draft.Concealed
	// unguarded counts the steps that may change what was there before.
	unguarded int
}

// From drafts scenarios of the calls that are chosen.
func From(r *Recording, o Choice) (*Draft, error) {
	base, calls, notes, err := r.Choose(o)
	if err != nil {
		return nil, err
	}
	d := &drafting{calls: calls, base: base, source: newAnswers(calls), needed: map[int][]*given{}, names: map[string]bool{}, known: draft.Known{}, auth: make([]string, len(calls)), out: &Draft{Base: base}}
	for i := range calls {
		d.uses = append(d.uses, d.used(i))
	}
	signs := d.signsIn()
	for i, c := range calls {
		d.secrets.Find(c.Exchange)
		if scheme, v, ok := strings.Cut(c.header("Authorization"), " "); ok && d.uses[i][v] == nil && strings.EqualFold(scheme, "Bearer") {
			// It may be sent elsewhere, too.
			d.secrets.Add("token", v)
		}
	}
	for n := range d.secrets.Names() {
		d.names[n] = true
	}
	titles := map[string]bool{}
	var steps []draft.Proposal
	for i := range calls {
		steps = append(steps, d.step(i, titles))
	}
	d.unused(steps)
	d.guard(steps, signs)
	d.hoist(steps, signs)
	d.scenario(steps, signs)
	d.out.Resources, d.out.secrets = d.resources(), &d.secrets
	for _, r := range d.out.Resources {
		d.secrets.Lines(strings.Split(r.Text(), "\n"))
	}
	for _, l := range d.secrets.Secrets {
		if !slices.Contains(d.out.Secrets, l) {
			d.out.Secrets = append(d.out.Secrets, l)
			d.out.Notes = append(d.out.Notes, "Credentials come from the environment: set "+strings.ToUpper(strings.Fields(l)[1])+" before a run.")
		}
	}
	// What is to be done comes before what was left out.
	d.out.Notes = append(d.out.Notes, notes...)
	return d.out, nil
}

// hoist says once what most requests carry, and on the others that they do not.
func (d *drafting) hoist(steps []draft.Proposal, signs int) {
	counts := map[string]int{}
	most := ""
	for i, line := range d.auth {
		if i == signs || line == "" {
			continue
		}
		if counts[line]++; counts[line] > counts[most] || most == "" {
			most = line
		}
	}
	// Without a sign-in before all, the name is bound in the middle of the scenario.
	local := false
	for i := range steps {
		for _, g := range d.needed[i] {
			local = local || i != signs && strings.Contains(most, "{"+g.name+"}")
		}
	}
	if most != "" && !local {
		d.out.Defaults = append(d.out.Defaults, most)
	}
	for i := range steps {
		line := d.auth[i]
		switch {
		case most == "" || !local && line == most:
			line = ""
		case line == "" && !local:
			line = "auth none"
		}
		if line == "" {
			continue
		}
		for _, lines := range []*[]string{&steps[i].Lines, &steps[i].After} {
			if at := sendLine(*lines); at >= 0 {
				*lines = slices.Insert(*lines, at+1, "    "+line)
			}
		}
	}
	if slices.ContainsFunc(d.calls, func(c *Call) bool { return c.header("Cookie") != "" }) && slices.ContainsFunc(d.calls, func(c *Call) bool { return c.Exchange.Answer.Header.Get("Set-Cookie") != "" }) {
		d.out.Defaults = append(d.out.Defaults, "cookies on")
	}
}

// scenario writes all steps, and what takes away again what they have made.
func (d *drafting) scenario(steps []draft.Proposal, signs int) {
	var b strings.Builder
	if d.unguarded > 0 {
		b.WriteString(draft.Unguarded(d.unguarded))
		d.out.Notes = append(d.out.Notes, event.Count(d.unguarded, "step")+" of the recording may change what a run did not make, or needs what such a step gives: sent with --let unguarded=true only.")
	}
	b.WriteString("scenario \"as it was recorded\"\n")
	var after []string
	for i, p := range steps {
		if i == signs {
			d.out.SignIn = append([]string{`before all "sign in"`}, indented(p.Lines)...)
			continue
		}
		b.WriteString(strings.Join(indented(p.Lines), "\n") + "\n\n")
		// The recording may remove it itself, but not where a step before that is missed.
		if len(p.After) > 0 {
			after = append(indented(p.After), after...)
		}
	}
	if len(after) > 0 {
		b.WriteString("afterwards\n" + strings.Join(after, "\n") + "\n")
	}
	d.out.Scenario = b.String()
}

func indented(lines []string) []string {
	var out []string
	for _, l := range lines {
		out = append(out, "  "+l)
	}
	return out
}

// used are the values of earlier answers that a call has in its request.
func (d *drafting) used(i int) map[string]*given {
	out := map[string]*given{}
	c := d.calls[i]
	take := func(text, near string, telling bool) {
		if g := d.source.of(i, text, near, telling); g != nil && out[text] == nil {
			out[text] = g
			if !slices.Contains(d.needed[g.call], g) {
				d.needed[g.call] = append(d.needed[g.call], g)
			}
		}
	}
	u, err := url.Parse(c.URL())
	if err != nil {
		return out
	}
	parts := strings.Split(u.Path, "/")
	for k, segment := range parts {
		if segment != "" && k > 1 {
			take(segment, strings.Join(parts[:k], "/"), true)
		}
	}
	for name, list := range u.Query() {
		for _, v := range list {
			if tellingOf().MatchString(name) || drawn(v) {
				take(v, "", true)
			}
		}
	}
	for _, pair := range slices.Concat(c.Fields, c.Parts) {
		if name, v, _ := strings.Cut(pair, "="); tellingOf().MatchString(name) || secretName().MatchString(name) || drawn(v) {
			take(v, "", true)
		}
	}
	for _, f := range c.Exchange.Request.Header {
		switch {
		case common(f.Name) || f.Name == "Cookie" || f.Name == "Content-Type":
		case f.Name == "Authorization":
			if _, v, ok := strings.Cut(f.Value, " "); ok {
				take(v, "", false)
			}
		default:
			take(f.Value, "", false)
		}
	}
	for _, l := range c.leaves(c.Exchange.Request.Body, c.header("Content-Type")) {
		if tellingOf().MatchString(strings.TrimPrefix(path.Base(l.Path), "@")) || drawn(l.Text) {
			take(l.Text, "", true)
		}
	}
	if v, err := value.Decode(string(c.Exchange.Request.Body), value.Limits{}); err == nil {
		var down func(v *value.Value, name string)
		down = func(v *value.Value, name string) {
			switch v.Kind {
			case value.Object, value.Array:
				for k, one := range v.Items {
					n := name
					if v.Kind == value.Object {
						n = v.Names[k]
					}
					down(one, n)
				}
			case value.String, value.Number:
				if tellingOf().MatchString(name) || v.Kind == value.String && drawn(v.Text) {
					take(v.Plain(), "", true)
				}
			}
		}
		down(v, "")
	}
	return out
}

// common tells of headers that every client sends by itself.
func common(name string) bool {
	for _, start := range []string{"Sec-", "Access-Control-"} {
		if strings.HasPrefix(name, start) {
			return true
		}
	}
	return slices.Contains([]string{"Accept-Encoding", "Accept-Language", "Accept-Charset", "User-Agent", "Connection", "Host", "Origin", "Referer", "Cache-Control", "Pragma", "Content-Length", "Dnt", "Priority",
		"Upgrade-Insecure-Requests", "If-None-Match", "If-Modified-Since", "Keep-Alive", "Te", "Transfer-Encoding", "Expect", "Via", "X-Forwarded-For", "Forwarded"}, name)
}

// signsIn is the call that gives the credentials of others, and needs nothing itself; -1 for
// none.
func (d *drafting) signsIn() int {
	counts := map[int]int{}
	for i, c := range d.calls {
		_, v, ok := strings.Cut(c.header("Authorization"), " ")
		if g := d.uses[i][v]; ok && g != nil && len(d.uses[g.call]) == 0 {
			g.secret = true
			counts[g.call]++
		}
	}
	best := -1
	for i, n := range counts {
		if best < 0 || n > counts[best] || n == counts[best] && i < best {
			best = i
		}
	}
	return best
}

// step is a call as lines of a step, with names for values of earlier answers.
func (d *drafting) step(i int, titles map[string]bool) draft.Proposal {
	c := d.calls[i]
	t, secrets := d.typed(i)
	for _, s := range secrets {
		if !slices.Contains(d.out.Secrets, s) {
			d.out.Secrets = append(d.out.Secrets, s)
		}
	}
	d.auth[i], t.Auth = t.Auth, ""
	title := draft.FreeTitle(&draft.Typed{Method: c.Method(), Target: target(c.URL(), d.base)}, "", func(s string) bool { return titles[s] })
	titles[title] = true
	x := *c.Exchange
	if x.Answer.Status == http.StatusNotModified {
		// Without what the browser had kept, all of it is answered.
		a := *x.Answer
		a.Status, a.Header, a.Body = http.StatusOK, http.Header{}, nil
		x.Answer = &a
	}
	p := draft.Step(title, t, &x, d.known, func(n string) bool { return d.names[n] })
	if c.Unsaid || c.Status() == http.StatusNotModified {
		p.Lines = slices.DeleteFunc(p.Lines, func(l string) bool { return strings.TrimSpace(l) == "expect body empty" })
	}
	d.out.Notes = append(d.out.Notes, p.Notes...)
	for n, v := range p.Kept {
		d.names[n] = true
		if v.Kind == value.String {
			d.known[n] = v
		}
	}
	if c.Polled > 0 {
		at := slices.IndexFunc(p.Lines, func(l string) bool { return strings.HasPrefix(strings.TrimSpace(l), "send ") })
		p.Lines = slices.Insert(p.Lines, at+1, fmt.Sprintf("    retry for %ds every 200ms", max(10, int(3*c.Polled.Seconds()))))
	}
	d.vary(i, p.Lines)
	p.Lines, p.After = d.secrets.Lines(p.Lines), d.secrets.Lines(p.After)
	for _, g := range d.needed[i] {
		for n, v := range p.Kept {
			if v.Plain() == g.text && !g.secret {
				g.name = n
			}
		}
		if g.name != "" {
			continue
		}
		g.name = d.free(d.nameOf(g))
		word := "keep "
		if g.secret {
			word = "keep secret "
		}
		from := g.from
		if g.last {
			from += " last segment"
		}
		p.Lines = append(p.Lines, "  "+word+g.name+" from "+from)
	}
	return p
}

// vary takes out of what is expected of a body the values that answers gave: another run gives
// others. Texts that were kept become their names.
func (d *drafting) vary(i int, lines []string) {
	for k, l := range lines {
		if !strings.HasPrefix(strings.TrimSpace(l), "expect body is") {
			continue
		}
		for call := range i + 1 {
			for _, g := range d.needed[call] {
				with := "string"
				if g.name != "" && !g.secret {
					with = "{" + g.name + "}"
				}
				l = strings.ReplaceAll(l, ": "+syntax.Quoted(g.text), ": "+with)
				if v, err := value.Decode(g.text, value.Limits{}); err == nil && v.Kind == value.Number {
					for _, end := range []string{",", " }"} {
						l = strings.ReplaceAll(l, ": "+g.text+end, ": number"+end)
					}
				}
			}
		}
		lines[k] = l
	}
}

// unused takes away names that are kept to remove what was made, where the recording removes
// it itself.
func (d *drafting) unused(steps []draft.Proposal) {
	for i := range steps {
		for n := range steps[i].Kept {
			used := func(p draft.Proposal) bool {
				return slices.ContainsFunc(p.Lines, func(l string) bool { return strings.Contains(l, "{"+n+"}") })
			}
			if len(steps[i].After) > 0 || slices.ContainsFunc(steps, used) {
				continue
			}
			steps[i].Lines = slices.DeleteFunc(steps[i].Lines, func(l string) bool { return strings.HasPrefix(strings.TrimSpace(l), "keep "+n+" from ") })
			for k, l := range steps[i].Lines {
				steps[i].Lines[k] = strings.Replace(strings.Replace(l, " as "+n+",", ",", 1), " as "+n+" }", " }", 1)
			}
		}
	}
}

// nameOf is what a value may be kept as.
func (d *drafting) nameOf(g *given) string {
	of := singular(pathOf(d.calls[g.call]))
	if n, header := strings.CutPrefix(g.from, "header "); header {
		switch {
		case n == "Location" && g.last:
			return of
		case n == "Location":
			return of + "_at"
		case n == "Etag":
			return of + "_tag"
		}
		return draft.Name(n, "value")
	}
	member := g.from[strings.LastIndexByte(g.from, '.')+1:]
	if at, is := strings.CutPrefix(g.from, "xml "); is {
		member = strings.TrimPrefix(path.Base(at), "@")
	}
	if member == "id" || member == "_id" || strings.HasPrefix(member, "$") {
		return of
	}
	return draft.Name(member, of)
}

// singular is what the collection of a path holds.
func singular(at string) string {
	last := path.Base(at)
	if strings.ContainsAny(last, "0123456789") {
		last = path.Base(path.Dir(at))
	}
	switch {
	case strings.HasSuffix(last, "ies"):
		last = strings.TrimSuffix(last, "ies") + "y"
	case strings.HasSuffix(last, "s") && !strings.HasSuffix(last, "ss"):
		last = strings.TrimSuffix(last, "s")
	}
	return draft.Name(last, "item")
}

func (d *drafting) free(name string) string {
	out := name
	for n := 2; d.names[out]; n++ {
		out = fmt.Sprintf("%s_%d", name, n)
	}
	d.names[out] = true
	return out
}

// removed tells whether the recording itself removes what a call has made.
func (d *drafting) removed(i int) bool {
	c := d.calls[i]
	ids := map[string]bool{}
	for _, g := range gives(i, c) {
		ids[g.text] = g.telling
	}
	return slices.ContainsFunc(d.calls[i+1:], func(other *Call) bool {
		at := pathOf(other)
		return other.Method() == http.MethodDelete && other.Status()/100 == 2 && (ids[path.Base(at)] || strings.HasPrefix(pathOf(c), at+"/"))
	})
}

// named is the name of a value in braces, "" for one that no answer gave.
func (d *drafting) named(i int, text string) string {
	if g := d.uses[i][text]; g != nil && g.name != "" {
		return "{" + g.name + "}"
	}
	for n, v := range d.known {
		if v.Text == text && len(text) >= 3 {
			return "{" + n + "}"
		}
	}
	return ""
}

// escape is a text as a template has it: its own braces are not names.
func escape(text string) string { return strings.ReplaceAll(text, "{", `\{`) }

// Typed is a call as somebody would type it, with all that it has sent; below a base URL
// its target is a path.
func (c *Call) Typed(base string) *draft.Typed {
	d := &drafting{calls: []*Call{c}, base: origin(c.URL()), uses: make([]map[string]*given, 1), out: &Draft{}}
	t := d.plain(0)
	if base == "" {
		t.Target = d.base + t.Target
	}
	return t
}

// typed is a call without credentials, and the lines that bind names in their place.
func (d *drafting) typed(i int) (*draft.Typed, []string) {
	t := d.plain(i)
	given := t.Auth
	out, secrets, notes := t.WithoutCredentials()
	if given != "" {
		out.Auth = given
	}
	for _, n := range notes {
		if !slices.Contains(d.out.Notes, n) {
			d.out.Notes = append(d.out.Notes, n)
		}
	}
	return out, secrets
}

func (d *drafting) plain(i int) *draft.Typed {
	c := d.calls[i]
	t := &draft.Typed{Method: c.Method()}
	at, query, _ := strings.Cut(target(c.URL(), d.base), "?")
	parts := strings.Split(at, "/")
	for k, segment := range parts {
		plain, err := url.PathUnescape(segment)
		if n := d.named(i, plain); n != "" && err == nil && k > 1 {
			parts[k] = n
			continue
		}
		parts[k] = strings.NewReplacer("{", "%7B", "}", "%7D", `"`, "%22", "#", "%23", " ", "%20").Replace(segment)
	}
	t.Target = strings.Join(parts, "/")
	for _, pair := range strings.Split(query, "&") {
		if pair == "" {
			continue
		}
		n, v, valued := strings.Cut(pair, "=")
		name, _ := url.QueryUnescape(n)
		text, _ := url.QueryUnescape(v)
		if !valued {
			t.Query = append(t.Query, name)
			continue
		}
		t.Query = append(t.Query, name+"="+d.text(i, text))
	}
	t.Fields, t.Parts = d.pairs(i, c.Fields), d.pairs(i, c.Parts)
	media := exchange.MediaType(c.header("Content-Type"))
	if len(c.Fields)+len(c.Parts) == 0 && len(c.Exchange.Request.Body) > 0 {
		if v, err := value.Decode(string(c.Exchange.Request.Body), value.Limits{}); err == nil && (exchange.IsJSON(c.header("Content-Type")) || media == "") {
			t.JSON = d.json(i, v)
		} else {
			t.Text = d.marked(i, escape(string(c.Exchange.Request.Body)))
		}
		if media != "application/json" {
			t.Media = c.header("Content-Type")
		}
	}
	for _, f := range c.Exchange.Request.Header {
		switch {
		case common(f.Name) || f.Name == "Cookie" || f.Name == "Content-Type", f.Name == "Accept" && (f.Value == "*/*" || strings.HasPrefix(f.Value, "application/json")):
		case f.Name == "Authorization":
			scheme, v, _ := strings.Cut(f.Value, " ")
			n := d.named(i, v)
			switch {
			case n != "" && strings.EqualFold(scheme, "Bearer"):
				t.Auth = "auth bearer " + n
			case n != "":
				t.Header = append(t.Header, "Authorization: "+scheme+" "+n)
			default:
				t.Header = append(t.Header, f.Name+": "+f.Value)
			}
		default:
			t.Header = append(t.Header, f.Name+": "+strings.ReplaceAll(d.text(i, f.Value), "#", `\#`))
		}
	}
	return t
}

// text is a value of a query, a field or a header.
func (d *drafting) text(i int, v string) string {
	if n := d.named(i, v); n != "" {
		return n
	}
	return escape(v)
}

func (d *drafting) pairs(i int, list []string) []string {
	var out []string
	for _, pair := range list {
		n, v, _ := strings.Cut(pair, "=")
		out = append(out, n+"="+d.text(i, v))
	}
	return out
}

// marked is a body in XML with names for values of earlier answers.
func (d *drafting) marked(i int, body string) string {
	for _, l := range d.calls[i].leaves(d.calls[i].Exchange.Request.Body, d.calls[i].header("Content-Type")) {
		if n := d.named(i, l.Text); n != "" {
			body = strings.NewReplacer(">"+l.Text+"<", ">"+n+"<", `"`+l.Text+`"`, `"`+n+`"`).Replace(body)
		}
	}
	return body
}

// json is a body with names for values of earlier answers.
func (d *drafting) json(i int, v *value.Value) string {
	switch v.Kind {
	case value.Object:
		var parts []string
		for k, n := range v.Names {
			parts = append(parts, syntax.Quoted(n)+": "+d.json(i, v.Items[k]))
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case value.Array:
		var parts []string
		for _, one := range v.Items {
			parts = append(parts, d.json(i, one))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	case value.String, value.Number:
		if g := d.uses[i][v.Plain()]; g != nil && g.name != "" {
			return "{" + g.name + "}"
		}
		return draft.Body(v)
	}
	return v.String()
}
