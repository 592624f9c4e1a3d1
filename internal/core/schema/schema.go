// Package schema holds values against JSON Schema documents (2020-12, 2019-09,
// draft 7, 6 and 4). References lead nowhere outside the document.
package schema

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"usualpath/internal/core/value"
)

// Schema is a compiled document.
type Schema struct {
	compiled *jsonschema.Schema
	pace     *pace
	one      sync.Mutex // the pace is that of one value at a time
}

// closed refuses to load anything, so that no reference reaches out.
type closed struct{}

func (closed) Load(url string) (any, error) {
	return nil, fmt.Errorf("a reference leads to %s; only references inside the document are followed", url)
}

// Compile reads a schema document. The error says what is not a schema in it.
func Compile(name, text string) (*Schema, error) {
	v, err := value.Decode(text, value.Limits{})
	if err != nil {
		return nil, err
	}
	// What is wrong with a document is told best without the pace in it.
	if _, err := compile(name, v, nil); err != nil {
		return nil, err
	}
	steps := &pace{}
	s, err := compile(name, v, steps)
	if err != nil {
		return nil, err
	}
	return &Schema{compiled: s, pace: steps}, nil
}

func compile(name string, v *value.Value, steps *pace) (*jsonschema.Schema, error) {
	c := jsonschema.NewCompiler()
	c.UseLoader(closed{})
	c.AssertFormat()
	if steps != nil {
		steps.join(c)
	}
	url := "file:///" + name
	if err := c.AddResource(url, plain(v)); err != nil {
		return nil, tidy(err)
	}
	s, err := c.Compile(url)
	if err != nil {
		return nil, tidy(err)
	}
	return s, nil
}

func tidy(err error) error {
	text := strings.ReplaceAll(err.Error(), "file:///", "")
	return fmt.Errorf("%s", strings.Join(strings.Fields(text), " "))
}

// plain is a value as the library wants it; numbers keep their digits.
func plain(v *value.Value) any {
	switch v.Kind {
	case value.Bool:
		return v.Bool
	case value.Number:
		return json.Number(v.Text)
	case value.String:
		return v.Text
	case value.Array:
		out := make([]any, len(v.Items))
		for i, it := range v.Items {
			out[i] = plain(it)
		}
		return out
	case value.Object:
		out := make(map[string]any, len(v.Items))
		for i, it := range v.Items {
			out[v.Names[i]] = plain(it)
		}
		return out
	}
	return nil
}

// Check gives the places at which a value does not fit, as lines for people,
// sorted; none when it fits. It is an error when that cannot be told within
// bound.Patience, or the context has ended. Values wait for each other.
func (s *Schema) Check(ctx context.Context, v *value.Value) (found []string, err error) {
	s.one.Lock()
	defer s.one.Unlock()
	s.pace.begin(ctx)
	defer func() {
		if p := recover(); p != nil {
			if p != any(tooLong{}) {
				panic(p)
			}
			found, err = nil, tooLong{}
		}
	}()
	return s.check(v), nil
}

func (s *Schema) check(v *value.Value) []string {
	err := s.compiled.Validate(plain(v))
	if err == nil {
		return nil
	}
	ve, ok := err.(*jsonschema.ValidationError)
	if !ok {
		return []string{err.Error()}
	}
	var all []misfit
	collect(ve, v, &all)
	slices.SortFunc(all, func(a, b misfit) int {
		return cmp.Or(slices.CompareFunc(a.at, b.at, inOrder), strings.Compare(a.text, b.text))
	})
	out := make([]string, len(all))
	for i, one := range all {
		out[i] = one.text
	}
	return out
}

var printer = message.NewPrinter(language.English)

// misfit is a place in a value that does not fit.
type misfit struct {
	at   []string
	text string
}

// inOrder sorts members by name and elements by number.
func inOrder(a, b string) int {
	n, err1 := strconv.Atoi(a)
	m, err2 := strconv.Atoi(b)
	if errors.Join(err1, err2) == nil {
		return cmp.Compare(n, m)
	}
	return strings.Compare(a, b)
}

func collect(e *jsonschema.ValidationError, v *value.Value, out *[]misfit) {
	if len(e.Causes) > 0 {
		for _, c := range e.Causes {
			collect(c, v, out)
		}
		return
	}
	text := e.ErrorKind.LocalizedString(printer)
	if _, false := e.ErrorKind.(*kind.FalseSchema); false {
		text = "is not allowed by the schema"
	}
	*out = append(*out, misfit{e.InstanceLocation, place(v, e.InstanceLocation) + " " + text})
}

// place is the path of what stands in a value at a location.
func place(v *value.Value, location []string) string {
	var at *value.Path
	for _, part := range location {
		n, err := strconv.Atoi(part)
		switch {
		case v != nil && v.Kind == value.Array && err == nil && n >= 0 && n < len(v.Items):
			at, v = at.Element(n), v.Items[n]
		default:
			at = at.Member(part)
			if v != nil {
				v, _ = v.Get(part)
			}
		}
	}
	if at == nil {
		return "$"
	}
	return at.String()
}
