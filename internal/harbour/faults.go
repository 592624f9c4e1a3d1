package harbour

import (
	"fmt"
	"sort"
	"strings"
)

// Fault is one thing that the harbour can be made to do wrong.
type Fault struct {
	Name string
	// Says tells what goes wrong, as a client would see it.
	Says string
}

const (
	deletedStillThere = "deleted-still-there"
	missingIsEmpty    = "missing-is-empty-200"
	deleteRemovesAll  = "delete-removes-all"
	putAppends        = "put-appends"
	noAllow           = "no-allow"
)

var faults = []Fault{
	{deletedStillThere, "DELETE answers 204 and the boat is still there"},
	{missingIsEmpty, "a boat that is not there answers 200 with nothing"},
	{deleteRemovesAll, "deleting one boat removes all of them"},
	{putAppends, "PUT on a boat adds another one in place of replacing it"},
	{noAllow, "405 is answered without an Allow header"},
}

// Faults lists all faults, by name.
func Faults() []Fault {
	out := append([]Fault(nil), faults...)
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// CheckFaults says which of these names is no fault.
func CheckFaults(names []string) error {
	for _, n := range names {
		known := false
		for _, f := range faults {
			known = known || f.Name == n
		}
		if !known {
			var all []string
			for _, f := range Faults() {
				all = append(all, f.Name)
			}
			return fmt.Errorf("there is no fault %q; there are %s", n, strings.Join(all, ", "))
		}
	}
	return nil
}
