package variety_test

import (
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/bend"
	"usualpath/internal/variety"
)

// What is found on the harbour is found on services of other manners too: each fault is put on a drawn
// service whose manners let it show, some of them each day; USUALPATH_FAULTS puts each on so many,
// and USUALPATH_ONLY is one of them.
func TestFaultsAreFoundOnAnyService(t *testing.T) {
	count := number(t, "USUALPATH_FAULTS", 1)
	first := number(t, "USUALPATH_SEED", time.Now().YearDay()*1000)
	type one struct {
		f    bend.Fault
		seed uint64
	}
	every := 8
	if os.Getenv("USUALPATH_SEEDS") != "" {
		every = 4
	}
	var all []one
	for i, f := range bend.Faults() {
		// Without being asked for, an eighth of them, another each day; a quarter where more seeds are drawn.
		only := os.Getenv("USUALPATH_ONLY")
		if only != "" && only != f.Name || only == "" && os.Getenv("USUALPATH_FAULTS") == "" && (i+time.Now().YearDay())%every != 0 {
			continue
		}
		seed := uint64(first + 100*i)
		for range count {
			for !variety.Draw(seed).Offers(f.Needs) {
				seed++
			}
			all = append(all, one{f, seed})
			seed++
		}
	}
	var mu sync.Mutex
	found := 0
	side(t, all, func(dir string, o one) {
		m := variety.Draw(o.seed)
		trial := variety.Trial{Manners: m, Seed: o.seed, Bend: func(s *variety.Service) func(http.Handler) http.Handler {
			return func(next http.Handler) http.Handler { return o.f.Bend(s, next) }
		}}
		out, err := trial.Run(dir, "run", "--workers", "1", "--seed", "7")
		if !assert.NoError(t, err, o.f.Name) {
			return
		}
		mu.Lock()
		defer mu.Unlock()
		if len(out.Failed) > 0 {
			found++
			return
		}
		t.Logf("%s is not found on seed %d (warned %s; blocked %d): %s", o.f.Name, o.seed, strings.Join(slices.Compact(out.Warned), ", "), len(out.Blocked), m)
		if at := os.Getenv("USUALPATH_KEEP"); at != "" {
			assert.NoError(t, os.WriteFile(at+"/"+o.f.Name+".txt", []byte(out.File+out.Out), 0o644))
		}
	})
	t.Logf("%d of %d found", found, len(all))
	// Of the few of one day one may be missed.
	assert.LessOrEqual(t, len(all)-found, max(1, len(all)/20), "%d of %d found", found, len(all))
}
