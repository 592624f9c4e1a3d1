package variety_test

import (
	"bytes"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/variety"
)

// number reads a whole number from the environment.
func number(t *testing.T, name string, without int) int {
	t.Helper()
	text := os.Getenv(name)
	if text == "" {
		return without
	}
	n, err := strconv.Atoi(text)
	require.NoError(t, err, name)
	return n
}

// Each pair of lines that go together is drawn by some of ten thousand seeds, and each seed departs
// from the harbour in ten lines at least.
func TestAllPairsAreDrawn(t *testing.T) {
	lines := variety.Lines()
	assert.GreaterOrEqual(t, len(lines), 80)
	together := map[[2]string]bool{}
	for seed := range uint64(10_000) {
		names := variety.Draw(seed).Names()
		require.GreaterOrEqual(t, len(names), 10)
		for i, a := range names {
			for _, b := range names[i+1:] {
				together[[2]string{a, b}] = true
			}
		}
	}
	for i, a := range lines {
		for _, b := range lines[i+1:] {
			pair := []string{a.String(), b.String()}
			slices.Sort(pair)
			if _, err := variety.Of(pair...); err == nil {
				assert.True(t, together[[2]string(pair)], "%v", pair)
			}
		}
	}
}

// side runs trials two at a time, each with a folder of its own.
func side[T any](t *testing.T, list []T, one func(dir string, v T)) {
	var group sync.WaitGroup
	todo := make(chan T)
	for range 2 {
		dir := t.TempDir()
		group.Go(func() {
			for v := range todo {
				one(dir, v)
			}
		})
	}
	for _, v := range list {
		todo <- v
	}
	close(todo)
	group.Wait()
}

// A legal service is not spoken against, and loses nothing: whatever is said of one is false. Six
// seeds, others each day; USUALPATH_SEEDS says how many, USUALPATH_SEED the first of them.
func TestLegalServicesAreNotSpokenAgainst(t *testing.T) {
	first := number(t, "USUALPATH_SEED", time.Now().YearDay()*1000)
	count := number(t, "USUALPATH_SEEDS", 6)
	seeds := make([]uint64, count)
	for i := range seeds {
		seeds[i] = uint64(first + i)
	}
	side(t, seeds, func(dir string, seed uint64) { try(t, dir, variety.Draw(seed), seed) })
}

// Each line is tried by itself too: USUALPATH_LINES is a part of the names of those to try.
func TestEachLineByItself(t *testing.T) {
	part, asked := os.LookupEnv("USUALPATH_LINES")
	if !asked {
		t.Skip("USUALPATH_LINES is not set")
	}
	var all []variety.Manners
	for _, l := range variety.Lines() {
		if m, err := variety.Of(l.String()); strings.Contains(l.String(), part) {
			require.NoError(t, err)
			all = append(all, m)
		}
	}
	side(t, all, func(dir string, m variety.Manners) { try(t, dir, m, uint64(len(m.String()))) })
}

func try(t *testing.T, dir string, m variety.Manners, seed uint64) {
	one := variety.Trial{Manners: m, Seed: seed}
	workers := []string{"1", "8"}[seed%2]
	args := []string{"run", "--workers", workers, "--seed", strconv.FormatUint(seed, 10)}
	roam := []string{"roam", "--steps", "250", "--clients", []string{"1", "3"}[seed%2], "--seed", strconv.FormatUint(seed, 10)}
	o, err := one.Run(dir, args[0], args[1:]...)
	if err == nil && len(o.False(m)) == 0 {
		args = roam
		o, err = one.Run(dir, args[0], args[1:]...)
	}
	if !assert.NoError(t, err, "seed %d: %s", seed, one.Manners) {
		return
	}
	wrong := o.False(one.Manners)
	if os.Getenv("USUALPATH_KEEP") != "" && o.Took > 4*time.Second {
		t.Logf("seed %d took %s: %s", seed, o.Took, m)
	}
	if len(wrong) == 0 {
		return
	}
	least := one.Matter(func(m variety.Manners) bool {
		o, err := variety.Trial{Manners: m, Seed: seed}.Run(dir, args[0], args[1:]...)
		return err == nil && slices.ContainsFunc(o.False(m), func(w string) bool { return slices.Contains(wrong, w) })
	})
	if at := os.Getenv("USUALPATH_KEEP"); at != "" {
		_ = os.WriteFile(fmt.Sprintf("%s/%d %s.txt", at, seed, args[0]), []byte(fmt.Sprintln(least, wrong)+o.File+o.Out+o.State), 0o644)
	}
	if len(wrong) > 12 {
		wrong = append(wrong[:12], fmt.Sprintf("and %d more", len(wrong)-12))
	}
	t.Errorf("seed %d, "+args[0]+", %s workers: %s\n   with: %s", seed, workers, strings.Join(wrong, ", "), least)
}

// One seed, or the lines of USUALPATH_WITH, are run and shown.
func TestOneIsShown(t *testing.T) {
	if os.Getenv("USUALPATH_SHOW") == "" {
		t.Skip("USUALPATH_SHOW is not set")
	}
	seed := uint64(number(t, "USUALPATH_SEED", 1))
	m := variety.Draw(seed)
	if with := os.Getenv("USUALPATH_WITH"); with != "" {
		var err error
		m, err = variety.Of(strings.Split(with, "; ")...)
		require.NoError(t, err)
	}
	args := strings.Fields(os.Getenv("USUALPATH_SHOW"))
	heard := func(*variety.Service) func(http.Handler) http.Handler {
		return func(next http.Handler) http.Handler {
			return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				body, _ := io.ReadAll(r.Body)
				r.Body = io.NopCloser(bytes.NewReader(body))
				a := httptest.NewRecorder()
				next.ServeHTTP(a, r)
				t.Logf("%s %s %.200s -> %d %.300s", r.Method, r.URL, body, a.Code, a.Body)
				maps.Copy(w.Header(), a.Header())
				w.WriteHeader(a.Code)
				_, _ = w.Write(a.Body.Bytes()) // it is kept
			})
		}
	}
	if os.Getenv("USUALPATH_HEARD") == "" {
		heard = nil
	}
	o, err := variety.Trial{Manners: m, Seed: seed, Bend: heard}.Run(t.TempDir(), args[0], args[1:]...)
	require.NoError(t, err)
	t.Logf("%s\n%s%s\n%s\n%s", m, o.File, o.Out, o.State, strings.Join(o.False(m), "\n"))
}
