// Package pattern makes texts that a regular expression matches, and texts that
// it misses by one character.
package pattern

import (
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"unicode"
)

// most bounds the texts, in characters: what is longer is no help.
const most = 2000

// Fit gives a short and a long text that the expression matches; false when it
// finds none, as for one that nothing matches.
func Fit(re *regexp.Regexp) (short, long string, ok bool) {
	tree, err := syntax.Parse(re.String(), syntax.Perl)
	if err != nil {
		return "", "", false
	}
	short, long = text(tree, false), text(tree, true)
	switch a, b := re.MatchString(short), re.MatchString(long); {
	case a && b:
		return short, long, true
	case a:
		return short, short, true
	case b:
		return long, long, true
	}
	return "", "", false
}

// text is one that a tree matches: the shortest, or one with a few of all that may
// come again.
func text(t *syntax.Regexp, long bool) string {
	times := func(least, more int) string {
		n := least
		if long {
			n = more
		}
		one := text(t.Sub[0], long)
		if len(one) > 0 {
			n = min(n, most/len(one)+1)
		}
		return strings.Repeat(one, n)
	}
	switch t.Op {
	case syntax.OpLiteral:
		return string(t.Rune)
	case syntax.OpCharClass:
		return string(member(t.Rune, long))
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return "a"
	case syntax.OpCapture:
		return text(t.Sub[0], long)
	case syntax.OpStar:
		return times(0, 3)
	case syntax.OpPlus:
		return times(1, 3)
	case syntax.OpQuest:
		return times(0, 1)
	case syntax.OpRepeat:
		more := t.Max
		if more < 0 {
			more = t.Min + 3
		}
		return times(t.Min, more)
	case syntax.OpConcat:
		var b strings.Builder
		for _, s := range t.Sub {
			if b.Len() < most {
				b.WriteString(text(s, long))
			}
		}
		return b.String()
	case syntax.OpAlternate:
		if long {
			return text(t.Sub[len(t.Sub)-1], long)
		}
		return text(t.Sub[0], long)
	}
	return ""
}

// member is a character of a class, which is pairs of first and last: a plain one
// where there is one.
func member(class []rune, last bool) rune {
	var plain []rune
	for _, r := range "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789" {
		for i := 0; i+1 < len(class); i += 2 {
			if r >= class[i] && r <= class[i+1] {
				plain = append(plain, r)
				break
			}
		}
	}
	switch {
	case len(plain) > 0 && last:
		return plain[len(plain)-1]
	case len(plain) > 0:
		return plain[0]
	case len(class) > 0:
		return class[0]
	}
	return 'a'
}

// Miss is a text that an expression does not match, and how it came about.
type Miss struct{ Text, How string }

// Near are texts that miss an expression by one character, from one that it
// matches: at most three.
func Near(re *regexp.Regexp, fits string) []Miss {
	runes := []rune(fits)
	var out []Miss
	try := func(how string, r []rune) {
		s := string(r)
		if s != fits && len(out) < 3 && !re.MatchString(s) && !slices.ContainsFunc(out, func(m Miss) bool { return m.Text == s }) {
			out = append(out, Miss{s, how})
		}
	}
	if n := len(runes); n > 0 {
		try("without its last character", runes[:n-1])
		at := slices.IndexFunc(runes, unicode.IsLetter)
		if at >= 0 {
			other := slices.Clone(runes)
			other[at] = swapped(other[at])
			try("in the other case", other)
		}
		try("with one character more", append(slices.Clone(runes), runes[n-1]))
		for _, by := range []rune{'!', 'é', ' '} {
			other := slices.Clone(runes)
			other[n/2] = by
			try("with a character that is not allowed", other)
		}
	}
	try("with a blank behind it", append(slices.Clone(runes), ' '))
	return out
}

func swapped(r rune) rune {
	if unicode.IsUpper(r) {
		return unicode.ToLower(r)
	}
	return unicode.ToUpper(r)
}
