package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/jsonpath"
)

// memberOfItem is the name of the member that is the identity; "" where none is.
func (r *Resource) memberOfItem() string {
	q, err := jsonpath.Parse(r.identity())
	if err != nil {
		return ""
	}
	return q.Member()
}

// Within is the JSONPath below which an observation finds the members; "" for an
// answer that is a list itself.
func (r *Resource) Within() string {
	switch {
	case r.Members == "$[*]":
		return ""
	case r.Inner != "" || r.Mapped:
		return r.Members
	}
	return r.ListAt
}

// inEntry is the place of what tells the members apart, in an entry of the list.
func (r *Resource) inEntry() string { return r.Inner + strings.TrimPrefix(r.By, "$") }

// InList is the item of a scenario in the list: a JSONPath.
func (r *Resource) InList(id string) string {
	if r.XML != "" {
		// One member is an object in the tree of a list, several are an array.
		return "$..[?@" + strings.TrimPrefix(r.By, "$") + " == {" + id + "}]"
	}
	at := "@" + r.inEntry() + " == "
	if r.spelled() {
		return r.ListAt + "[?" + at + "{" + id + "} || " + at + "{number(" + id + ")}]" + r.Inner
	}
	return r.ListAt + "[?" + at + "{" + id + "}]" + r.Inner
}

// spelled tells whether an identity may be known as a text, from a path or a header, where
// members have it as a number.
func (r *Resource) spelled() bool {
	if r.ByName() {
		plain := inBraces().ReplaceAllString(r.Chosen, "")
		return strings.Trim(plain, "0123456789") == ""
	}
	return r.InCreate == ""
}

// Identifies tells whether a member is the identity.
func (r *Resource) Identifies(name string) bool { return MemberPath(name) == r.identity() }

// byURL tells whether items are known by the URL that a create answers with: not where bodies name
// them.
func (r *Resource) byURL() bool {
	return r.Header != "" && r.Item == r.below() && !slices.ContainsFunc([]*Example{r.Make, r.Remake, r.Amend}, func(e *Example) bool { return e != nil && strings.Contains(e.Text, "{id}") })
}

// idPath is where an answer shows the item's identity; "" where that is not
// known.
func (r *Resource) idPath() string {
	if id := r.identity(); id != "" {
		return r.inItem(id)
	}
	return ""
}

// identity is the JSONPath of the identity in the item itself; "" where that is
// not known.
func (r *Resource) identity() string {
	if r.As == "text" || r.As == "xml" && r.Identity == "" {
		// A text has no members, and a list in XML shows other elements than an item.
		return ""
	}
	if r.Identity != "" || r.listedBy {
		return r.Identity
	}
	return r.By
}

// keepID keeps the identity of what an answer shows.
func (r *Resource) keepID(name string) line { return keep(name + " from " + r.IdentitySource()) }

// IdentitySource is where the answer to a create tells the item's identity.
func (r *Resource) IdentitySource() string {
	switch {
	case r.CreateHeader != "":
		return "header " + r.CreateHeader + " last segment"
	case r.InCreate != "":
		return r.InCreate
	case r.byURL():
		return "header " + r.Header
	case r.Header != "":
		return "header " + r.Header + " last segment"
	}
	// A create may answer without the item: then Location leads to it.
	return r.inItem(r.Identity) + " or header Location last segment"
}

// WithoutOwnName is the resource with an identity that clients send as one that no write gives again.
func (r *Resource) WithoutOwnName() *Resource {
	v := *r
	v.Unique = slices.DeleteFunc(slices.Clone(r.Unique), r.Identifies)
	return &v
}
