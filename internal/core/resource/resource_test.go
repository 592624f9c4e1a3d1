package resource

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/golden"
)

func loaded(t *testing.T, text string) *project.Project {
	t.Helper()
	name := filepath.Join(t.TempDir(), "a.upath")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	return project.Load([]string{name}, project.Options{})
}

// derived reads a file, and what its resources give rise to.
func derived(t *testing.T, text string) (*project.Project, []*Resource) {
	t.Helper()
	name := filepath.Join(t.TempDir(), "a.upath")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	return Load([]string{name}, project.Options{})
}

// one reads a file with one resource.
func one(t *testing.T, text string) *Resource {
	t.Helper()
	p := loaded(t, "base http://127.0.0.1:1\n"+text)
	list, diags := read(p)
	require.Empty(t, append(p.Diagnostics, diags...), text)
	require.Len(t, list, 1)
	return list[0]
}

const boats = `
resource boats
  collection /boats
  make { "name": "Tern {turn}", "length_m": 7, "flag": "DK", "pin": "1", "sub-name": [1], "crew": { "n": 1 }, "out": true }
  remake { "name": "Tern {turn}", "length_m": 8 }
  amend { "flag": "SE" }
  assigned id, registered_at
  required name, length_m
  unique name
  hidden pin
  filter flag = DK
  paging limit, offset
  idempotency key
  auth bearer "t"
`

// Whatever a resource says, its checks are scenarios that the language takes.
func TestAllChecksAreOfTheLanguage(t *testing.T) {
	for name, text := range map[string]string{
		"all":           boats,
		"wrapped":       strings.Replace(boats, "  make", "  members $.data.list[*]\n  content $.boat\n  identity $.ref.key\n  volatile $.seen, $['odd name']\n  answers create 200 or 201, missing 410, invalid 422, repeat delete 204, delete 204, replace 204, amend 200, list 200\n  make", 1),
		"entries":       strings.Replace(boats, "  make", "  members $.rows[*].doc\n  make", 1),
		"by its name":   strings.Replace(boats, "  make", "  members $.rows.* if there\n  make", 1),
		"located":       strings.Replace(boats, "  make", "  identity header Location by $.ref\n  make", 1),
		"chosen":        strings.Replace(boats, "  make", "  identity chosen \"GP{turn}\" by $.code\n  supports list, read, replace, amend, delete\n  make", 1),
		"read only":     "resource tides\n  collection /tides\n  identity $.day\n  supports list, read\n",
		"times, PATCH":  "resource tours\n  collection /tours\n  make { \"name\": \"T {turn}\", \"from\": \"2031-05-17T08:30:00Z\" }\n  amend { \"from\": \"2031-05-18T08:30:00Z\" }\n  takes { \"name\": string, \"from\": datetime }\n",
		"no list":       strings.Replace(boats, "  make", "  supports create, read, replace, amend, delete\n  make", 1),
		"no read":       strings.Replace(boats, "  make", "  supports list, create, delete\n  make", 1),
		"by name":       "let tern = { \"name\": \"T {uuid()}\" }\nresource boats\n  collection /boats\n  make {tern}\n",
		"not an object": "resource boats\n  collection /boats\n  make [1, 2]\n  remake [2]\n  amend [3] as application/json-patch+json\n",
		"odd names": "resource boats\n  collection /boats\n  make { \"@type\": \"Tern {turn}\", \"$ref\": \"x\", \"é\": 1, \"a b\": \"c\", \"1\": true, \"\": \"e\", \"it's\": \"q\", \"say \\\"so\\\"\": \"q\", \"two\\nlines\": \"t\", \"\\{turn}\": \"b\", \"back\\\\slash\": \"s\" }\n" +
			"  remake { \"@type\": \"Tern {turn}\", \"$ref\": \"y\", \"a b\": \"d {turn}\" }\n  amend { \"two\\nlines\": \"u\" }\n  assigned id, \"@id\"\n  required \"@type\", \"a b\", \"two\\nlines\"\n  unique \"@type\"\n  hidden \"it's\"\n  auth bearer \"t\"\n",
		"reads": strings.Replace(boats, "  make", "  reads { \"id\": integer, ... }\n  item /boat/{id}.json\n  make", 1),
	} {
		t.Run(name, func(t *testing.T) {
			r := one(t, text)
			written, out := r.Text()
			f, diags := syntax.Parse(source.NewFile("checks", written))
			require.Empty(t, diags)
			// Checked as a file of its own, beside the one it comes from.
			dir := filepath.Dir(r.File.Path)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "checks.upath"), []byte("use \"a.upath\"\n\n"+syntax.Print(f)), 0o644))
			p := project.Load([]string{filepath.Join(dir, "checks.upath")}, project.Options{})
			for _, d := range p.Diagnostics {
				assert.NotEqual(t, source.Error, d.Severity, "%d: %s", d.File.Position(d.Span.Start).Line, d.Message)
			}
			scenarios := 0
			for _, s := range p.Scenarios() {
				require.NotNil(t, s.Check)
				assert.True(t, Known(s.Check.ID))
				scenarios++
			}
			assert.Positive(t, scenarios)
			for _, o := range out {
				assert.NotEmpty(t, o.Why)
			}
		})
	}
}

func TestUnderAnotherResource(t *testing.T) {
	p, list := derived(t, boats+"\nresource stays\n  under boats\n  collection /boats/{boats.id}/stays\n  make { \"nights\": 1 }\n\nresource bills\n  under stays\n  collection /boats/{boats.id}/stays/{stays.id}/bills\n  make { \"sum\": 4 }\n")
	require.Empty(t, p.Diagnostics)
	require.Len(t, list, 3)
	text, _ := list[2].Text()
	assert.Contains(t, text, "send POST /boats/{boats_id}/stays/{stays_id}/bills")
	assert.Less(t, strings.Index(text, "send POST /boats\n"), strings.Index(text, "send POST /boats/{boats_id}/stays\n"), "the outermost is made first")
	assert.Greater(t, len(p.Scenarios()), 200)
}

// What is declared public is not asked for credentials.
func TestPublic(t *testing.T) {
	part := func(text string) string {
		var b strings.Builder
		for _, scenario := range strings.SplitAfter(text, "\n\nscenario ") {
			if strings.HasPrefix(scenario, `"boats access/`) {
				b.WriteString(scenario)
			}
		}
		return b.String()
	}
	whole, _ := one(t, boats).Text()
	open, out := one(t, boats+"  public list, read\n").Text()
	for _, title := range []string{`step "list"`, `step "read"`, `step "ask for one that is there"`} {
		assert.Contains(t, part(whole), title)
		assert.NotContains(t, part(open), title)
	}
	assert.Contains(t, part(open), `step "replace"`)
	reasons := ""
	for _, o := range out {
		reasons += o.Check.ID() + ": " + o.Why + "\n"
	}
	assert.Contains(t, reasons, "access/refusal-hides-existence: reading needs no credentials")
}

func TestSkipsAndReasons(t *testing.T) {
	r := one(t, boats+"  skip input/big-body because \"the proxy refuses it\"\n")
	_, out := r.Text()
	why := map[string]string{}
	for _, o := range out {
		why[o.Check.ID()] = o.Why
	}
	assert.Equal(t, "the proxy refuses it", why["input/big-body"])
	assert.Equal(t, "the service names its items itself", why["repeat/put-create-is-idempotent"])
	assert.NotContains(t, why, "lifecycle/deleted-is-gone")
}

func TestStatementsThatCannotBe(t *testing.T) {
	for text, says := range map[string]string{
		"resource a\n":                                                                               "has no collection",
		"resource a\n  collection /a?x=1\n":                                                          "has no query",
		"resource a\n  collection /a\n  item /a\n":                                                   "no place for its identity",
		"resource a\n  collection /a\n  item {id}\n":                                                 "does not begin with its identity",
		"resource a\n  collection /a\n  supports create\n":                                           "supports create and has no example",
		"resource a\n  collection /a\n  members $..doc\n":                                            "does not say which list",
		"resource a\n  collection /a\n  members $.b[*]..c\n":                                         "may select several members of one entry",
		"resource a\n  collection /a\n  identity chosen \"x\"\n":                                     "the same for every item",
		"resource a\n  collection /a\n  make { \"b\": 1 }\n  required c\n":                           "has no member `c`, which is required",
		"resource a\n  collection /a\n  answers read 204\n":                                          "what is read is shown with 200",
		"resource a\n  collection /a\n  under b\n":                                                   "no resource `b` comes before",
		"resource a\n  collection /a\n  under a\n":                                                   "cannot be under itself",
		"resource a\n  collection /a\nresource a\n  collection /b\n":                                 "a second resource `a`",
		"resource a\n  collection /a\n  collection /b\n":                                             "a second `collection`",
		"resource a\n  collection /a\n  skip input/big-bdy because \"x\"\n":                          "there is no check input/big-bdy",
		"resource a\n  collection /a\nresource b\n  under a\n  collection /a/{a.id}/b\n":             "no a can be made",
		"resource a\n  collection /a\n  make { \"b\": 1 }\nresource b\n  under a\n  collection /b\n": "does not name its a",
	} {
		p := loaded(t, text)
		require.Equal(t, 0, p.Diagnostics.Errors(), text)
		_, diags := read(p)
		found := ""
		for _, d := range diags {
			found += d.Message + "\n"
		}
		assert.Contains(t, found, says, text)
	}
}

// The page about the checks is the catalogue, written out.
func TestCatalogue(t *testing.T) {
	var b strings.Builder
	b.WriteString("# The derived checks\n\nA `resource` statement gives rise to these checks, as far as they apply to it. `usualpath derive FILE` prints them as scenarios,\n`usualpath explain FAMILY/NAME` tells about one. This page is made from the catalogue by `go test ./internal/core/resource -update`.\n\n" +
		"A missed *must* fails the run. A missed *should* or *usual* warns, unless `--level` asks for more. A check that cannot tell is *blocked*,\nnever passed; one that does not apply to the service is said to be so.\n")
	names, says := Families()
	ids := map[string]bool{}
	for _, family := range names {
		fmt.Fprintf(&b, "\n## %s: %s\n\n| check | level | holds when | source | usual cause on the server | usual mend |\n|---|---|---|---|---|---|\n", family, says[family])
		for _, c := range Catalogue() {
			if c.Family != family {
				continue
			}
			fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s |\n", c.Name, c.Level, c.Proves, c.Source, c.Cause, c.Mend)
			assert.False(t, ids[c.ID()], "%s stands twice", c.ID())
			ids[c.ID()] = true
			assert.NotEmpty(t, c.Proves, c.ID())
			assert.NotEmpty(t, c.Cause, c.ID())
			assert.NotEmpty(t, c.Mend, c.ID())
			assert.Contains(t, syntax.Levels, c.Level)
			assert.Same(t, Find(c.ID()), Find(c.Name), "a name alone is enough")
		}
	}
	for _, c := range Catalogue() {
		for _, other := range c.Causes {
			assert.True(t, ids[other], "%s: %s is not a check", c.ID(), other)
		}
	}
	const page = "../../../docs/checks.md"
	if *golden.Update {
		require.NoError(t, os.WriteFile(page, []byte(b.String()), 0o644))
	}
	now, err := os.ReadFile(page)
	require.NoError(t, err)
	golden.Same(t, page, string(now), b.String())
}

// Whatever is below a resource is derived from or told about.
func FuzzExpand(f *testing.F) {
	for _, name := range []string{"boats", "berths", "tides", "log"} {
		data, err := os.ReadFile("../../../examples/" + name + ".upath")
		require.NoError(f, err)
		_, statement, _ := strings.Cut(string(data), "\nresource ")
		f.Add("resource " + statement)
	}
	f.Add("resource r\n  under q\n  collection /q/{q.id}/r\n  make { \"a\": \"{turn}\" }\nresource q\n  collection /q\n  identity chosen \"x{turn}\" by $.k\n  make {}\n")
	f.Add("resource r\n  collection /q\n  make { \"na\\nme\": \"{turn}\", \"k\\{x}\": 1, \"\": true, \"a'b\": \"x\" }\n  remake { \"k\\{x}\": 2, \"\": false }\n  amend { \"a'b\": \"y\" }\n  assigned id, \"at at\"\n  required \"na\\nme\", \"k\\{x}\"\n  unique \"na\\nme\"\n  filter \"a'b\" = x\n  total $['n n']\n")
	f.Add("resource r\n  collection /q\n  disposable\n  remake { \"a\": 1 }\n  amend { \"b\": false }\n  supports read, replace, amend, delete\n")
	dir := f.TempDir()
	f.Fuzz(func(t *testing.T, text string) {
		name := filepath.Join(dir, "r.upath")
		p, list := Load([]string{name}, project.Options{Overlay: map[string]string{name: "base http://127.0.0.1:1\n" + text}})
		for _, r := range list {
			if p.Diagnostics.Errors() == 0 {
				out, _ := r.Text()
				require.NotContains(t, out, "%!", "a form that was not filled in")
				// All of it is of the language.
				r.Tree()
			}
		}
	})
}

// A resource may be below one of a file that is used, whose own checks stay there.
func TestUnderAResourceOfAnotherFile(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		at := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(at, []byte(text), 0o600))
		return at
	}
	first := write("a.upath", "base http://127.0.0.1:1\n\n"+boats)
	second := write("b.upath", "use \"a.upath\"\n\nresource stays\n  under boats\n  collection /boats/{boats.id}/stays\n  make { \"nights\": 1 }\n")
	for _, c := range []struct {
		paths []string
		names []string
	}{{[]string{first, second}, []string{"boats", "stays"}}, {[]string{second}, []string{"stays"}}} {
		p, list := Load(c.paths, project.Options{})
		require.Empty(t, p.Diagnostics)
		var names []string
		for _, r := range list {
			names = append(names, r.Name)
		}
		assert.Equal(t, c.names, names)
		text, _ := list[len(list)-1].Text()
		assert.Contains(t, text, "send POST /boats/{boats_id}/stays")
	}
}
