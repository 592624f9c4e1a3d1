package draft_test

import (
	"context"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
	"usualpath/internal/variety"
)

// drafted drafts the collection of a service with these manners, and gives the text of its
// resource, and whether the service is as it was.
func drafted(t *testing.T, m variety.Manners, seed uint64, writes bool) (string, bool) {
	t.Helper()
	s := variety.New(m, seed)
	server := httptest.NewServer(s.Handler(nil))
	defer server.Close()
	client := exchange.NewClient(exchange.Options{MaxBody: 1 << 20})
	defer client.Close()
	send := func(method, at string, body []byte, media string) *exchange.Exchange {
		q := &exchange.Request{Method: method, URL: at, Body: body, Timeout: 5 * time.Second, Header: []exchange.Field{{Name: "Accept", Value: "application/json"}}}
		if media != "" {
			q.Header = append(q.Header, exchange.Field{Name: "Content-Type", Value: media})
		}
		return client.Do(context.Background(), q)
	}
	list, before := s.At("x"), s.State()
	list = list[:strings.LastIndex(list, "/")]
	r, base, err := draft.FromService(server.URL+list, writes, send, nil)
	if err != nil {
		return err.Error(), s.State() == before
	}
	assert.Equal(t, server.URL, base)
	text := r.Life("", nil) + "\n" + r.Text()
	_, diags := syntax.Parse(source.NewFile("drafted.upath", text))
	require.Empty(t, diags, "%s\n%s", m, text)
	return text, s.State() == before || strings.Contains(text, "left on the service") && s.Items()[0] != ""
}

// What a service does can be read off it: each manner, and what the draft says of it beside the
// usual.
func TestALiveCollectionIsDrafted(t *testing.T) {
	usual := []string{"collection /lamps", "identity   $.ref", "make       { \"depth\": 2.50, \"kind\": \"harbour light {turn}\" }", "remake     { \"depth\": 3.50, \"kind\": \"harbour light {turn}\" }",
		"amend      { \"depth\": 3.50 }", "assigned   ref", "required   depth, kind", "supports   list, read, create, replace, amend, delete"}
	for _, row := range []string{
		"",
		`named @id: identity $['@id']; assigned "@id"`,
		"wrap data: content $.data",
		"list wrapped: members $.lamps[*]",
		"list deep: members $.found.lamps[*]",
		`list keyed: members $.lamps.*; make { "depth": 2.50, "kind": "riding lamp {turn}" }; remake { "depth": 3.50, "kind": "riding lamp {turn}" }`,
		"place Location only: identity $.ref in create header Location",
		"place another name in creates: identity $.ref in create $.created",
		"create 204: identity $.ref in create header Location",
		"create only the identity",
		"amend vendor type: supports list, read, create, replace, delete",
		"amend none: supports list, read, create, replace, delete",
		"replace none: supports list, read, create, amend, delete",
		`gone a state: gone { "state": "removed", ... }; assigned ref, state`,
		"pages cursor: members $.lamps[*]",
		"total told: members $.lamps[*]; total $.count",
		"absent null: assigned note, ref",
		"unknown member refused",
		"unique kind",
		"tags of revision",
		"revision a member: revision $.rev as $.rev on delete as query rev; volatile $.rev",
	} {
		manner, says, _ := strings.Cut(row, ": ")
		var m variety.Manners
		if manner != "" {
			var err error
			m, err = variety.Of(manner)
			require.NoError(t, err, manner)
		}
		text, kept := drafted(t, m, 7, true)
		assert.True(t, kept, "%s: %s", manner, text)
		_, text, _ = strings.Cut(text, "resource lamps\n")
		var other []string
		for line := range strings.Lines(text) {
			if line = strings.TrimSpace(line); !slices.Contains(usual, line) && line != "" {
				other = append(other, strings.Join(strings.Fields(line), " "))
			}
		}
		assert.Equal(t, says, strings.Join(other, "; "), manner)
	}
}

// Whatever manners are drawn: what is drafted is of the language, and what was there stays so.
func TestDraftsOfDrawnServicesHarmNothing(t *testing.T) {
	first := uint64(time.Now().YearDay()) * 1000
	for seed := first; seed < first+60; seed++ {
		m := variety.Draw(seed)
		text, kept := drafted(t, m, seed, seed%3 > 0)
		assert.True(t, kept, "seed %d: %s\n%s", seed, m, text)
	}
}
