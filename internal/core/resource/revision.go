package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// revised adds what a write must carry of the item's last answer, where the
// resource says so: the item is read right before, into steps.
func (s *Scene) revised(steps *[]step, lines ...line) []line {
	v := s.Revision
	i := slices.IndexFunc(lines, func(l line) bool { return l.op.changesItem() })
	// What never was has none.
	if v == nil || i < 0 || lines[i].item == "nobody" {
		return lines
	}
	id, as := lines[i].item, v.As
	if lines[i].op == Delete && v.OnDelete != nil {
		as = *v.OnDelete
	}
	if as.Header != "" && slices.ContainsFunc(lines, func(l line) bool {
		return l.place == detail && strings.HasPrefix(strings.ToLower(l.text), "header "+strings.ToLower(as.Header)+":")
	}) {
		// The check sends one of its own.
		return lines
	}
	rev := id + "_rev"
	if !syntax.IsName(id) {
		rev = fmt.Sprintf("rev_%d", s.revisions+1)
	}
	from := "header " + v.From.Header
	if v.From.Path != nil {
		from = s.inItem(v.From.Path.Raw)
	}
	s.revisions++
	title := fmt.Sprintf("the revision of %s, before write %d", id, s.revisions)
	conditions := slices.DeleteFunc(slices.Clone(lines), func(l line) bool { return l.place != before })
	*steps = append(*steps, step{title, append(conditions, s.ask(Read, id), keep(rev+" from "+from).ifThere())})
	out := slices.Clone(lines)
	// What was not there before carries none.
	switch {
	case as.Header != "":
		return slices.Insert(out, i+1, headerLine(as.Header+": {"+rev+"}"))
	case as.Query != "":
		return slices.Insert(out, i+1, queryLine(as.Query, `"{`+rev+`}"`))
	}
	member := strings.TrimPrefix(as.Path.Raw, "$.")
	for j, l := range out {
		body, ok := strings.CutPrefix(l.text, "json ")
		if l.place != detail || !ok {
			continue
		}
		if empty, ok := strings.CutPrefix(body, "{}"); ok {
			out[j].text = "json { " + syntax.Quoted(member) + ": {" + rev + "} }" + empty
			continue
		}
		if name, plain := strings.CutPrefix(body, "{"); plain && !strings.HasPrefix(body, "{ ") {
			name, rest, _ := strings.Cut(name, "}")
			out[j].text = "json {with_member(" + name + ", " + syntax.Quoted(member) + ", " + rev + ")}" + rest
		} else if plain {
			out[j].text = "json { " + syntax.Quoted(member) + ": {" + rev + "}, " + strings.TrimPrefix(body, "{ ")
		}
	}
	return out
}
