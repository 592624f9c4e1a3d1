package draft

import (
	"cmp"
	"fmt"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Resource is a resource statement being drafted.
type Resource struct {
	Name, Collection, Item, Members, Content, Identity string
	// Under is the resource whose item this one's collection belongs to.
	Under               string
	Make, Remake, Amend *value.Value
	// MakeAs, RemakeAs and AmendAs are the types that bodies are sent as, "" for the usual
	// one.
	MakeAs, RemakeAs, AmendAs string
	// Headers are lines that each request has; Filter is a line, "" for none.
	Headers []string
	Filter  string
	// Answers is what is answered otherwise than usual, as a line has it; "" for nothing.
	Answers string
	// Turn is the member of Make that gets {turn}, so that items differ.
	Turn string
	// TurnForm is how, with %s for the text: "%s {turn}" when it is "".
	TurnForm string
	// Keys are further members that differ from item to item in the list: each is made another
	// one in the same way, by its form; "{turn}" for a number.
	Keys map[string]string
	// Harm is what trial writes changed that was there before, "" for nothing.
	Harm string
	// List is where items are listed, when elsewhere; InCreate where the answer to a
	// create shows the identity, a JSONPath or a header; Chosen the name that a
	// client gives.
	List, InCreate, Chosen string
	// InList is where a member of the list shows the identity, when elsewhere than
	// the item.
	InList string
	// Paging, Total, Revision and Gone are these lines, "" for none.
	Paging, Total, Revision, Gone string
	Volatile                      []string
	// sample is an item that is there.
	sample *value.Value
	// OnCreate are members that must be there in what items are made of, Public the
	// operations that need no credentials.
	OnCreate, Public []string
	// bare sends without the credentials that were given, nil where none were.
	bare Send
	// candidate is a body for items that POST does not make.
	candidate *value.Value
	// Auth is the line that sends credentials, "" for none.
	Auth               string
	Assigned, Required []string
	// Takes is what a body may hold, as a shape; "" where nothing says so.
	Takes string
	// Hidden are members that are sent and never shown.
	Hidden   []string
	Supports []string
	// Notes are what was guessed or could not be told.
	Notes []string
}

// Text is the statement, in canonical layout.
func (r *Resource) Text() string {
	var b strings.Builder
	for _, n := range r.Notes {
		fmt.Fprintf(&b, "# %s\n", inLine(n))
	}
	fmt.Fprintf(&b, "resource %s\n", r.Name)
	if r.Under != "" {
		fmt.Fprintf(&b, "  under %s\n", r.Under)
	}
	fmt.Fprintf(&b, "  collection %s\n", inLine(r.Collection))
	line := func(word, text, otherwise string) {
		if text != "" && text != otherwise {
			fmt.Fprintf(&b, "  %s %s\n", word, inLine(text))
		}
	}
	line("item", r.Item, r.Collection+"/{id}")
	if r.Auth != "" {
		fmt.Fprintf(&b, "  %s\n", inLine(r.Auth))
	}
	for _, h := range r.Headers {
		fmt.Fprintf(&b, "  %s\n", inLine(h))
	}
	line("list", r.List, "")
	line("members", r.Members, "$[*]")
	line("content", r.Content, "$")
	switch {
	case r.Chosen != "":
		line("identity", fmt.Sprintf("chosen %q by %s", r.Chosen, r.Identity), "")
	case r.InCreate+r.InList != "":
		text := r.Identity
		if r.InList != "" {
			text += " in list " + r.InList
		}
		if r.InCreate != "" {
			text += " in create " + r.InCreate
		}
		line("identity", text, "")
	default:
		line("identity", r.Identity, "$.id")
	}
	line("paging", r.Paging, "")
	line("total", r.Total, "")
	line("revision", r.Revision, "")
	line("gone", r.Gone, "")
	if r.Make != nil {
		line("make", r.example(r.Make)+typed(r.MakeAs), "")
	}
	if r.Remake != nil {
		line("remake", r.example(r.Remake)+typed(r.RemakeAs), "")
	}
	if r.Amend != nil {
		text := Body(r.Amend)
		if r.AmendAs != "" {
			text += " as " + r.AmendAs
		}
		line("amend", text, "")
	}
	line("takes", r.Takes, "")
	line("filter", r.Filter, "")
	line("answers", r.Answers, "")
	line("assigned", names(r.Assigned), "")
	line("required", names(r.Required), "")
	if len(r.OnCreate) > 0 {
		line("required", names(r.OnCreate)+" on create", "")
	}
	line("public", strings.Join(r.Public, ", "), "")
	line("hidden", names(r.Hidden), "")
	line("volatile", strings.Join(r.Volatile, ", "), "")
	line("supports", strings.Join(r.Supports, ", "), "")
	return Canonical(b.String())
}

// typed says the type of a body, where it is not the usual one.
func typed(media string) string {
	if media == "" || media == "application/json" {
		return ""
	}
	return " as " + media
}

// names are members as they are in a list: in quotes where they must.
func names(list []string) string {
	var out []string
	for _, n := range list {
		if !syntax.IsName(n) {
			n = syntax.Quoted(n)
		}
		out = append(out, n)
	}
	return strings.Join(out, ", ")
}

// example is a body with {turn} in the member that tells items apart.
func (r *Resource) example(v *value.Value) string { return r.with(v, "{turn}") }

// with is a body with a text put into the member that tells items apart.
func (r *Resource) with(v *value.Value, turn string) string {
	if v.Kind != value.Object || r.Turn == "" && len(r.Keys) == 0 {
		return Body(v)
	}
	var parts []string
	for i, n := range v.Names {
		text := Body(v.Items[i])
		form, key := r.Keys[n]
		switch {
		case n == r.Turn && v.Items[i].Kind == value.String:
			text = turnedBy(cmp.Or(r.TurnForm, turnForms[0]), v.Items[i], turn)
		case key && form != "":
			text = turnedBy(form, v.Items[i], turn)
		}
		parts = append(parts, syntax.Quoted(n)+": "+text)
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

// turnedBy is a value with a number in it, by a form.
func turnedBy(form string, v *value.Value, turn string) string {
	switch {
	case v.Kind != value.String:
		return strings.ReplaceAll(form, "{turn}", turn)
	case !dateForm().MatchString(v.Text):
		inner := strings.TrimSuffix(strings.TrimPrefix(Body(v), `"`), `"`)
		return `"` + strings.Replace(strings.ReplaceAll(form, "{turn}", turn), "%s", inner, 1) + `"`
	case turn != "{turn}":
		return `"{in_days(random_int(1000, 90000))}"`
	}
	return `"{in_days(turn)}"`
}

// Canonical is a text in the layout of fmt, or as it is when it cannot be read.
func Canonical(text string) string {
	f, diags := syntax.Parse(source.NewFile("draft", text))
	if diags.Errors() > 0 {
		return text
	}
	return syntax.Print(f)
}

// TurnIn is the member whose text may well be any: a name or a title first.
func TurnIn(v *value.Value) string {
	first := ""
	for i, n := range v.Names {
		it := v.Items[i]
		if it.Kind != value.String || varies(n, it) || dateForm().MatchString(it.Text) || len(it.Text) > 40 || len(it.Text) < 3 {
			continue
		}
		switch strings.ToLower(n) {
		case "name", "title", "text", "label", "subject", "description":
			return n
		}
		if first == "" && strings.ContainsAny(it.Text, " ") {
			first = n
		}
	}
	return first
}

// Name makes a name of the language of a text; otherwise is for texts without
// letters.
func Name(text, otherwise string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(text) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' && b.Len() > 0 || r == '_' {
			b.WriteRune(r)
		} else if b.Len() > 0 && !strings.HasSuffix(b.String(), "_") {
			b.WriteByte('_')
		}
	}
	out := strings.Trim(b.String(), "_")
	if out == "" {
		return otherwise
	}
	return out
}
