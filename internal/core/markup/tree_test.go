package markup

import (
	"context"
	"strings"
	"testing"

	"usualpath/internal/core/value"

	"github.com/antchfx/xpath"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Elements are compared as trees.
func TestTreesOfElements(t *testing.T) {
	for text, want := range map[string]string{
		`<a/>`:                          `""`,
		`<a> x <!-- c --> y </a>`:       `"x y"`,
		`<a b="1" c=""/>`:               `{"@b": "1", "@c": ""}`,
		`<a><b>1</b><b>2</b></a>`:       `{"b": ["1", "2"]}`,
		`<a><b>1</b></a>`:               `{"b": "1"}`,
		`<a b="1">x<c/></a>`:            `{"@b": "1", "c": "", "#text": "x"}`,
		`<n:a xmlns:n="u" n:b="1"/>`:    `{"@b": "1"}`,
		`<a xmlns="u"><b/></a>`:         `{"b": ""}`,
		`<a><![CDATA[<x>]]></a>`:        `"<x>"`,
		"<a>\n  <b>\n x\n</b>\n</a>":    `{"b": "x"}`,
		`<?xml version="1.0"?><a>é</a>`: `"é"`,
	} {
		members, err := Select(context.Background(), []byte(text), xpath.MustCompile("/*"))
		require.NoError(t, err, text)
		require.Len(t, members, 1, text)
		assert.Equal(t, want, members[0].String(), text)
	}
	none, err := Select(context.Background(), []byte("<a/>"), xpath.MustCompile("//b"))
	assert.NoError(t, err)
	assert.Empty(t, none)
	_, err = Select(context.Background(), []byte("<a>"), xpath.MustCompile("//b"))
	assert.Error(t, err)
	attributes, err := Select(context.Background(), []byte(`<a><b c="1"/><b c="2"/></a>`), xpath.MustCompile("//@c"))
	require.NoError(t, err)
	assert.Len(t, attributes, 2)
	_, err = Select(context.Background(), []byte("<a/>"), xpath.MustCompile("count(//a)"))
	assert.ErrorContains(t, err, "selects no elements")
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Select(ended, []byte("<a>"+strings.Repeat("<b><c/></b>", 5000)+"</a>"), xpath.MustCompile("//b[count(//c) > 1]"))
	assert.ErrorIs(t, err, TooFar{})
}

// What Document reads Print writes, and the same is read again.
func TestDocumentsAreWrittenAsTheyAreRead(t *testing.T) {
	for _, text := range []string{`<a/>`, `<a>x</a>`, `<a b="1&quot;" c="&lt;">x<d/><d>2</d><e f="1">y</e></a>`, "<a>é&#x9;ü</a>"} {
		v, err := Document([]byte(text))
		require.NoError(t, err, text)
		out, err := Print(v)
		require.NoError(t, err, text)
		again, err := Document([]byte(out))
		require.NoError(t, err, out)
		assert.Equal(t, v.String(), again.String())
	}
	for text, want := range map[string]string{
		`{"a": {"@b": 1.50, "c": [true, null, {"d": "<"}]}}`: `<a b="1.50"><c>true</c><c><d>&lt;</d></c></a>`,
		`{"urn:a a": {"b": 1}}`:                              `<a xmlns="urn:a"><b>1</b></a>`,
		`{"a": {"@b": null, "c": null}}`:                     `<a></a>`,
		`{"a": 1, "b": 2}`:                                   "", `[1]`: "", `"a"`: "", `{"a": [1]}`: "", `{"@a": 1}`: "", `{"a/b": 1}`: "", `{"a": {"@b": {}}}`: "", `{"a": {"<b>": 1}}`: "",
	} {
		v, err := value.Decode(text, value.Limits{})
		require.NoError(t, err, text)
		out, err := Print(v)
		if want == "" {
			assert.Error(t, err, text)
			continue
		}
		require.NoError(t, err, text)
		assert.Equal(t, `<?xml version="1.0" encoding="UTF-8"?>`+want, out)
	}
}

// Names match whatever prefix the document gives them, unless the XPath has prefixes itself.
func TestPrefixesAreTheDocumentsOwn(t *testing.T) {
	const text = `<n:a xmlns:n="u"><n:b n:c="1"/><b/></n:a>`
	for e, want := range map[string]int{"//b": 2, "/a/b": 2, "/n:a/n:b": 1, "//b/@c": 1, "/a/child::b": 2, "//*[local-name()='b']": 2} {
		members, err := Select(context.Background(), []byte(text), xpath.MustCompile(e))
		require.NoError(t, err, e)
		assert.Len(t, members, want, e)
	}
}

// A document is in one namespace or in several.
func TestNamespaces(t *testing.T) {
	for text, want := range map[string]string{`<a><b c="1"/></a>`: "", `<a xmlns="u"><b/></a>`: "u", `<n:a xmlns:n="u"><n:b/></n:a>`: "u", `<a xmlns="u"><b xmlns=""/></a>`: "mixed", `<n:a xmlns:n="u" n:b="1"/>`: "mixed"} {
		space, mixed := Namespace([]byte(text))
		if mixed {
			space = "mixed"
		}
		assert.Equal(t, want, space, text)
	}
}
