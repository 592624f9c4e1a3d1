package resource

import (
	"fmt"
	"strings"
)

func noName(r *Resource) string {
	if r.ByName() || r.Beside != "" {
		return "PUT makes items that are not there"
	}
	return ""
}

// leavesNothing tells why what was deleted is not as if it never was.
func leavesNothing(r *Resource) string {
	if r.Gone == "" {
		return ""
	}
	return "a deleted item keeps a state"
}

// known tells why no identity is there to begin with.
func known(r *Resource) string {
	if r.Creates() || r.Supports(List) {
		return ""
	}
	return "no identity is known to start from"
}

// requirement tells what a resource lacks for a check, "" for nothing.
type requirement func(r *Resource) string

// needs joins requirements.
func needs(list ...requirement) requirement {
	return func(r *Resource) string {
		for _, one := range list {
			if why := one(r); why != "" {
				return why
			}
		}
		return ""
	}
}

func makes(r *Resource) string {
	if r.Creates() {
		return ""
	}
	return "nothing can be made"
}

func can(list ...Operation) requirement {
	return func(r *Resource) string {
		for _, o := range list {
			if !r.Supports(o) {
				return "the resource does not support " + o.String()
			}
		}
		return ""
	}
}

func posts(r *Resource) string {
	if r.Make != nil && r.Supports(Create) && !r.ByName() {
		return ""
	}
	return "nothing is made by POST"
}

func chooses(r *Resource) string {
	if r.ByName() && r.Creates() {
		return ""
	}
	return "the service names its items itself"
}

func written(r *Resource) string {
	if r.Make != nil && len(r.Make.Fields) > 0 {
		return ""
	}
	return "`make` is not written out as an object"
}

func listed(r *Resource) string {
	if r.Supports(List) && r.By != "" && r.Header == "" {
		return ""
	}
	return "the items in the list cannot be told apart"
}

func named(r *Resource) string {
	if r.Identity != "" {
		return ""
	}
	return "the identity is not a member of the item"
}

func nested(r *Resource) string {
	if r.Under != nil {
		return ""
	}
	return "the collection is under no other"
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

// sendsSomething tells why no body at all is as good as that of the example.
func sendsSomething(r *Resource) string {
	if r.Make.json() && len(r.Make.Fields) == 0 && strings.Trim(r.Make.Text, "{ }") == "" {
		return "`make` says nothing"
	}
	return ""
}

// sendsJSON tells why a body cannot be malformed JSON.
func sendsJSON(r *Resource) string {
	if !r.Make.json() {
		return "`make` is not sent as JSON"
	}
	return sendsSomething(r)
}

func notByName(r *Resource) string {
	if r.ByName() {
		return "the client names the items"
	}
	return ""
}

// filtersOne tells whether the filter selects one of the items made only.
func (r *Resource) filtersOne() bool {
	return r.FilterName != "" && (turnWord().MatchString(strings.Join(inBraces().FindAllString(r.FilterFor, -1), "")) || called().MatchString(r.FilterFor))
}

func identityMember(r *Resource) string {
	if r.memberOfItem() != "" && r.Header == "" {
		return ""
	}
	return "the identity is not a plain member of the item"
}

func amendsObject(r *Resource) string {
	if r.Amend != nil && len(r.Amend.Fields) > 0 {
		return ""
	}
	return "`amend` is not written out as an object"
}

func mergePatch(r *Resource) string {
	if r.Amend == nil || r.Amend.Media == "" || strings.Contains(r.Amend.Media, "merge-patch") || r.Amend.Media == "application/json" {
		return ""
	}
	return "`amend` is not a merge patch"
}

func filters(r *Resource) string {
	if r.FilterName != "" {
		return ""
	}
	return "no filter is declared"
}

// pages tells why single pages cannot be asked for.
func pages(r *Resource) string {
	if p := r.Paging; p == nil || len(p.Names) != 2 {
		return "no paging is declared whose pages can be asked for"
	}
	return ""
}

// repeats tells why the same write cannot be sent twice.
func repeats(r *Resource) string {
	if r.Revision == nil {
		return ""
	}
	return "each write carries the revision that the last one left"
}

func keyed(r *Resource) string {
	if r.Key {
		return ""
	}
	return "no `idempotency key` is declared"
}

// Pages tells whether single pages of a size can be asked for.
func (r *Resource) Pages() bool { return r.Lists() && pages(r) == "" }

// ObservedBy is the name of the list as it shows by pages of a size.
func (r *Resource) ObservedBy(size int) string { return fmt.Sprintf("%s_by_%d", r.Name, size) }

// Merges tells whether an amend names the members that it changes, and no others
// (RFC 7396).
func (r *Resource) Merges() bool { return amendsObject(r) == "" && mergePatch(r) == "" }

func isUnique(r *Resource) string {
	if r.uniqueMember() != nil {
		return ""
	}
	return "no member that `make` gives is `unique`, beside the identity"
}

func changesOne(r *Resource) string {
	if len(r.ways()) > 0 {
		return ""
	}
	return "no member of an item can be changed"
}

// ways are the operations that can change one member.
func (r *Resource) ways() []Operation {
	var out []Operation
	if r.Supports(Replace) && r.changing() != nil {
		out = append(out, Replace)
	}
	if r.Supports(Amend) && amendsObject(r) == "" && mergePatch(r) == "" {
		out = append(out, Amend)
	}
	return out
}
