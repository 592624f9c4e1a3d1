package resource

import (
	"strings"

	"usualpath/internal/core/jsonpath"
)

// members splits the path of the list's members: the list, and the place of the
// member in each entry of it. A path without a wildcard is that of the list itself.
func (rd *reader) members() {
	r := rd.r
	q, err := jsonpath.Parse(r.Members)
	if err != nil {
		// Told where the path was read.
		return
	}
	if q.Singular() {
		r.Members += "[*]"
	}
	array, object := strings.LastIndex(r.Members, "[*]"), strings.LastIndex(r.Members, ".*")
	r.Mapped = object > array
	at := max(array, object)
	if at < 0 {
		rd.say(rd.span("members"), r.Members+" does not say which list holds the members", "write members $.rows[*], or $.rows[*].doc where each entry of the list wraps a member")
		return
	}
	r.ListAt, r.Inner = r.Members[:at], strings.TrimPrefix(strings.TrimPrefix(r.Members[at:], "[*]"), ".*")
	if inner, err := jsonpath.Parse("$" + r.Inner); err != nil || !inner.Singular() {
		rd.say(rd.span("members"), r.Members+" may select several members of one entry of the list", "write a path that ends in [*], or in the name of the member that an entry wraps")
	}
}
