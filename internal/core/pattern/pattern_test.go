package pattern

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTextsFitAndMiss(t *testing.T) {
	for re, want := range map[string][2]string{
		`^[A-Z]{2}$`: {"AA", "ZZ"}, `^97[89]-\d{10}$`: {"978-0000000000", "979-9999999999"}, `^(red|green)+$`: {"red", "greengreengreen"}, `^a?b*c{2,4}$`: {"cc", "abbbcccc"}, `x`: {"x", "x"},
		`^\p{Lu}.$`: {"Aa", "Za"}, `^[^a-z]$`: {"A", "9"}, `^$`: {"", ""}, `(?i)^ab$`: {"AB", "AB"}, `^\w+@\w+\.example$`: {"a@a.example", "999@999.example"},
	} {
		r := regexp.MustCompile(re)
		short, long, ok := Fit(r)
		assert.True(t, ok, re)
		assert.Equal(t, want, [2]string{short, long}, re)
		for _, m := range Near(r, short) {
			assert.False(t, r.MatchString(m.Text), "%s: %q %s", re, m.Text, m.How)
		}
	}
	assert.Equal(t, []Miss{{"A", "without its last character"}, {"aA", "in the other case"}, {"AAA", "with one character more"}}, Near(regexp.MustCompile(`^[A-Z]{2}$`), "AA"))
	_, _, ok := Fit(regexp.MustCompile(`^a\bb$`))
	assert.False(t, ok)
	assert.Empty(t, Near(regexp.MustCompile(``), "x"), "nothing misses it")
}

func FuzzFit(f *testing.F) {
	for _, seed := range []string{`^[A-Z]{2}$`, `(a|b){2,3}c?`, `[^\x00-\x7f]{1000}`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		re, err := regexp.Compile(text)
		if err != nil {
			t.Skip()
		}
		short, long, ok := Fit(re)
		if !ok {
			return
		}
		for _, s := range []string{short, long} {
			assert.True(t, re.MatchString(s), "%s: %q", text, s)
			for _, m := range Near(re, s) {
				assert.False(t, re.MatchString(m.Text), "%s: %q", text, m.Text)
			}
		}
	})
}
