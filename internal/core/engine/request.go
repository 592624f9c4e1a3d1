package engine

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"mime"
	"mime/multipart"
	"net/textproto"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/markup"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// builder is a request being put together from layers of lines: the project's
// defaults, the scenario's headers, the step's own, those after `again`.
type builder struct {
	method, target string
	header         []exchange.Field
	// dropped are headers that must not be sent, in lower case.
	dropped map[string]bool
	query   [][2]*string
	body    []byte
	hasBody bool
	media   string
	// other is the type that is tried when the first is refused, "" for none.
	other string
	form  [][2]string
	parts []part
	// emptyForm is a form without fields.
	emptyForm bool
	follow    int
	timeout   time.Duration
	copies    int
	retry     *syntax.Retry
	// unsafe says why the target may reach more than what its names stand for.
	unsafe string
	// set are the headers and queries that the current layer has set already.
	set map[string]bool
}

type part struct {
	name, file, media string
	data              []byte
}

func (d *builder) copy() *builder {
	out := *d
	out.header = append([]exchange.Field(nil), d.header...)
	out.query = append([][2]*string(nil), d.query...)
	out.form = append([][2]string(nil), d.form...)
	out.parts = append([]part(nil), d.parts...)
	out.dropped = map[string]bool{}
	for k := range d.dropped {
		out.dropped[k] = true
	}
	return &out
}

// layers works several layers of lines into the request, from the outside in.
// What an inner one drops or says otherwise is not looked up.
func (d *builder) layers(list [][]*syntax.Statement, names *scope.Scope, p *project.Project, f *project.File) error {
	for i, lines := range list {
		over := overridden(list[i+1:])
		if over != nil {
			lines = slices.DeleteFunc(slices.Clone(lines), over)
		}
		if err := d.layer(lines, names, p, f); err != nil {
			return err
		}
	}
	return nil
}

// overridden tells of lines whether an inner layer takes their place; nil where
// none does.
func overridden(inner [][]*syntax.Statement) func(*syntax.Statement) bool {
	headers, auth := map[string]bool{}, false
	for _, lines := range inner {
		for _, st := range lines {
			switch b := st.Body.(type) {
			case *syntax.Header:
				headers[strings.ToLower(b.Name)] = true
			case *syntax.Without:
				headers[strings.ToLower(b.Name)] = true
			case *syntax.Auth:
				auth = true
				headers[strings.ToLower(b.Field())] = true
			}
		}
	}
	if len(headers) == 0 {
		return nil
	}
	return func(st *syntax.Statement) bool {
		switch b := st.Body.(type) {
		case *syntax.Header:
			return headers[strings.ToLower(b.Name)]
		case *syntax.Auth:
			return auth || headers[strings.ToLower(b.Field())]
		}
		return false
	}
}

// layer works request lines into the request.
func (d *builder) layer(lines []*syntax.Statement, names *scope.Scope, p *project.Project, f *project.File) error {
	if len(lines) == 0 {
		return nil
	}
	d.set = map[string]bool{}
	for _, st := range lines {
		if err := d.line(st, names, p, f); err != nil {
			return err
		}
	}
	return nil
}

func (d *builder) setHeader(name, v string) {
	key := strings.ToLower(name)
	if !d.set["h:"+key] {
		d.dropHeader(key)
	}
	d.set["h:"+key] = true
	delete(d.dropped, key)
	d.header = append(d.header, exchange.Field{Name: name, Value: v})
}

func (d *builder) dropHeader(key string) {
	kept := d.header[:0:0]
	for _, h := range d.header {
		if strings.ToLower(h.Name) != key {
			kept = append(kept, h)
		}
	}
	d.header = kept
}

// drop keeps a header, in lower case, from being sent.
func (d *builder) drop(key string) {
	d.dropHeader(key)
	if d.dropped == nil {
		d.dropped = map[string]bool{}
	}
	d.dropped[key] = true
}

func (d *builder) line(st *syntax.Statement, names *scope.Scope, p *project.Project, f *project.File) error {
	switch b := st.Body.(type) {
	case *syntax.Header:
		v, err := names.Text(b.Value)
		if err != nil {
			return err
		}
		d.setHeader(b.Name, v)
	case *syntax.Without:
		d.drop(strings.ToLower(b.Name))
	case *syntax.Query:
		return d.addQuery(&b.Pair, names)
	case *syntax.FormField:
		return d.field(&b.Pair, names)
	case *syntax.JSON, *syntax.Text, *syntax.XML, *syntax.FileBody:
		return d.content(b.(syntax.Bodied), names, p, f)
	case *syntax.PartOf:
		return d.part(b, names, p, f)
	case *syntax.Auth:
		return d.auth(b, names)
	case *syntax.Follow:
		n, err := times("follow", b.N, names)
		d.follow = n
		return err
	case *syntax.Together:
		n, err := times("together", b.N, names)
		d.copies = n
		return err
	case *syntax.Timeout:
		d.timeout = b.For.D
	case *syntax.Retry:
		d.retry = b
	}
	return nil
}

// times is the number of a line that takes one.
func times(word string, n *syntax.Node, names *scope.Scope) (int, error) {
	v, err := names.Value(n)
	if err != nil {
		return 0, err
	}
	i, ok := v.Int()
	if !ok || i < 1 || i > 10_000 {
		return 0, fmt.Errorf("%s takes a whole number from 1 to 10000, not %s", word, v)
	}
	return i, nil
}

// pair works out a name and its value; nil for none.
func pair(b *syntax.Pair, names *scope.Scope) (string, *string, error) {
	n, err := names.Text(b.Name)
	if err != nil || b.Bare {
		return n, nil, err
	}
	v, err := names.Text(b.Value)
	return n, &v, err
}

func (d *builder) field(b *syntax.Pair, names *scope.Scope) error {
	n, v, err := pair(b, names)
	if err != nil {
		return err
	}
	d.resetBody("form")
	d.form = append(d.form, [2]string{n, *v})
	return nil
}

func (d *builder) addQuery(b *syntax.Pair, names *scope.Scope) error {
	n, v, err := pair(b, names)
	if err != nil {
		return err
	}
	if !d.set["q:"+n] {
		d.query = slices.DeleteFunc(slices.Clone(d.query), func(q [2]*string) bool { return *q[0] == n })
	}
	d.set["q:"+n] = true
	d.query = append(d.query, [2]*string{&n, v})
	return nil
}

// resetBody drops the body of an outer layer when this one brings its own.
func (d *builder) resetBody(kind string) {
	if d.set["body:"+kind] {
		return
	}
	d.body, d.hasBody, d.media, d.other, d.form, d.parts, d.emptyForm = nil, false, "", "", nil, nil, false
	d.set["body:"+kind] = true
}

func (d *builder) content(b syntax.Bodied, names *scope.Scope, p *project.Project, f *project.File) error {
	d.resetBody("content")
	d.hasBody = true
	c := b.Sent()
	v, err := names.Value(c.Value)
	if err != nil {
		return err
	}
	switch b.(type) {
	case *syntax.FileBody:
		if d.body, err = p.ReadFile(f, v.Plain()); err != nil {
			return err
		}
		d.media = mediaOf(v.Plain())
	case *syntax.JSON:
		d.body, d.media = []byte(v.JSON()), "application/json"
	case *syntax.XML:
		d.body, d.media = []byte(v.Plain()), "application/xml"
	default:
		d.body, d.media = []byte(v.Plain()), "text/plain; charset=utf-8"
	}
	if c.Media != nil {
		if d.media, err = names.Text(c.Media); err != nil {
			return err
		}
		d.media, d.other, _ = strings.Cut(d.media, " or ")
	}
	if _, json := b.(*syntax.JSON); json {
		return d.fields(v)
	}
	return nil
}

// fields sends a value as XML, where the media type is one of XML's: its one member is
// the root. The members of an object are sent as a form, where the media type is that of one
// (WHATWG URL §5.2, RFC 7578). An array is several fields of one name.
func (d *builder) fields(v *value.Value) error {
	if exchange.IsXML(d.media) {
		text, err := markup.Print(v)
		d.body = []byte(text)
		return err
	}
	kind, _, err := mime.ParseMediaType(d.media)
	if err != nil || kind != "application/x-www-form-urlencoded" && kind != "multipart/form-data" {
		return nil
	}
	if v.Kind != value.Object {
		return fmt.Errorf("a form is made of an object, not of %s", value.Cut(v.String(), 40))
	}
	var pairs [][2]string
	for i, name := range v.Names {
		list := []*value.Value{v.Items[i]}
		if list[0].Kind == value.Array {
			list = list[0].Items
		}
		for _, one := range list {
			if one.Kind == value.Object || one.Kind == value.Array {
				return fmt.Errorf("a form takes texts, and %s is %s", name, value.Cut(one.String(), 40))
			}
			pairs = append(pairs, [2]string{name, one.Plain()})
		}
	}
	d.body, d.hasBody, d.media = nil, false, ""
	if kind == "multipart/form-data" {
		for _, p := range pairs {
			d.parts = append(d.parts, part{name: p[0], data: []byte(p[1])})
		}
		return nil
	}
	d.form = pairs
	d.emptyForm = len(pairs) == 0
	return nil
}

// mediaOf is the media type that a file's extension stands for.
func mediaOf(name string) string {
	switch ext := strings.ToLower(filepath.Ext(name)); ext {
	case ".json":
		return "application/json"
	case ".xml":
		return "application/xml"
	case ".txt":
		return "text/plain; charset=utf-8"
	case ".csv":
		return "text/csv; charset=utf-8"
	default:
		if m := mime.TypeByExtension(ext); m != "" {
			return m
		}
	}
	return "application/octet-stream"
}

func (d *builder) part(b *syntax.PartOf, names *scope.Scope, p *project.Project, f *project.File) error {
	d.resetBody("part")
	one := part{name: b.Name}
	if b.File == nil {
		text, err := names.Text(b.Value)
		if err != nil {
			return err
		}
		one.data = []byte(text)
		d.parts = append(d.parts, one)
		return nil
	}
	name, err := names.Text(b.File.Template)
	if err != nil {
		return err
	}
	if one.data, err = p.ReadFile(f, name); err != nil {
		return err
	}
	one.file, one.media = filepath.Base(name), mediaOf(name)
	if b.Media != nil {
		if one.media, err = names.Text(b.Media); err != nil {
			return err
		}
	}
	d.parts = append(d.parts, one)
	return nil
}

func (d *builder) auth(b *syntax.Auth, names *scope.Scope) error {
	var texts []string
	for _, n := range b.Values {
		v, err := names.Value(n)
		if err != nil {
			return err
		}
		texts = append(texts, v.Plain())
	}
	switch b.Scheme {
	case "none":
		d.drop("authorization")
	case "header":
		d.setHeader(b.Field(), texts[0])
	case "basic":
		// RFC 7617 §2.
		d.setHeader("Authorization", "Basic "+base64.StdEncoding.EncodeToString([]byte(texts[0]+":"+texts[1])))
	default:
		d.setHeader("Authorization", "Bearer "+texts[0])
	}
	return nil
}

// request is the finished request.
func (d *builder) request(base string) (*exchange.Request, error) {
	r := &exchange.Request{Method: d.method, Timeout: d.timeout, Follow: d.follow, Header: d.header}
	r.URL = d.target
	if !strings.HasPrefix(r.URL, "http://") && !strings.HasPrefix(r.URL, "https://") {
		if base == "" {
			return nil, errNoBase
		}
		if !strings.HasPrefix(r.URL, "/") {
			r.URL = "/" + r.URL
		}
		r.URL = join(strings.TrimSuffix(base, "/"), r.URL)
	}
	if len(d.query) > 0 {
		r.URL = addQuery(r.URL, d.query)
	}
	media := d.media
	switch {
	case len(d.parts) > 0:
		var err error
		if r.Body, media, err = d.multipart(); err != nil {
			return nil, err
		}
	case len(d.form) > 0 || d.emptyForm:
		r.Body, media = encodeForm(d.form), "application/x-www-form-urlencoded"
	case d.hasBody:
		r.Body = d.body
		if r.Body == nil {
			r.Body = []byte{}
		}
	}
	if media != "" && !d.dropped["content-type"] && !hasHeader(d.header, "content-type") {
		r.Header = append(append([]exchange.Field(nil), d.header...), exchange.Field{Name: "Content-Type", Value: media})
	}
	return r, nil
}

// join puts a path behind a base URL. A path that begins with the base's own
// path, as a Location does, is one from the root.
func join(base, path string) string {
	scheme, rest, _ := strings.Cut(base, "://")
	host, prefix, deep := strings.Cut(rest, "/")
	if deep && strings.HasPrefix(path, "/"+prefix+"/") {
		return scheme + "://" + host + path
	}
	return base + path
}

func hasHeader(list []exchange.Field, key string) bool {
	for _, h := range list {
		if strings.EqualFold(h.Name, key) {
			return true
		}
	}
	return false
}

func addQuery(target string, pairs [][2]*string) string {
	target, fragment, _ := strings.Cut(target, "#")
	var out []string
	for _, q := range pairs {
		one := queryEscape(*q[0])
		if q[1] != nil {
			one += "=" + queryEscape(*q[1])
		}
		out = append(out, one)
	}
	glue := "?"
	if strings.Contains(target, "?") {
		glue = "&"
		if strings.HasSuffix(target, "?") || strings.HasSuffix(target, "&") {
			glue = ""
		}
	}
	target += glue + strings.Join(out, "&")
	if fragment != "" {
		target += "#" + fragment
	}
	return target
}

func queryEscape(s string) string { return strings.ReplaceAll(url.QueryEscape(s), "+", "%20") }

// encodeForm keeps the order of the lines (WHATWG URL §5.2).
func encodeForm(pairs [][2]string) []byte {
	var out []string
	for _, p := range pairs {
		out = append(out, url.QueryEscape(p[0])+"="+url.QueryEscape(p[1]))
	}
	return []byte(strings.Join(out, "&"))
}

// boundary is fixed, so that the same step sends the same bytes each time.
const boundary = "usualpath-7d1f0c2e9b5a4386"

func (d *builder) multipart() ([]byte, string, error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	mark := boundary
	for n := 0; d.holds(mark); n++ {
		mark = fmt.Sprintf("%s-%d", boundary, n)
	}
	if err := w.SetBoundary(mark); err != nil {
		return nil, "", err
	}
	escape := strings.NewReplacer(`"`, "%22", "\r", "%0D", "\n", "%0A")
	for _, p := range d.parts {
		h := textproto.MIMEHeader{}
		disposition := `form-data; name="` + escape.Replace(p.name) + `"`
		if p.file != "" {
			disposition += `; filename="` + escape.Replace(p.file) + `"`
			h.Set("Content-Type", p.media)
		}
		h.Set("Content-Disposition", disposition)
		out, err := w.CreatePart(h)
		if err != nil {
			return nil, "", err
		}
		if _, err := out.Write(p.data); err != nil {
			return nil, "", err
		}
	}
	if err := w.Close(); err != nil {
		return nil, "", err
	}
	return b.Bytes(), w.FormDataContentType(), nil
}

func (d *builder) holds(mark string) bool {
	for _, p := range d.parts {
		if bytes.Contains(p.data, []byte(mark)) {
			return true
		}
	}
	return false
}

var errNoBase = errors.New("no base URL is known: write base http://127.0.0.1:8080 into the file, or give --base URL")
