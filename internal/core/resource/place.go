package resource

import (
	"slices"

	"usualpath/internal/core/syntax"
)

// linesOf are the lines of a resource that a check goes by, the one that says
// most first. Other checks go by those of their operation.
var linesOf = map[string][]string{
	"absence/missing-parent":         {"under"},
	"absence/empty-is-not-missing":   {"under"},
	"input/missing-member":           {"required"},
	"input/null-member":              {"required"},
	"input/names-the-member":         {"required"},
	"input/duplicate-unique":         {"unique"},
	"race/unique-together":           {"unique"},
	"lifecycle/assigned-is-assigned": {"assigned"},
	"lifecycle/filter-selects":       {"filter"},
	"lifecycle/filter-none":          {"filter"},
	"lifecycle/paging-covers":        {"paging"},
	"lifecycle/total-counts":         {"total"},
	"repeat/key-replays":             {"idempotency"},
	"repeat/key-differs":             {"idempotency"},
	"repeat/keys-are-separate":       {"idempotency"},
	"method/unsupported-method":      {"supports"},
	"method/allow-is-true":           {"supports"},
	"access/no-credentials":          {"auth"},
	"access/wrong-credentials":       {"auth"},
	"access/refusal-hides-existence": {"auth"},
}

// line is the line of the resource statement that a derived scenario goes by.
func (r *Resource) line(scenario *syntax.Statement) *syntax.Statement {
	for _, st := range scenario.Children {
		if b, is := st.Body.(*syntax.Check); is {
			for _, word := range slices.Concat(linesOf[b.ID], table[operationOf(b.Operation)].lines) {
				for _, c := range r.Statement.Children {
					if c.Word == word {
						return c
					}
				}
			}
		}
	}
	return r.Statement
}
