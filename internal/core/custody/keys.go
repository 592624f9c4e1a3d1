package custody

import (
	"strings"
	"sync"

	"usualpath/internal/core/late"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// enough is how many items there have to be for any member that differs in all of them to be
// taken for a key: of few, those with one of a few kinds or sizes differ too.
const enough = 5

// keyWords are what members are called that tell items apart.
const keyWords = "id|uid|uuid|guid|key|code|name|title|label|slug|sku|e?mail|number|no|nr|ref|reference|login|user|username|handle|path|url|uri|host|hostname|domain|address|serial|plate"

var (
	keyName   = late.Regexp(`^(?i:(.*[_ -])?(` + keyWords + `))$|[a-z](Id|Uid|Key|Code|Name|Title|Number|Ref|Email|Slug)$`)
	plainWord = late.Regexp(`^\pL+$`)
)

// likely tells whether a member may be a key, by what it is: a text, or a whole number. Where
// there are few items a plain word or a number is one only under such a name.
func likely(name string, v *value.Value, items int) bool {
	if v.Kind == value.Number && !v.IsInteger() || folded(v) == "" {
		return false
	}
	return items >= enough || keyName().MatchString(name) || v.Kind == value.String && !plainWord().MatchString(strings.TrimSpace(v.Text))
}

// Index finds what may be keys in a list as it was before a run wrote to it.
type Index struct {
	list *state.Snapshot
	mu   sync.Mutex
	keys map[string]map[string]bool
}

// NewIndex is the index of a list.
func NewIndex(list *state.Snapshot) *Index {
	return &Index{list: list, keys: map[string]map[string]bool{}}
}

// Standing finds a fixed member of a body that stands in the list already, and that could be
// what tells its items apart: a text or a whole number which is another one in each. A service
// may take a create of it for a write to that item. It gives the member's name and value, "" for none.
func (x *Index) Standing(body *value.Value, drawn func(text string) bool) (name, text string) {
	if x == nil || len(x.list.Keys) == 0 {
		return "", ""
	}
	each(body, func(n string, v *value.Value) bool {
		if !x.key(n)[folded(v)] || !likely(n, v, len(x.list.Keys)) || drawn(v.String()) {
			return true
		}
		name, text = n, value.Cut(v.String(), 40)
		return false
	})
	return name, text
}

// key are the values of a member that is another one in each item, nil for none.
func (x *Index) key(name string) map[string]bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if known, ok := x.keys[name]; ok {
		return known
	}
	x.keys[name] = nil
	seen := map[string]bool{}
	for _, k := range x.list.Keys {
		var here *value.Value
		each(x.list.Members[k], func(n string, v *value.Value) bool {
			if n == name {
				here = v
			}
			return here == nil
		})
		if here == nil || seen[folded(here)] {
			return nil
		}
		seen[folded(here)] = true
	}
	x.keys[name] = seen
	return seen
}

// each goes through the texts and numbers in an object and the objects in it, until it is told to stop.
func each(v *value.Value, do func(name string, v *value.Value) bool) bool {
	if v == nil || v.Kind != value.Object {
		return true
	}
	for i, one := range v.Items {
		switch one.Kind {
		case value.String, value.Number:
			if !do(v.Names[i], one) {
				return false
			}
		case value.Object:
			if !each(one, do) {
				return false
			}
		}
	}
	return true
}

// texts goes through the texts in a value, at any depth, until it is told to stop.
func texts(v *value.Value, do func(text string) bool) bool {
	switch v.Kind {
	case value.String:
		return do(v.Text)
	case value.Object, value.Array:
		for _, one := range v.Items {
			if !texts(one, do) {
				return false
			}
		}
	}
	return true
}

// folded is a value as a key that ignores case.
func folded(v *value.Value) string { return strings.ToLower(strings.TrimSpace(v.Plain())) }
