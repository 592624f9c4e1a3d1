package report

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What may turn or hide text is escaped in JSON, and means the same.
func TestEscapedJSON(t *testing.T) {
	for text, want := range map[string]string{
		"plain":            `"plain"`,
		"ærlig 🚢":          `"ærlig 🚢"`,
		"a\u202eb":         `"a\u202eb"`,
		"\u0085\u009b31m":  `"\u0085\u009b31m"`,
		"\u2066x\u2069":    `"\u2066x\u2069"`,
		"\U000e0041":       `"\udb40\udc41"`,
		"zero\u200bwidth":  `"zero\u200bwidth"`,
		"\u061c":           `"\u061c"`,
		"line\u2028feed\n": `"line\u2028feed\n"`,
	} {
		data, err := json.Marshal(text)
		require.NoError(t, err)
		got := Escaped(data)
		assert.Equal(t, want, string(got))
		var back string
		require.NoError(t, json.Unmarshal(got, &back))
		assert.Equal(t, text, back)
	}
}
