package tests

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/resource"
	"usualpath/internal/harbour"
)

// missed runs the program with a report, and gives the checks that failed or
// warned, sorted.
func missed(t *testing.T, dir string, args ...string) (result, []string) {
	t.Helper()
	name := filepath.Join(t.TempDir(), "checks.csv")
	r := run(t, dir, append(args, "--report", "csv="+name)...)
	data, err := os.ReadFile(name)
	require.NoError(t, err, r.out+r.err)
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	require.NoError(t, err)
	check, verdict := slices.Index(rows[0], "check"), slices.Index(rows[0], "verdict")
	var list []string
	for _, row := range rows[1:] {
		if row[check] != "" && (row[verdict] == "failed" || row[verdict] == "warned") {
			list = append(list, row[check])
		}
	}
	slices.Sort(list)
	return r, slices.Compact(list)
}

// started is a project that starts the harbour itself, with the examples.
func started(t *testing.T, faults ...string) string {
	dir := t.TempDir()
	entries, err := os.ReadDir("../examples")
	require.NoError(t, err)
	for _, e := range entries {
		if filepath.Ext(e.Name()) != ".upath" || e.Name() == "project.upath" {
			continue
		}
		data, err := os.ReadFile(filepath.Join("../examples", e.Name()))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, e.Name()), data, 0o644))
	}
	with := ""
	for _, f := range faults {
		with += " --fault " + f
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "project.upath"), fmt.Appendf(nil, "project gull\ndefaults\n  header Accept: application/json\n  timeout 5s\nservice harbour\n  start \"%s demo serve --seed-data --listen 127.0.0.1:{port} --data {folder}%s\"\n  ready GET /healthz is 200 within 10s\n  stop TERM within 3s\n", program, with), 0o644))
	return dir
}

// Each fault makes the checks fail that it names, and none that has nothing to
// do with it.
func TestEachFaultIsFoundByItsChecks(t *testing.T) {
	// Faults between clients show in narrow windows: nothing else goes beside them.
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the same without the race detector is enough: the time windows are narrow")
	}
	faults := harbour.Faults()
	assert.GreaterOrEqual(t, len(faults), 60)
	for i, f := range faults {
		t.Run(f.Name, func(t *testing.T) {
			t.Parallel()
			workers, seed := besides(i)
			if f.Slow || f.Restart || f.Spreads {
				workers = "1"
			}
			if !inTurn(i) && os.Getenv("USUALPATH_WORKERS") == "" {
				return
			}
			if f.Roams {
				f.Finds = nil
			} else {
				require.NotEmpty(t, f.Finds, "a fault that no check finds")
			}
			files, resource := []string{"boats.upath"}, f.Resource
			if resource != "" {
				files = []string{resource + ".upath"}
			}
			args := append([]string{"run"}, files...)
			args = append(args, "--level", "usual", "--seed", seed, "--workers", workers)
			dir := "../examples"
			if f.Restart {
				dir = started(t, f.Name)
				args = append(args, "--family", "durability")
			} else {
				args = append(args, "--base", gullPoint(t, f.Name))
			}
			switch all, _ := familiesOf(); {
			case f.Slow || f.Restart:
				// Each request that is never answered costs the whole time it may take.
				args = append(args, "--check", strings.Join(f.Finds, ","))
			case i%8 == 0 || f.Roams || os.Getenv("USUALPATH_WORKERS") != "":
				args = append(args, "--family", all)
			default:
				// For each eighth fault it is seen that no others find it.
				args = append(args, "--check", strings.Join(slices.Concat(f.Finds, f.Also), ","))
			}
			r, found := missed(t, dir, args...)
			if f.Roams {
				assert.Equal(t, 0, r.code, r.out+r.err)
				assert.Empty(t, found, "a derived check finds it")
				return
			}
			require.Equal(t, 1, r.code, r.out+r.err)
			assert.Subset(t, found, f.Finds, "these must find it")
			assert.Subset(t, slices.Concat(f.Finds, f.Also), found, "others have nothing to do with it")
		})
	}
}

// Each check finds a fault of the harbour, but for these, which are seen to fail elsewhere.
func TestEachCheckFindsAFault(t *testing.T) {
	t.Parallel()
	found := map[string]bool{
		"setup/examples-work":        true, // it only prepares: where it misses, all else is blocked
		"representation/forms-agree": true, // TestAResourceInTwoForms
		"lifecycle/total-counts":     true, // TestATotalIsHeldAgainstTheList
	}
	for _, f := range harbour.Faults() {
		for _, id := range f.Finds {
			found[id] = true
		}
	}
	for _, c := range resource.Catalogue() {
		assert.True(t, found[c.ID()], "%s finds no fault", c.ID())
	}
}

// besides is by how many workers a case runs, and its seed. The findings are the
// same for any of them; USUALPATH_WORKERS and USUALPATH_SEED choose others.
func besides(i int) (workers, seed string) {
	return cmp.Or(os.Getenv("USUALPATH_WORKERS"), []string{"1", "8", "2"}[i%3]), cmp.Or(os.Getenv("USUALPATH_SEED"), "11")
}

func familiesOf() (string, int) {
	list := []string{"setup", "lifecycle", "repeat", "names", "absence", "method", "input", "limits", "representation", "precondition", "access", "race"}
	return strings.Join(list, ","), len(list)
}

func TestWithoutAFaultNothingFailsOrWarns(t *testing.T) {
	r, found := missed(t, started(t), "run", "--level", "usual")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.NotContains(t, r.out, "warned")
	assert.NotContains(t, r.out, "blocked")
	assert.Empty(t, found)
	assert.Contains(t, r.out, "durable")
	out, _ := exec.Command("pgrep", "-f", "usualpath-service-").Output()
	assert.Empty(t, strings.TrimSpace(string(out)))
}

// The printed checks are scenarios like any other: run as they are, they give
// the verdicts of the resource.
func TestDerivedTextGivesTheSameVerdicts(t *testing.T) {
	t.Parallel()
	counts := regexp.MustCompile(`\d+ checks of \d resources?: [^.]*? (?:not applicable|held|warned|failed)`)
	faults, every := []string{""}, 80
	if os.Getenv("USUALPATH_RACE") != "" {
		// What could race is the same for each.
		every = 1000
	}
	for i, f := range harbour.Faults() {
		if i%every == 0 && !f.Slow && !f.Restart {
			faults = append(faults, f.Name)
		}
	}
	for _, fault := range faults {
		t.Run(fault, func(t *testing.T) {
			t.Parallel()
			var with []string
			if fault != "" {
				with = []string{fault}
			}
			dir := started(t, with...)
			for _, file := range []string{"boats", "berths", "log", "tides"} {
				text := run(t, dir, "derive", file+".upath")
				require.Equal(t, 0, text.code, text.err)
				require.NoError(t, os.WriteFile(filepath.Join(dir, file+"-checks.upath"), []byte(text.out), 0o644))
				formatted := run(t, dir, "fmt", "--check", file+"-checks.upath")
				assert.Equal(t, 0, formatted.code, "the text is in canonical layout")
				base := gullPoint(t, with...)
				direct, of := missed(t, dir, "run", file+".upath", "--base", base, "--level", "usual", "--family", "setup,lifecycle,repeat,absence,method,input,representation,precondition,access")
				printed, same := missed(t, dir, "run", file+"-checks.upath", "--base", base, "--level", "usual", "--family", "setup,lifecycle,repeat,absence,method,input,representation,precondition,access")
				assert.Equal(t, direct.code, printed.code, printed.out+printed.err)
				assert.Equal(t, of, same)
				assert.NotEmpty(t, counts.FindString(direct.out), direct.out)
				assert.Equal(t, counts.FindString(direct.out), counts.FindString(printed.out))
			}
		})
	}
}
