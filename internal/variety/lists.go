package variety

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
)

// list answers with the items that are there.
func (s *Service) list(c *call) *answer {
	q := c.r.URL.Query()
	var all []*Item
	kind, filtered := q.Get("kind"), q.Has("kind") && s.option("filter") != ""
	for _, it := range s.items {
		gone := it.Gone && !s.Has("gone a state, listed") || !it.shows()
		if !gone && (!filtered || it.Members["kind"] == s.text(kind)) {
			all = append(all, it)
		}
	}
	if s.Has("order newest first") {
		slices.Reverse(all)
	}
	if s.Has("order any") {
		s.draw.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	}
	known := append([]string{"kind"}, s.pageNames()...)
	for name := range q {
		if s.Has("odd query 400") && !slices.Contains(known, name) {
			return s.fail(400, name+" is not a parameter", name)
		}
	}
	total := len(all)
	part, next, err := s.page(q, all)
	if err != nil {
		return s.fail(400, err.Error())
	}
	a := say(200, nil)
	if next != nil && s.Has("pages link") {
		a.header.Set("Link", fmt.Sprintf(`<%s?%s>; rel="next"`, s.listed(), next.Encode()))
	}
	rows, byName := []any{}, map[string]any{}
	for _, it := range part {
		row := s.shown(it, "list")
		if s.Has("entries short") {
			row = map[string]any{s.nameIn("list"): row[s.nameIn("list")], "kind": row["kind"]}
			if s.Has("identity chosen") {
				row["key"] = it.ID
			}
		}
		if s.Has("identity chosen") && !s.Has("list keyed") {
			row["key"] = it.ID
		}
		var one any = row
		if s.Has("entries names only") {
			one = row[s.nameIn("list")]
		}
		if s.Has("entries wrap") {
			one = map[string]any{"lamp": row, "at": s.where(it.ID)}
		}
		rows, byName[it.ID] = append(rows, one), one
	}
	more := map[string]any{}
	if s.option("total") != "" {
		more["count"] = total
	}
	if s.Has("pages cursor") && next != nil {
		more["next"] = next.Get("after")
	}
	switch s.option("list") {
	case "wrapped":
		more["lamps"] = rows
	case "left out when empty":
		if len(rows) > 0 {
			more["lamps"] = rows
		}
	case "deep":
		more["found"] = map[string]any{"lamps": rows}
	case "keyed":
		more["lamps"] = byName
	default:
		if len(more) == 0 && !s.enveloped() {
			a.value = rows
			return a
		}
		more["lamps"] = rows
	}
	a.value = more
	return a
}

// enveloped tells whether the list is within an object for what stands beside it.
func (s *Service) enveloped() bool { return s.Has("total told") || s.Has("pages cursor") }

func (s *Service) pageNames() []string {
	switch s.option("pages") {
	case "offset":
		return []string{"limit", "offset"}
	case "page from 1", "page from 0":
		return []string{"per", "page"}
	case "cursor", "link":
		return []string{"limit", "after"}
	}
	return nil
}

// usualPage is how many items a page has where nothing is asked.
const usualPage = 10

// page cuts a list, and tells what to ask for the next page, nil at the end.
func (s *Service) page(q url.Values, all []*Item) ([]*Item, url.Values, error) {
	if s.Has("pages newest ten") {
		if s.Has("order newest first") {
			return all[:min(len(all), usualPage)], nil, nil
		}
		return all[max(0, len(all)-usualPage):], nil, nil
	}
	names := s.pageNames()
	if names == nil {
		return all, nil, nil
	}
	number := func(name string, without, lowest, highest int) (int, error) {
		if !q.Has(name) {
			return without, nil
		}
		n, err := strconv.Atoi(q.Get(name))
		if err != nil || n < lowest || n > highest {
			return 0, fmt.Errorf("%s is a number from %d to %d", name, lowest, highest)
		}
		return n, nil
	}
	size, err := number(names[0], usualPage, 1, 100)
	if err != nil {
		return nil, nil, err
	}
	from, next := 0, url.Values{}
	for n, v := range q {
		next[n] = v
	}
	next.Set(names[0], strconv.Itoa(size))
	switch s.option("pages") {
	case "offset":
		from, err = number("offset", 0, 0, 1<<30)
		next.Set("offset", strconv.Itoa(from+size))
	case "page from 1", "page from 0":
		first := 0
		if s.Has("pages page from 1") {
			first = 1
		}
		var at int
		at, err = number("page", first, first, 1<<20)
		from = (at - first) * size
		next.Set("page", strconv.Itoa(at+1))
	default:
		if after := q.Get("after"); q.Has("after") {
			n, err := strconv.Atoi(after)
			if err != nil {
				return nil, nil, fmt.Errorf("after is a place of this list")
			}
			from = slices.IndexFunc(all, func(it *Item) bool { return it.Seq > n != s.Has("order newest first") && it.Seq != n })
			if from < 0 {
				from = len(all)
			}
		}
	}
	if err != nil {
		return nil, nil, err
	}
	from = min(from, len(all))
	to := min(from+size, len(all))
	if to == len(all) {
		return all[from:to], nil, nil
	}
	if to > from {
		next.Set("after", strconv.Itoa(all[to-1].Seq))
	}
	if s.option("pages") == "offset" || s.Has("pages page from 1") || s.Has("pages page from 0") {
		next.Del("after")
	}
	return all[from:to], next, nil
}
