package bound

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestDocumentsAreBounded(t *testing.T) {
	aliases, merges := "a0: &a0 [1, 2]\n", "m0: &m0 {a: 1}\n"
	for i := 1; i < 40; i++ {
		aliases += fmt.Sprintf("a%d: &a%d [*a%d, *a%d]\n", i, i, i-1, i-1)
		merges += fmt.Sprintf("m%d: &m%d\n  <<: [*m%d, *m%d]\n", i, i, i-1, i-1)
	}
	for text, says := range map[string]string{
		aliases: "once its aliases are written out", merges: "once its aliases are written out",
		strings.Repeat("[", 600) + strings.Repeat("]", 600): "deeper than 500",
		"a:\n" + strings.Repeat(" ", 2000) + "b: 1\n":       "deeper than 500",
		"{\"a\": \"" + strings.Repeat("[", 600) + "\"}":     "",
		"a: &a 1\nb: *a\n": "",
		"a: \"it's\"\nb: '\"'\nc: [1]\n" + strings.Repeat("d: [1]\n", 600): "",
		"": "", "{": "", "a: &a [*a]\n": "",
	} {
		err := Document([]byte(text))
		if says == "" {
			assert.NoError(t, err, text[:min(40, len(text))])
			continue
		}
		assert.ErrorContains(t, err, says, text[:min(40, len(text))])
	}
}

func TestEveryBoundIsWidened(t *testing.T) {
	defer Widen(1)
	for n, says := range map[int]string{0: "4,000,000 3s 64 MiB 1,000,000", 1: "4,000,000 3s 64 MiB 1,000,000", Most: "400,000,000 5m0s 6400 MiB 100,000,000"} {
		Widen(n)
		assert.Equal(t, says, Millions(Nodes())+" "+Patience().Round(time.Second).String()+" "+MiB(Text())+" "+Millions(Values()))
	}
}
