package tests

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/harbour"
)

// roamFor is how long tests roam; USUALPATH_ROAM_FOR makes it longer, and tries each
// fault in place of some.
func roamFor(usual string) (span string, all bool) {
	if span = os.Getenv("USUALPATH_ROAM_FOR"); span != "" {
		return span, true
	}
	return usual, false
}

// What no derived check finds, roaming does; each time in few steps more than one
// would write by hand, as a scenario that fails by itself.
func TestRoamingFindsWhatNoCheckFinds(t *testing.T) {
	t.Parallel()
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the time windows are narrow")
	}
	_, all := roamFor("")
	single, clients, kept := 0, 0, 0
	for _, f := range harbour.Faults() {
		if !f.Roams {
			continue
		}
		if single++; f.Clients {
			clients++
		}
		if single%6 != 0 && !all {
			continue
		}
		kept++
		t.Run(f.Name, func(t *testing.T) {
			t.Parallel()
			base := gullPoint(t, f.Name)
			dir := t.TempDir()
			require.NoError(t, os.CopyFS(dir, os.DirFS("../examples")))
			found := filepath.Join(dir, "found.upath")
			args := []string{"roam", "boats.upath", "--base", base, "--for", "20s", "--stop-early", "--into", "found.upath", "--seed"}
			r := result{}
			for _, seed := range []string{"11", "12", "13"} {
				clients := "4"
				if !f.Clients {
					clients = "1"
				}
				// What shows only where requests meet may take more than one try on a busy machine.
				if r = run(t, dir, append(args, seed, "--clients", clients)...); r.code == 1 || !f.Clients {
					break
				}
			}
			require.Equal(t, 1, r.code, r.out+r.err)
			assert.NotContains(t, r.out, "left on the service")
			text, err := os.ReadFile(found)
			require.NoError(t, err)
			if !f.Clients {
				steps := strings.Count(strings.Split(string(text), "\nafterwards")[0], "\n  step ")
				assert.LessOrEqual(t, steps, f.Steps+2, "%s", text)
				again := run(t, dir, "run", "found.upath", "--base", base)
				assert.Equal(t, 1, again.code, again.out+again.err)
				healed := run(t, dir, "run", "found.upath", "--base", gullPoint(t))
				assert.Equal(t, 0, healed.code, healed.out+healed.err)
			}
		})
	}
	assert.GreaterOrEqual(t, single, 40)
	assert.GreaterOrEqual(t, clients, 10)
	assert.GreaterOrEqual(t, kept, 6)
}

// A good service is never accused, and what was there before stays as it is.
func TestRoamingIsSilentOnGoodServices(t *testing.T) {
	t.Parallel()
	span, _ := roamFor("3s")
	seeds := []string{"1"}
	if os.Getenv("USUALPATH_ROAM_FOR") != "" {
		seeds = []string{"1", "2", "3"}
	}
	for _, seed := range seeds {
		t.Run("harbour "+seed, func(t *testing.T) {
			t.Parallel()
			base := gullPoint(t)
			r := runFor(t, "../examples", span, "roam", "--base", base, "--for", span, "--seed", seed)
			assert.Equal(t, 0, r.code, "%s", r.out+r.err)
			assert.NotContains(t, r.out, "left on the service")
		})
	}
}

// runFor is run, with more time than a span.
func runFor(t *testing.T, dir, span string, args ...string) result {
	t.Helper()
	d, err := time.ParseDuration(span)
	require.NoError(t, err)
	return runWithin(t, dir, d+time.Minute, 0, "", args...)
}

// With one client and a number of steps, the same seed walks the same way.
func TestRoamingIsToldAgainBySeed(t *testing.T) {
	t.Parallel()
	grid := func() string {
		r := run(t, "../examples", "roam", "boats.upath", "--base", gullPoint(t), "--clients", "1", "--steps", "300", "--seed", "5", "--resource", "boats")
		require.Equal(t, 0, r.code, r.out+r.err)
		_, text, _ := strings.Cut(r.out, "boats  requests by")
		text, _, _ = strings.Cut(text, "roamed:")
		return text
	}
	first := grid()
	assert.Contains(t, first, "pairs of writes")
	assert.Equal(t, first, grid())
}

// A run may go on to roam after its checks; the service that it starts is started
// anew now and then.
func TestARunRoamsAfterItsChecks(t *testing.T) {
	t.Parallel()
	dir := started(t, "put-between-patches-lost")
	r := run(t, dir, "run", "boats.upath", "--family", "lifecycle", "--resource", "boats", "--roam", "8s", "--seed", "2")
	assert.Contains(t, r.out, "boats  requests by how many items there were")
	if os.Getenv("USUALPATH_RACE") != "" {
		// So slowly it comes less far.
		return
	}
	assert.Equal(t, 1, r.code, r.out+r.err)
	assert.Contains(t, r.out, "boats: ")
	assert.Regexp(t, `restart +[·0-9 ]*[1-9]`, r.out)
	assert.Regexp(t, `\d+ checks of 1 resource: \d+ held`, r.out)
}

// What was found is in the record, and in reports that are made of it later.
func TestFindingsAreKept(t *testing.T) {
	t.Parallel()
	dir := folder(t, "boats.upath", "base "+gullPoint(t, "list-late-after-work", "put-beside-patch-500")+"\n\n"+boatsResource)
	r := run(t, dir, "roam", "--for", "8s", "--seed", "3", "--save", "run.jsonl", "--report", "junit=r.xml", "--report", "markdown=r.md", "--report", "html=r.html")
	require.Equal(t, 1, r.code, r.out+r.err)
	text, err := os.ReadFile(filepath.Join(dir, "run.jsonl"))
	require.NoError(t, err)
	var roamed, found int
	titles := map[string]bool{}
	for _, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		var e struct {
			Event  string
			Title  string
			Found  *struct{ Text string }
			Roamed *struct{ Steps, Requests int }
		}
		require.NoError(t, json.Unmarshal([]byte(line), &e))
		if e.Found != nil {
			found++
			assert.False(t, titles[e.Title], e.Title)
			titles[e.Title] = true
			assert.Contains(t, e.Found.Text, "scenario \"boats: ")
		}
		if e.Roamed != nil {
			roamed++
			assert.Greater(t, e.Roamed.Requests, e.Roamed.Steps)
		}
	}
	assert.Equal(t, 1, roamed)
	assert.GreaterOrEqual(t, found, 2)
	for name, holds := range map[string]string{"r.xml": `failures="`, "r.md": "off the usual path", "r.html": "The scenario that shows it"} {
		now, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Contains(t, string(now), holds)
		assert.Contains(t, string(now), "5xx under load")
		format := map[string]string{"r.xml": "junit", "r.md": "markdown", "r.html": "html"}[name]
		later := run(t, dir, "report", "run.jsonl", "--as", format)
		assert.Equal(t, string(now), later.out, name)
	}
	same := run(t, dir, "compare", "run.jsonl", "run.jsonl")
	assert.Equal(t, 0, same.code, same.out+same.err)
}

const boatsResource = `resource boats
  collection /boats
  make { "name": "Grebe {turn}", "length_m": 7.2, "flag": "DK" }
  remake { "name": "Grebe {turn}", "length_m": 7.5 }
  amend { "flag": "SE" }
  assigned id, registered_at
  required name, length_m
  unique name
`

func TestRoamSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	dir := folder(t, "none.upath", "base http://127.0.0.1:1\n\nscenario \"s\"\n  step \"a\"\n    send GET /\n",
		"boats.upath", "base http://127.0.0.1:1\n\n"+boatsResource,
		"read.upath", "base http://127.0.0.1:1\n\nresource boats\n  collection /boats\n")
	for name, c := range map[string]struct {
		args []string
		code int
		says string
	}{
		"no resource":     {[]string{"none.upath"}, 2, "no resource statement in these files"},
		"how to draft":    {[]string{"none.upath"}, 2, "--from-service"},
		"another one":     {[]string{"boats.upath", "--resource", "ships"}, 2, "there is boats"},
		"no time":         {[]string{"boats.upath", "--for", "soon"}, 2, "--for soon is not how long to roam"},
		"no clients":      {[]string{"boats.upath", "--clients", "0"}, 2, "--clients takes a number from 1 to 64"},
		"too many items":  {[]string{"boats.upath", "--items", "5000"}, 2, "--items takes a number from 1 to 500"},
		"another file":    {[]string{"boats.upath", "--into", "found.txt"}, 2, "its name ends in .upath"},
		"another folder":  {[]string{"boats.upath", "--into", "../found.upath"}, 2, "is outside the project's folder"},
		"nobody there":    {[]string{"boats.upath", "--for", "5s"}, 3, "not one request reached a service"},
		"nothing is made": {[]string{"read.upath", "--for", "5s"}, 0, "boats was not walked: no item can be made"},
	} {
		t.Run(name, func(t *testing.T) {
			r := run(t, dir, append([]string{"roam"}, c.args...)...)
			assert.Equal(t, c.code, r.code, r.out+r.err)
			assert.Contains(t, r.out+r.err, c.says)
		})
	}
}

// An interrupt ends the walk, and what it has made is removed.
func TestRoamingIsInterrupted(t *testing.T) {
	t.Parallel()
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the same without the race detector is enough")
	}
	lamps, dir := drawn(t, nil, "create 204", "replace 204", "identity text")
	before := lamps.State()
	r := runWithin(t, dir, 30*time.Second, 2*time.Second, "", "roam", "--for", "60s", "--clients", "3")
	assert.Equal(t, 130, r.code, r.out+r.err)
	assert.Equal(t, before, lamps.State())
}
