package custody

import (
	"path"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// List is a guarded list of a scenario, where it is now.
type List struct {
	// N is its place among the guarded lists of the scenario, from 0.
	N int
	// Host and Path are where it is, the path as a lenient server may read it; Written is the path
	// as its line has it, the same for the lists below all parents.
	Host, Path, Written string
	// Keyed tells that it can be read and its items told apart.
	Keyed bool
	// Items is where one item is, with a star for its name, as Path is; "" for below the list.
	Items string
}

// plainly is the path of an item as if it were below its list, whatever its own is.
func (l List) plainly(at string) (string, bool) {
	start, end, elsewhere := strings.Cut(l.Items, "*")
	low := strings.ToLower(at)
	if !elsewhere || len(at) <= len(start)+len(end) || !strings.HasPrefix(low, start) || !strings.HasSuffix(low, end) {
		return at, false
	}
	id := at[len(start) : len(at)-len(end)]
	return path.Join(l.Path, id), !strings.Contains(id, "/")
}

// key tells a list from all others, and kind those of one line from those of others.
func (l List) key() string { return l.Host + " " + l.Path }

func (l List) kind() string { return l.Host + " " + l.Written }

// Below tells that its path has a name in it: that of what it is below.
func (l List) Below() bool { return strings.Contains(l.Written, "{") }

func (l List) real() bool { return l.Path != "" }

// Sight is what a list showed, all its pages, or why it could not be read.
type Sight struct {
	S       *state.Snapshot
	Problem string
	// At is when reading it began, Host and Path where it was read, and View how.
	At         time.Time
	Host, Path string
	View       state.View
}

// identities are those of one member of a list.
func (s *Sight) identities(member *value.Value) []string {
	return s.View.Identities(&state.Snapshot{Keys: []string{""}, Members: map[string]*value.Value{"": member}})
}

// member is the path of the item that a path is of, with the innermost guarded list that it is in:
// the path itself where it is in none.
func member(at string, lists []List) (string, List) {
	out, in := at, List{}
	for _, l := range lists {
		if rest, is := below(at, l.Path); is && len(l.Path) > len(in.Path) {
			id, _, _ := strings.Cut(rest, "/")
			out, in = path.Join(l.Path, id), l
		}
	}
	return out, in
}

// readable is the list where what is in one is listed: where items are made at another path than
// they are listed at, that of the line before.
func readable(l List, lists []List) List {
	i := slices.Index(lists, l)
	if !l.real() || l.Keyed || i < 1 || !lists[i-1].Keyed || strings.HasPrefix(l.Path, lists[i-1].Path+"/") {
		return l
	}
	return lists[i-1]
}

// keeping is a snapshot with one more member of another.
func keeping(s *state.Snapshot, key string, of *state.Snapshot) *state.Snapshot {
	if s.Members == nil {
		s.Members = of.Only(nil).Members
	}
	s.Keys = append(s.Keys, key)
	s.Members[key] = of.Members[key]
	return s
}

// sentJSON is what a request sends, as JSON.
func sentJSON(r *exchange.Request) (*value.Value, error) {
	return expect.NewReply(&exchange.Exchange{Request: r, Answer: &exchange.Answer{Status: 200, Body: r.Body}}).JSON()
}
