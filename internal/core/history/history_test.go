package history

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/value"
)

const budget = 2 * time.Second

func members(t testing.TB, text string) Members {
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	out := Members{}
	for i, n := range v.Names {
		out[n] = v.Items[i]
	}
	return out
}

// read makes calls of lines such as `2 replace 10-30 {"a": 1}`, with what follows
// in words: refused, silent, made, 5xx, if=TAG, tag=TAG.
func read(t testing.TB, text string) []Call {
	kinds := map[string]Kind{"create": Create, "replace": Replace, "merge": Merge, "delete": Delete, "read": Read}
	var out []Call
	for _, line := range strings.Split(strings.TrimSpace(text), "\n") {
		c := Call{Status: 200}
		words, body, _ := strings.Cut(strings.TrimSpace(line), "{")
		if body != "" {
			end := strings.LastIndex(body, "}")
			c.Members, words = members(t, "{"+body[:end+1]), words+body[end+1:]
		}
		var begin, end int
		f := strings.Fields(words)
		_, err := fmt.Sscanf(f[0]+" "+f[2], "%d %d-%d", &c.Client, &begin, &end)
		require.NoError(t, err, line)
		c.Kind, c.Begin, c.End = kinds[f[1]], time.Duration(begin), time.Duration(end)
		for _, w := range f[3:] {
			switch name, tag, _ := strings.Cut(w, "="); name {
			case "refused":
				c.Outcome, c.Status = Refused, 409
			case "silent":
				c.Outcome, c.Status = Unknown, 0
			case "5xx":
				c.Outcome, c.Status = Unknown, 503
			case "made":
				c.Made, c.Status = true, 201
			case "if":
				c.IfMatch = tag
			case "tag":
				c.ETag = tag
			}
		}
		out = append(out, c)
	}
	return out
}

func TestJudge(t *testing.T) {
	for name, c := range map[string]struct {
		start, calls, final string
		found               string
	}{
		"a read of what was there at first":        {`{"a": 1}`, "1 replace 0-10 {\"a\": 2}\n2 read 5-12 {\"a\": 1}\n1 merge 12-30 {\"a\": 1}\n3 read 15-30 {\"a\": 2}", `{"a": 1}`, ""},
		"two replaces, the later one stays":        {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n2 replace 20-30 {\"a\": 2}", `{"a": 2}`, ""},
		"two replaces, the earlier one stays":      {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n2 replace 20-30 {\"a\": 2}", `{"a": 1}`, "lost update a: 0 20"},
		"two at once, either stays":                {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n2 replace 5-30 {\"a\": 2}", `{"a": 1}`, ""},
		"two at once, none stays":                  {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n2 replace 5-30 {\"a\": 2}", `{"a": 0}`, "lost update a: 5"},
		"what nobody wrote":                        {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}", `{"a": 7}`, "written by nobody a: "},
		"members of two writes":                    {`{"a": 0, "b": 0}`, "1 replace 0-10 {\"a\": 1, \"b\": 1}\n2 replace 5-30 {\"a\": 2, \"b\": 2}", `{"a": 1, "b": 2}`, "torn: 0 5"},
		"two merges of different members":          {`{"a": 0, "b": 0}`, "1 merge 0-10 {\"a\": 1}\n2 merge 5-30 {\"b\": 2}", `{"a": 1, "b": 2}`, ""},
		"one of two merges is lost":                {`{"a": 0, "b": 0}`, "1 merge 0-10 {\"a\": 1}\n2 merge 5-30 {\"b\": 2}", `{"a": 0, "b": 2}`, "lost update a: 0"},
		"null is as good as absent":                {`{"a": 0}`, "1 merge 0-10 {\"a\": null}", `{}`, ""},
		"a merge beside a delete":                  {`{"a": 0}`, "1 merge 0-10 {\"a\": 1}\n2 delete 5-30", "", ""},
		"it came back":                             {`{"a": 0}`, "1 delete 0-10\n2 merge 5-30 {\"a\": 1}", `{"a": 1}`, "came back after a delete: 0 5"},
		"it is gone":                               {"", "1 create 0-10 {\"a\": 1}", "", "gone without a delete: 0"},
		"a delete of what was gone":                {`{"a": 0}`, "1 delete 0-10\n2 delete 20-30", "", ""},
		"one of two creates is refused":            {"", "1 create 0-10 {\"a\": 1}\n2 create 5-30 {\"a\": 2} refused", `{"a": 1}`, ""},
		"both creates are taken":                   {"", "1 create 0-10 {\"a\": 1}\n2 create 5-30 {\"a\": 2}", `{"a": 1}`, "two of one name: 0 5"},
		"both say that they made it":               {"", "1 replace 0-10 {\"a\": 1} made\n2 replace 5-30 {\"a\": 2} made", `{"a": 1}`, "two of one name: 0 5"},
		"made, deleted, made":                      {"", "1 create 0-10 {\"a\": 1}\n2 delete 20-30\n1 create 40-50 {\"a\": 2}", `{"a": 2}`, ""},
		"changed after it was deleted":             {`{"a": 0}`, "1 delete 0-10\n2 merge 20-30 {\"a\": 1}", "", "lost update: 0 20"},
		"without an answer it may have happened":   {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} silent", `{"a": 1}`, ""},
		"without an answer it may not":             {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} silent", `{"a": 0}`, ""},
		"or late":                                  {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} silent\n2 replace 20-30 {\"a\": 2}", `{"a": 1}`, ""},
		"a refusal has no effect":                  {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} refused", `{"a": 1}`, "written by nobody a: 0"},
		"on one tag only one is taken":             {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} if=x tag=y\n2 replace 5-30 {\"a\": 2} if=x tag=z", `{"a": 2}`, "lost update: 0 5"},
		"on one tag, without tags in answers":      {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} if=x\n2 replace 5-30 {\"a\": 2} if=x", `{"a": 2}`, "lost update: 0 5"},
		"on one tag, one refused":                  {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} if=x tag=y\n2 replace 5-30 {\"a\": 2} if=x refused", `{"a": 1}`, ""},
		"the same content keeps its tag":           {`{"a": 0}`, "1 replace 0-10 {\"a\": 0} if=x\n2 replace 15-30 {\"a\": 2} if=x", `{"a": 2}`, ""},
		"calls that others explain are left out":   {`{"a": 0, "b": 0}`, "1 replace 0-10 {\"a\": 1, \"b\": 1}\n2 replace 20-30 {\"a\": 2, \"b\": 2}\n3 merge 40-50 {\"b\": 3}\n1 merge 60-70 {\"a\": 4}", `{"a": 4, "b": 2}`, "lost update b: 20 40"},
		"reads in between may show anything":       {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n2 read 20-25 {\"a\": 0}", `{"a": 1}`, ""},
		"a read shows less than an earlier one":    {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n1 replace 20-30 {\"a\": 2}\n2 read 32-33 {\"a\": 2}\n3 read 40-41 {\"a\": 1}", `{"a": 2}`, "older than what was already read a (warns): 0 20 32 40"},
		"a server error":                           {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} 5xx", `{"a": 0}`, "5xx under load: 0"},
		"told in another order":                    {`{"a": 0}`, "2 replace 20-30 {\"a\": 2}\n1 replace 0-10 {\"a\": 1}", `{"a": 1}`, "lost update a: 0 20"},
		"changed after a delete, and there":        {`{"a": 0}`, "1 delete 0-10\n2 merge 20-30 {\"a\": 1}", `{"a": 1}`, "came back after a delete: 0 20"},
		"changed, and never there":                 {"", "1 merge 0-10 {\"a\": 1}", `{"a": 1}`, "lost update: 0"},
		"replaced, and never there":                {"", "1 replace 0-10 {\"a\": 1}", `{"a": 1}`, "lost update: 0"},
		"made, and there before":                   {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} made", `{"a": 1}`, "two of one name: 0"},
		"created, and there before":                {`{"a": 0}`, "1 create 0-10 {\"a\": 1}", `{"a": 1}`, "two of one name: 0"},
		"a replace leaves out a member":            {`{"a": 1}`, "1 replace 0-10 {\"b\": 1}\n2 merge 20-30 {\"a\": 2}", `{"b": 1}`, "lost update a: 0 20"},
		"a merge leaves a member as it is":         {`{"a": 1}`, "1 merge 0-10 {\"b\": 1}\n2 merge 20-30 {\"a\": 2}", `{"b": 1}`, "written by nobody a: "},
		"what was there before stays":              {`{"a": 1}`, "1 merge 0-10 {\"a\": 2}\n2 merge 20-30 {\"a\": 3}", `{"a": 1}`, "lost update a: 20"},
		"a value that only a refused call has":     {`{"a": 1}`, "1 merge 0-10 {\"a\": 2}\n2 merge 20-30 {\"a\": 3} refused", `{"a": 3}`, "written by nobody a: 20"},
		"a value that only a read has shown":       {`{"a": 1}`, "1 merge 0-10 {\"a\": 2}\n2 read 20-30 {\"a\": 3}", `{"a": 3}`, "written by nobody a: "},
		"a merge of what has no members":           {`{}`, "1 merge 0-10 {\"a\": 2}", `{"a": 2}`, ""},
		"the same content, and another tag":        {`{"a": 0}`, "1 replace 0-10 {\"a\": 0} tag=x\n2 replace 20-30 {\"a\": 0}\n3 replace 40-50 {\"a\": 2} if=y", `{"a": 2}`, "lost update: 0 40"},
		"the same content, and the same tag":       {`{"a": 0}`, "1 replace 0-10 {\"a\": 0} tag=x\n2 replace 20-30 {\"a\": 0}\n3 replace 40-50 {\"a\": 2} if=x", `{"a": 2}`, ""},
		"a tag that is over":                       {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} tag=x\n2 replace 20-30 {\"a\": 2}\n3 replace 40-50 {\"a\": 3} if=x", `{"a": 3}`, "lost update: 0 20 40"},
		"a tag that is over twice":                 {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} if=x\n2 replace 20-30 {\"a\": 1}\n3 replace 40-50 {\"a\": 3} if=x", `{"a": 3}`, "lost update: 0 40"},
		"a tag of what is gone":                    {`{"a": 0}`, "1 delete 0-10\n2 replace 20-30 {\"a\": 1} if=x made", `{"a": 1}`, "lost update: 20"},
		"gone by a delete that was not answered":   {`{"a": 0}`, "1 delete 0-10 silent\n2 merge 20-30 {\"a\": 1}", "", ""},
		"a read that begins as one ends":           {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n1 replace 20-30 {\"a\": 2}\n2 read 32-40 {\"a\": 2}\n3 read 40-41 {\"a\": 1}", `{"a": 2}`, ""},
		"a write that begins as one ends":          {`{"a": 0}`, "1 replace 0-20 {\"a\": 1}\n1 replace 20-30 {\"a\": 2}\n2 read 32-33 {\"a\": 2}\n3 read 40-41 {\"a\": 1}", `{"a": 2}`, ""},
		"a read that was refused":                  {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n1 replace 20-30 {\"a\": 2}\n2 read 32-33 {\"a\": 2}\n3 read 40-41 {\"a\": 1} refused", `{"a": 2}`, ""},
		"a value that was written twice":           {`{"a": 0}`, "1 replace 0-10 {\"a\": 1}\n1 replace 20-30 {\"a\": 2}\n3 replace 31-50 {\"a\": 1}\n2 read 32-33 {\"a\": 2}\n3 read 40-41 {\"a\": 1}", `{"a": 1}`, ""},
		"a value whose write was not answered":     {`{"a": 0}`, "1 replace 0-10 {\"a\": 1} silent\n1 replace 20-30 {\"a\": 2}\n2 read 32-33 {\"a\": 2}\n3 read 40-41 {\"a\": 1}", `{"a": 2}`, ""},
		"numbers are equal however they are wrote": {`{"a": 0}`, "1 replace 0-10 {\"a\": 1.50}", `{"a": 1.5}`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			h := History{Calls: read(t, c.calls), Final: &Final{}}
			if c.start != "" {
				h.Start = Final{true, members(t, c.start)}
			}
			if c.final != "" {
				h.Final = &Final{true, members(t, c.final)}
			}
			given := slices.Clone(h.Calls)
			found, unsure := Judge(h, budget)
			assert.Equal(t, given, h.Calls, "what is judged is not changed")
			assert.False(t, unsure)
			var lines []string
			for _, f := range found {
				line := strings.TrimRight(string(f.What)+" "+f.Member, " ")
				if f.Warns {
					line += " (warns)"
				}
				line += ":"
				for _, one := range f.Calls {
					line += fmt.Sprintf(" %d", one.Begin)
				}
				lines = append(lines, line)
			}
			assert.Equal(t, strings.TrimRight(c.found, " "), strings.Join(lines, "\n"))
		})
	}
}

// walk makes a history of a store that does one call after another, each at some
// time between its begin and its end.
func walk(r *rand.Rand, clients, calls int) History {
	type event struct {
		at int
		c  *Call
	}
	now := state{there: true, members: Members{"a": value.NewInt(0), "b": value.NewInt(0)}}
	h := History{Start: Final{now.there, now.members}}
	free := make([]int, clients)
	var order []event
	list := make([]*Call, calls)
	for i := range list {
		who := r.IntN(clients)
		begin := free[who] + r.IntN(20)
		acts := begin + 1 + r.IntN(30)
		end := acts + 1 + r.IntN(30)
		free[who] = end + 1
		c := &Call{Client: who, Begin: time.Duration(begin), End: time.Duration(end), Kind: []Kind{Create, Replace, Replace, Merge, Merge, Merge, Delete, Read}[r.IntN(8)]}
		one := value.NewInt(int64(i + 1))
		switch c.Kind {
		case Create, Replace:
			c.Members = Members{"a": one, "b": one}
		case Merge:
			c.Members = Members{[]string{"a", "b"}[r.IntN(2)]: one}
		}
		list[i], order = c, append(order, event{acts, c})
	}
	for {
		next := -1
		for i, e := range order {
			if next < 0 || e.at < order[next].at {
				next = i
			}
		}
		if next < 0 {
			break
		}
		c := order[next].c
		order = append(order[:next], order[next+1:]...)
		if c.Kind == Read {
			c.Status = 404
			if now.there {
				c.Status, c.Members = 200, now.members
			}
			continue
		}
		c.Status = 200
		after, ok := now.after(*c)
		switch {
		case !ok:
			c.Outcome, c.Status = Refused, 409
		case r.IntN(8) == 0:
			c.Outcome, c.Status = Unknown, 0
			if r.IntN(2) == 0 {
				now = after
			}
		default:
			now = after
		}
	}
	for _, c := range list {
		h.Calls = append(h.Calls, *c)
	}
	h.Final = &Final{now.there, now.members}
	return h
}

// A store that does one after another is never accused, however its calls overlap,
// and one whose last look is not what was written last is.
func FuzzJudge(f *testing.F) {
	for seed := range uint64(60) {
		f.Add(seed, uint8(1+seed%5), uint8(1+seed%12))
	}
	f.Fuzz(func(t *testing.T, seed uint64, clients, calls uint8) {
		h := walk(rand.New(rand.NewPCG(seed, 7)), 1+int(clients%6), 1+int(calls%12))
		found, unsure := Judge(h, budget)
		assert.False(t, unsure)
		assert.Empty(t, found)
		h.Final = &Final{true, Members{"a": value.NewInt(-1)}}
		found, _ = Judge(h, budget)
		assert.NotEmpty(t, found)
	})
}

func BenchmarkJudge(b *testing.B) {
	h := walk(rand.New(rand.NewPCG(3, 7)), 4, 24)
	for b.Loop() {
		Judge(h, budget)
	}
}
