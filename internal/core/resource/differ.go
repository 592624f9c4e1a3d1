package resource

import (
	"usualpath/internal/core/late"
	"usualpath/internal/core/source"
)

// called finds a function in braces: each time it may give another value.
var called = late.Regexp(`\{[^{}"]*\(`)

// sets tells whether an example gives a member the value that another gives it.
func (e *Example) sets(f Field) bool {
	has := e.field(f.Name)
	return has != nil && has.Text == f.Text && !called().MatchString(f.Text)
}

// within tells whether all that an example says is what another says: written
// over it, nothing would change.
func (e *Example) within(o *Example) bool {
	if len(e.Fields) == 0 {
		return e.Text == o.Text && !called().MatchString(e.Text)
	}
	for _, f := range e.Fields {
		if !o.sets(f) {
			return false
		}
	}
	return true
}

// replaceDiffers says why a replace proves nothing: it stores what is there.
func replaceDiffers(r *Resource) string {
	if r.Make != nil && r.Remake != nil && r.Remake.within(r.Make) && len(r.Remake.Fields) == len(r.Make.Fields) {
		return "`remake` is what `make` is"
	}
	return ""
}

// amendDiffers says why an amend proves nothing.
func amendDiffers(r *Resource) string {
	if r.Make != nil && r.Amend != nil && r.Amend.within(r.Make) {
		return "`amend` changes nothing of what `make` sets"
	}
	return ""
}

// indistinct tells whether all items that are made are the same: none can be told from what was there
// by what it shows.
func (r *Resource) indistinct() bool {
	return r.Make != nil && r.Under == nil && !r.Disposable && !r.ByName() && len(r.Make.Fields) > 0 && !inBraces().MatchString(r.Make.Text)
}

// differences warns of examples that prove nothing, and of items that cannot be told apart.
func (rd *reader) differences() {
	if at, written := rd.at["make"]; written && rd.r.indistinct() {
		rd.diags = append(rd.diags, source.Diagnostic{File: rd.f.Source, Span: at, Severity: source.Warning,
			Message: "all items of `make` are the same: where the list leaves some out, what a run has made cannot be told from what was there, and it is neither changed nor removed",
			Hint:    "write `{turn}` into a text of it, or `disposable` where all may be lost"})
	}
	for _, one := range [][2]string{{"remake", replaceDiffers(rd.r)}, {"amend", amendDiffers(rd.r)}} {
		word, why := one[0], one[1]
		if at, written := rd.at[word]; written && why != "" {
			rd.diags = append(rd.diags, source.Diagnostic{File: rd.f.Source, Span: at, Severity: source.Warning,
				Message: why + ": a service that stores nothing would pass", Hint: "give a member another value"})
		}
	}
}
