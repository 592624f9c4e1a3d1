package harbour

import (
	"fmt"
	"slices"
	"strings"
)

// Fault is one thing that the harbour can be made to do wrong.
type Fault struct {
	Name string
	// Says tells what goes wrong, as a client would see it.
	Says string
	// Finds are the derived checks that must find it; Also those that may fail
	// with it, since they need what is broken.
	Finds, Also []string
	// Resource is the file of the examples whose resource shows it; "" for boats.
	Resource string
	// Slow marks one that keeps requests waiting.
	Slow bool
	// Restart marks one that only shows when the service is started anew.
	Restart bool
	// Spreads marks one that takes items of others with it: which check sees that is
	// a matter of chance where several run side by side.
	Spreads bool
	// Roams marks one that no derived check finds, and roaming does; Clients one that
	// shows between clients only, Below one of the stays. Steps is how many steps the
	// shortest scenario has that shows it, as one would write it by hand.
	Roams, Clients, Below bool
	Steps                 int
	middleware            middleware
}

// tables are the faults, a file each.
func tables() []Fault {
	var out []Fault
	for _, t := range [][]Fault{lifecycleFaults(), repeatFaults(), absenceFaults(), methodFaults(), inputFaults(),
		representationFaults(), preconditionFaults(), accessFaults(), raceFaults(), durabilityFaults(),
		belowFaults(), uniqueFaults(), nameFaults(), overwriteFaults(), keyFaults(), besideFaults(), listingFaults(), limitFaults(), roamFaults()} {
		out = append(out, t...)
	}
	return out
}

// Faults lists all faults, by name.
func Faults() []Fault {
	out := tables()
	slices.SortFunc(out, func(a, b Fault) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// UnknownFault is a name that no fault has.
type UnknownFault struct{ Name string }

func (e *UnknownFault) Error() string { return fmt.Sprintf("there is no fault %q", e.Name) }

// CheckFaults says which of these names is not a fault: an *UnknownFault.
func CheckFaults(names []string) error {
	for _, n := range names {
		if _, ok := fault(n); !ok {
			return &UnknownFault{n}
		}
	}
	return nil
}

func fault(name string) (Fault, bool) {
	for _, f := range tables() {
		if f.Name == name {
			return f, true
		}
	}
	return Fault{}, false
}
