package resource

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/syntax"
)

// Each operation has all that one has: what is left out is named.
func TestOperationsAreWhole(t *testing.T) {
	assert.Len(t, all(), len(syntax.Operations))
	for o := List; o < operations; o++ {
		of := table[o]
		assert.NotEmpty(t, o.String(), "operation %d: its name", o)
		assert.NotEmpty(t, of.method, "%s: its method", o)
		assert.NotEqual(t, None, of.with, "%s: what `supports` names for it", o)
		if of.with == o {
			assert.Equal(t, o, operationOf(o.String()), "%s: its word in syntax.Operations", o)
			assert.NotEmpty(t, of.lines, "%s: its lines", o)
		}
		assert.Equal(t, of.writes && o != Delete, of.body, "%s: whether it sends a body", o)
	}
	assert.Equal(t, None, operationOf("moor"))
}

func TestWhereAnOperationIsAskedFor(t *testing.T) {
	r := &Resource{places: places{Collection: "/boats", ListPath: "/fleet", Item: "/boat/{id}"}, identifying: identifying{Chosen: "B{turn}"}}
	for _, c := range []struct {
		o        Operation
		id, text string
	}{
		{List, "id", "send GET /fleet"}, {Create, "", "send POST /boats"}, {Create, "place", "send PUT /boat/{place}"}, {Read, "id", "send GET /boat/{id}"},
		{Head, "other", "send HEAD /boat/{other}"}, {Replace, "id", "send PUT /boat/{id}"}, {Amend, "id", "send PATCH /boat/{id}"}, {Delete, "id", "send DELETE /boat/{id}"},
	} {
		assert.Equal(t, c.text, r.Scene().ask(c.o, c.id).text)
	}
	assert.Equal(t, "/boats/{id}", r.below())
	r.Collection = "/boats/"
	assert.Equal(t, "/boats/{id}/", r.below(), "a slash at the end is kept")
}

// What a resource does not get is told by reason, with a line that is one of the language.
func TestWhatAResourceLacks(t *testing.T) {
	r := one(t, "resource tides\n  collection /tides\n  make { \"name\": \"Ebb {turn}\" }\n  skip absence/malformed-id because \"it is slow\"\n")
	lacks := r.Lacks()
	said := map[string]Lack{}
	checks := 0
	for _, l := range lacks {
		said[l.Why] = l
		checks += len(l.Checks)
	}
	assert.Len(t, lacks, len(said), "each reason once")
	assert.Equal(t, Lack{"no total is declared", "total $.total", []string{"lifecycle/total-counts"}}, said["no total is declared"])
	assert.Contains(t, said["no `auth` is declared"].Checks, "access/no-credentials")
	softer := 0
	for _, d := range func() []derivation { list, _ := r.derivedOf(nil); return list }() {
		if d.level != d.check.Level {
			softer++
		}
	}
	assert.Equal(t, len(Catalogue())-1, checks+r.Count()-softer, "the rest is derived, but for what is skipped")
	// Each reason that a line is named for is one that is given.
	const make = "  make { \"n\": \"x {turn}\" }\n"
	given := map[string]bool{}
	for _, lines := range []string{"", make, make + "  remake { \"n\": \"y {turn}\" }\n  amend { \"n\": \"z\" }\n", make + "  remake { \"n\": \"y\" }\n", make + "  identity header Location\n",
		make + "  takes { \"n\": string }\n", make + "  takes { \"n\": string length ..9 }\n", make + "  supports create\n"} {
		for _, l := range one(t, "resource boats\n  collection /boats\n"+lines).Lacks() {
			given[l.Why] = true
		}
	}
	for why, word := range linesFor {
		assert.NotEmpty(t, syntax.FormsOf(word), why)
		assert.True(t, given[why], why)
	}
}
