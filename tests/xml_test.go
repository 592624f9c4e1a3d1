package tests

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pier is a service that speaks XML only; each answer has its blanks, prefixes and attributes
// in another order. bent makes a replace change another berth too.
func pier(bent bool) http.HandlerFunc {
	type berth struct {
		XMLName xml.Name `xml:"berth"`
		ID      string   `xml:"id,attr"`
		Free    string   `xml:"free,attr"`
		Name    string   `xml:"name"`
		Boats   []string `xml:"boats>boat"`
	}
	var mu sync.Mutex
	berths := []*berth{{ID: "p-1", Free: "yes", Name: "North"}, {ID: "p-2", Free: "no", Name: "South", Boats: []string{"Knot", "Ruff"}}}
	turn := 0
	return func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		turn++
		if r.Method == http.MethodGet && !strings.Contains(r.Header.Get("Accept"), "xml") {
			w.WriteHeader(http.StatusNotAcceptable)
			return
		}
		show := func(status int, list ...*berth) {
			w.Header().Set("Content-Type", "application/xml")
			w.WriteHeader(status)
			fmt.Fprint(w, "<?xml version=\"1.0\"?>\n")
			if len(list) != 1 || r.URL.Path == "/berths" && r.Method == http.MethodGet {
				fmt.Fprintf(w, "<p%d:berths xmlns:p%d=\"urn:pier\">", turn, turn)
				defer fmt.Fprintf(w, "</p%d:berths>", turn)
			}
			for i, b := range list {
				boats := ""
				for _, n := range b.Boats {
					boats += "<boat>" + inXML(n) + "</boat>"
				}
				attributes := [2]string{`id="` + b.ID + `"`, `free="` + inXML(b.Free) + `"`}
				fmt.Fprintf(w, "%s<berth %s %s><!-- %d -->\n  <name> %s </name><boats>%s</boats>\n</berth>", strings.Repeat("\n", turn%3), attributes[(turn+i)%2], attributes[(turn+i+1)%2], turn, inXML(b.Name), boats)
			}
		}
		refuse := func(status int, text string) {
			w.Header().Set("Content-Type", "application/xml")
			w.WriteHeader(status)
			fmt.Fprintf(w, "<problem status=\"%d\"><title>%s</title></problem>", status, text)
		}
		id, item := strings.CutPrefix(r.URL.Path, "/berths/")
		at := slices.IndexFunc(berths, func(b *berth) bool { return b.ID == id })
		allowed := []string{"GET", "HEAD", "POST", "OPTIONS"}
		if item {
			allowed = []string{"GET", "HEAD", "PUT", "DELETE", "OPTIONS"}
		}
		switch {
		case !item && r.URL.Path != "/berths" || item && at < 0:
			refuse(http.StatusNotFound, "there is nothing here")
			return
		case !slices.Contains(allowed, r.Method) || r.Method == http.MethodOptions:
			w.Header().Set("Allow", strings.Join(allowed, ", "))
			if r.Method == http.MethodOptions {
				w.WriteHeader(http.StatusNoContent)
				return
			}
			refuse(http.StatusMethodNotAllowed, "not for this path")
			return
		case r.Method == http.MethodDelete:
			berths = slices.Delete(berths, at, at+1)
			w.WriteHeader(http.StatusNoContent)
			return
		case r.Method == http.MethodGet || r.Method == http.MethodHead:
			if !item {
				show(http.StatusOK, berths...)
			} else {
				show(http.StatusOK, berths[at])
			}
			return
		}
		body, _ := io.ReadAll(r.Body)
		var sent berth
		switch {
		case !strings.Contains(r.Header.Get("Content-Type"), "xml"):
			refuse(http.StatusUnsupportedMediaType, "XML only")
		case xml.Unmarshal(body, &sent) != nil:
			refuse(http.StatusBadRequest, "not XML")
		case strings.TrimSpace(sent.Name) == "":
			refuse(http.StatusUnprocessableEntity, "name")
		case item:
			sent.ID = id
			if *berths[at] = sent; bent {
				berths[0].Free = fmt.Sprint("at ", turn)
			}
			show(http.StatusOK, berths[at])
		default:
			sent.ID = fmt.Sprint("p-", 100+turn)
			berths = append(berths, &sent)
			w.Header().Set("Location", "/berths/"+sent.ID)
			show(http.StatusCreated, &sent)
		}
	}
}

const pierSuite = `project pier

base BASE

defaults
  header Accept: application/json
`

const pierScenario = `scenario "a berth's life in XML"
  guard /berths in xml //berth by xml @id
  observe berths at /berths in xml //berth by xml @id
  observe names at /berths in xml //berth/name
  let name = "West {random_text(6)}"

  step "make it"
    send POST /berths
      xml """
        <berth free="yes">
          <name>{name}</name>
        </berth>
      """
    expect status 201
    expect berths gains { "@id": string as berth, "name": {name}, "@free": "yes", ... }
    expect names changes 1
    keep place from xml /berth/@id

  step "read it"
    send GET /berths/{berth}
      header Accept: application/xml
    expect xml /berth/name is "{name}"
    expect {place} is {berth}

  step "replace it"
    send PUT /berths/{berth}
      xml "<berth free=\"no\"><name>{name}</name><boats><boat>Smew</boat></boats></berth>"
    expect status 200
    expect berths changes { "@free": "no", "boats": { "boat": "Smew" }, ... }

  step "look again"
    send GET /berths
      header Accept: application/xml
    expect state unchanged

  step "remove it"
    send DELETE /berths/{berth}
    expect berths loses 1
`

// Lists in XML are compared as trees: blanks, order of attributes and prefixes do not count.
func TestEffectsInXML(t *testing.T) {
	t.Parallel()
	for _, bent := range []bool{false, true} {
		base := service(t, pier(bent))
		dir := folder(t, "project.upath", strings.Replace(pierSuite, "BASE", base, 1), "pier.upath", pierScenario)
		for _, args := range [][]string{{"fmt", "--check"}, {"lint"}} {
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, r.out+r.err)
		}
		r := run(t, dir, "run")
		if !bent {
			assert.Equal(t, 0, r.code, r.out+r.err)
			assert.NotContains(t, r.out, "left on the service")
			continue
		}
		assert.Equal(t, 1, r.code, r.out+r.err)
		assert.Contains(t, r.out, "2 changed")
		assert.Contains(t, r.out, `@free`)
	}
	for text, says := range map[string]string{
		"observe a at /a in xml //b by $.id":        "write by xml @id",
		"observe a at /a by xml @id":                "which elements are the members",
		"observe a at /a in xml //b by xml id[1]":   "by xml head/@id",
		"observe a at /a in xml //b by xml x:id":    "by xml head/@id",
		"observe a at /a in xml \"//b [\" by xml c": "is not an XPath",
	} {
		dir := folder(t, "a.upath", "base http://127.0.0.1:1\n\nscenario \"s\"\n  "+text+"\n  step \"t\"\n    send GET /a\n    expect a unchanged\n")
		r := run(t, dir, "run")
		assert.Contains(t, r.out+r.err, says, text)
	}
}

func inXML(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text))
	return b.String()
}

const pierResource = `resource berths
  collection /berths
  members    xml //berth
  identity   xml @id
  make       xml "<berth free='yes'><name>West {turn}</name></berth>"
  remake     xml """
    <berth free="no"><name>West {turn}</name><boats><boat>Smew</boat></boats></berth>
  """
  assigned   "@id"
  required   name
  supports   list, create, read, replace, delete
`

// A resource in XML has the checks that do not speak of JSON.
func TestAResourceInXML(t *testing.T) {
	t.Parallel()
	for _, bent := range []bool{false, true} {
		base := service(t, pier(bent))
		dir := folder(t, "project.upath", "project pier\n\nbase "+base+"\n", "pier.upath", pierResource)
		for _, args := range [][]string{{"fmt", "--check"}, {"lint"}} {
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, r.out+r.err)
		}
		r := run(t, dir, "run")
		assert.Equal(t, map[bool]int{false: 0, true: 1}[bent], r.code, r.out+r.err)
	}
}

// shelf keeps plain text under names, and lists the names in XML. It may be "bent", and
// lose all lines but the first of what is replaced, or write texts "anew" with other line ends.
func shelf(manner string) http.HandlerFunc {
	var mu sync.Mutex
	kept, types := map[string]string{"yours": "what was there"}, map[string]string{}
	return func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		// The same is listed in XML below one path, and in JSON below the other.
		name, item := strings.CutPrefix(strings.Replace(r.URL.Path, "/cupboard", "/shelf", 1), "/shelf/")
		text, there := kept[name]
		body, _ := io.ReadAll(r.Body)
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		if kind := types[name]; kind != "" {
			w.Header().Set("Content-Type", kind)
		}
		switch {
		case !item && r.Method != http.MethodGet && r.Method != http.MethodHead:
			w.Header().Set("Allow", "GET, HEAD")
			w.WriteHeader(http.StatusMethodNotAllowed)
		case r.URL.Path == "/cupboard":
			w.Header().Set("Content-Type", "application/json")
			list := []map[string]any{}
			for name, text := range kept {
				list = append(list, map[string]any{"key": name, "size": len(text)})
			}
			_ = json.NewEncoder(w).Encode(list)
		case r.URL.Path == "/shelf":
			w.Header().Set("Content-Type", "application/xml")
			fmt.Fprint(w, "<shelf>")
			for name, text := range kept {
				fmt.Fprintf(w, "<text size=\"%d\"><key>%s</key></text>", len(text), inXML(name))
			}
			fmt.Fprint(w, "</shelf>")
		case item && r.Method == http.MethodPut:
			types[name] = r.Header.Get("Content-Type")
			if kept[name] = string(body); there && manner == "bent" {
				kept[name], _, _ = strings.Cut(string(body), "\n")
			}
			if manner == "anew" {
				kept[name] = strings.ReplaceAll(kept[name], "\n", "\r\n") + "\r\n"
			}
			w.WriteHeader(map[bool]int{false: http.StatusCreated, true: http.StatusNoContent}[there])
		case !item || !there:
			http.Error(w, "not here", http.StatusNotFound)
		case r.Method == http.MethodGet:
			fmt.Fprintln(w, text)
		case r.Method == http.MethodHead:
		case r.Method == http.MethodDelete:
			delete(kept, name)
			w.WriteHeader(http.StatusNoContent)
		default:
			w.Header().Set("Allow", "GET, HEAD, PUT, DELETE")
			w.WriteHeader(http.StatusMethodNotAllowed)
		}
	}
}

const shelfResource = `resource texts
  collection /shelf
  members    xml //text
  identity   chosen "t-{turn}-{random_text(6)}" by xml key
  make       text """
    Low water at {turn},
    at dawn
  """
  remake     text """
    High water at {turn},
    then half a day
  """
  supports   list, read, replace, delete
`

// A resource of plain texts, whose list is XML: the whole body is the value.
func TestAResourceOfTexts(t *testing.T) {
	t.Parallel()
	for _, manner := range []string{"", "bent", "anew"} {
		base := service(t, shelf(manner))
		dir := folder(t, "project.upath", "project shelf\n\nbase "+base+"\n", "shelf.upath", shelfResource)
		for _, args := range [][]string{{"fmt", "--check"}, {"lint"}} {
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, r.out+r.err)
		}
		r := run(t, dir, "run")
		assert.Equal(t, map[string]int{"bent": 1}[manner], r.code, r.out+r.err)
		assert.Equal(t, manner == "bent", strings.Contains(r.out, "lifecycle/replace-takes-effect"))
		assert.Equal(t, manner == "anew", strings.Contains(r.out, "texts: a text does not read as it is sent"))
	}
}

// A name that the client chose is shown in the list alone: nothing is claimed of the item.
func TestNamesThatOnlyTheListShows(t *testing.T) {
	t.Parallel()
	const says = `resource cups
  collection /cupboard
  identity   chosen "c-{turn}-{random_text(6)}" by $.key
  make       { "glaze": "blue {turn}" }
  remake     { "glaze": "green {turn}" }
  supports   list, read, replace, delete
`
	r := run(t, folder(t, "a.upath", "base "+service(t, shelf(""))+"\n\n"+says), "run", "--family", "lifecycle,repeat,names,absence,race")
	assert.Equal(t, 0, r.code, r.out+r.err)
}

const bothForms = `resource boats
  collection /boats
  make       { "name": "Tern {uuid()}", "length_m": 8.25, "flag": "DK" }
  remake     { "name": "Tern {uuid()}", "length_m": 9, "flag": "SE" }
  amend      { "flag": "NL" }
  supports   list, create, read, replace, amend, delete
  also xml
    members  xml //boat
    identity xml @id
    make     xml "<boat><name>Tern {uuid()}</name><length_m>8.25</length_m><flag>DK</flag></boat>"
    remake   xml "<boat><name>Tern {uuid()}</name><length_m>9</length_m><flag>SE</flag></boat>"
    required name, length_m
`

// A resource in two forms is checked in both, and both must say the same.
func TestAResourceInTwoForms(t *testing.T) {
	t.Parallel()
	u, err := url.Parse(harbourFor(t))
	require.NoError(t, err)
	for _, bent := range []bool{false, true} {
		between := httputil.NewSingleHostReverseProxy(u)
		between.ModifyResponse = func(r *http.Response) error {
			body, err := io.ReadAll(r.Body)
			if bent && strings.Contains(r.Header.Get("Content-Type"), "xml") {
				body = bytes.ReplaceAll(body, []byte("<name>Tern "), []byte("<name>Knot "))
			}
			r.Body = io.NopCloser(bytes.NewReader(body))
			return err
		}
		base := service(t, between.ServeHTTP)
		dir := folder(t, "project.upath", "project both\n\nbase "+base+"\n", "boats.upath", bothForms)
		for _, args := range [][]string{{"fmt", "--check"}, {"lint"}} {
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, r.out+r.err)
		}
		r := run(t, dir, "run")
		assert.Equal(t, map[bool]int{false: 0, true: 1}[bent], r.code, r.out+r.err)
		assert.Contains(t, r.out, "boats_xml")
		if bent {
			assert.Contains(t, r.out, "representation/forms-agree")
		}
	}
}

// What is missing or mixed in a resource of another form is said at its place.
func TestFormsThatDoNotFit(t *testing.T) {
	t.Parallel()
	const head = "base http://127.0.0.1:1\n\nresource a\n  collection /a\n"
	for text, says := range map[string]string{
		"  make xml \"<a><b>{turn}</b></a>\"\n  identity xml @id":                           "write members xml //a",
		"  make xml \"<a><b>{turn}</b></a>\"\n  members xml //a":                            "write identity xml @id",
		"  make xml \"<a><b>{turn}</a>\"\n  members xml //a\n  identity xml @id":            "not XML",
		"  make { \"a\": 1 }\n  remake xml \"<a/>\"":                                        "in different forms",
		"  make xml \"<a/>\"\n  remake xml \"<b/>\"\n  members xml //a\n  identity xml @id": "different root elements",
		"  make { \"a\": 1 }\n  members xml //a\n  identity xml @id":                        "members in XML need examples",
		"  make { \"a\": 1 }\n  also json":                                                  "expected `xml`",
		"  make { \"a\": 1 }\n  also xml\n    collection /b":                                "not allowed under also",
		"  make { \"a\": 1 }\n  also xml\n    make xml \"<a/>\"":                            "write members xml //a",
		"  make { \"a\": 1 }\n  also xml\n  make xml \"<a/>\"":                              "a second `make`",
		"  make text \"t {turn}\"\n  remake { \"a\": 1 }":                                   "in different forms",
	} {
		r := run(t, folder(t, "a.upath", head+text+"\n"), "lint")
		assert.Contains(t, r.out+r.err, says, text)
	}
}
