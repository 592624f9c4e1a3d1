package resource

import (
	"usualpath/internal/core/source"
)

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
