package resource

import "usualpath/internal/core/syntax"

// Lack is a reason for which a resource does not get some checks.
type Lack struct {
	// Why is the reason, Line such a line of a resource as would change it, "" for none.
	Why, Line string
	// Checks are their ids.
	Checks []string
}

// linesFor are the words of the lines that a resource lacks, by what is missed.
var linesFor = map[string]string{
	"nothing can be made":                                          "make",
	"nothing is made by POST":                                      "make",
	"the resource does not support replace":                        "remake",
	"the resource does not support amend":                          "amend",
	"the resource does not support list":                           "supports",
	"the resource does not support read":                           "supports",
	"the resource does not support delete":                         "supports",
	"`remake` leaves out no member of `make`":                      "remake",
	"`remake` changes no member beside those of `amend`":           "remake",
	"`remake` does not differ by {turn}":                           "remake",
	"no filter is declared":                                        "filter",
	"no paging is declared whose pages can be asked for":           "paging",
	"no total is declared":                                         "total",
	"the collection is under no other":                             "under",
	"the items in the list cannot be told apart":                   "identity",
	"the identity is not a member of the item":                     "identity",
	"no `auth` is declared":                                        "auth",
	"no member is `assigned`":                                      "assigned",
	"no member is `required`":                                      "required",
	"no member is `unique`":                                        "unique",
	"no `idempotency key` is declared":                             "idempotency",
	"the resource does not say what it `takes`":                    "takes",
	"what it `takes` has no limits":                                "takes",
	"what it `takes` has no limits of this kind":                   "takes",
	"fewer than two members have limits":                           "takes",
	"it is offered in one form":                                    "also",
	"no member that `make` gives is `unique`, beside the identity": "unique",
}

// Lacks are the reasons for which the resource does not get the other checks of the catalogue, in the
// order of those; what it skips is not among them.
func (r *Resource) Lacks() []Lack {
	var out []Lack
	_, not := r.derivedOf(nil)
	at := map[string]int{}
	for _, n := range not {
		if n.Skipped {
			continue
		}
		i, known := at[n.Why]
		if !known {
			i = len(out)
			at[n.Why] = i
			one := Lack{Why: n.Why}
			if forms := syntax.FormsOf(linesFor[n.Why]); len(forms) > 0 {
				one.Line = forms[len(forms)-1].Example
				for _, f := range forms {
					if f.In&syntax.InResource != 0 {
						one.Line = f.Example
					}
				}
			}
			out = append(out, one)
		}
		out[i].Checks = append(out[i].Checks, n.Check.ID())
	}
	return out
}
