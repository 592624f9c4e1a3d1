package variety

import (
	"encoding/json"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// The service as a place for faults.

// Where tells what a path is of: the list, or an item by its identity.
func (s *Service) Where(path string) (list bool, id string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	u, err := url.Parse(path)
	if err != nil {
		return false, ""
	}
	c := &call{r: &http.Request{URL: u}}
	s.locate(c)
	return c.list, c.id
}

// At is the path of an item.
func (s *Service) At(id string) string { return s.where(id) }

// Items are the identities of what is there, in the order in which they were made.
func (s *Service) Items() (out []string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, it := range s.items {
		if !it.Gone {
			out = append(out, it.ID)
		}
	}
	return out
}

// Get gives the members that clients send of an item, nil where there is none.
func (s *Service) Get(id string) map[string]any {
	s.mu.Lock()
	defer s.mu.Unlock()
	if it := s.find(id); it != nil && !it.Gone {
		return maps.Clone(it.Members)
	}
	return nil
}

// Set stores members, whatever was there.
func (s *Service) Set(id string, members map[string]any) {
	s.mu.Lock()
	defer s.mu.Unlock()
	it := s.find(id)
	if it == nil {
		s.seq++
		it = &Item{ID: id, Seq: s.seq}
		s.items = append(s.items, it)
	}
	it.Members, it.Changed, it.Gone = maps.Clone(members), time.Now(), false
	it.Revision++
	if s.Has("number as text") {
		if text, is := it.Members["depth"].(string); is {
			it.Members["depth"] = json.Number(text)
		}
	}
}

// Drop removes an item.
func (s *Service) Drop(id string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.items = slices.DeleteFunc(s.items, func(it *Item) bool { return it.ID == id })
}

// Fresh is an identity that nothing has or had.
func (s *Service) Fresh() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.byName() || s.natural() {
		s.made++
		return "z-" + strings.Repeat("x", s.made%9) + time.Now().Format("150405.000000000")
	}
	s.made++
	return s.identity(s.made)
}

// Text, Number and Optional are the names of members that clients send.
func (s *Service) Text() string     { return "kind" }
func (s *Service) Number() string   { return "depth" }
func (s *Service) Optional() string { return "note" }

// Names are the members under which answers show the identity.
func (s *Service) Names() []string { return []string{s.called(), "created", "key"} }

// Offers tells whether a service of these manners shows what a fault needs; the words are those of
// the faults.
func (m Manners) Offers(needs string) bool {
	byName, exact := m.Has("identity chosen") || m.Has("identity chosen and repeated"), m.option("text") == ""
	for _, word := range strings.Fields(needs) {
		ok := map[string]bool{
			"PUT": !m.Has("replace none"), "PATCH": !m.Has("amend none") && !m.Has("amend JSON Patch"), "DELETE": true,
			// What a replace and an amend change reads as it was sent: the text, or the number.
			"replaced": exact && m.option("filter") == "" && m.option("put keeps") == "" || m.option("number") == "" || m.Has("number two places"), "amended": exact,
			"JSON": !m.Has("sends forms"), "missed": m.option("repeated delete") == "" || m.Has("repeated delete 410"),
			// Which methods there are is said where OPTIONS is answered.
			"unoffered": !m.Has("OPTIONS none") && !m.Has("post amends"), "HEAD": !m.Has("HEAD none"),
			"POST": !byName, "list": !m.Has("pages newest ten") && !m.Has("list keyed") && !m.Has("entries names only"), "filter": m.Has("filter by kind"),
			"tags":     m.option("tags") != "" || m.Has("revision 428 without If-Match"),
			"strong":   m.Has("tags of content") || m.Has("tags of revision"),
			"again":    m.option("revision") == "",
			"refuses":  !byName && !m.Has("missing put creates"),
			"location": m.option("location") != "none",
			"text":     exact, "number": m.option("number") == "" || m.Has("number two places"),
			"echo":     m.option("create") == "" || m.Has("create 200") || m.Has("create 202"),
			"405":      m.option("not offered") != "404" && m.option("not offered") != "501" && m.option("invented method") == "",
			"length":   m.option("framing") == "" && m.option("moves") != "with reads" && m.option("order of members") == "",
			"required": m.option("put keeps") == "" && !(m.Has("says required no") && m.Has("says takes no")),
		}[word]
		if !ok {
			return false
		}
	}
	return true
}
