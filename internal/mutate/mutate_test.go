package main

import (
	"context"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// Each site of a package falls, survives, or is never reached.
func TestWhatBecomesOfMutants(t *testing.T) {
	list, err := packages.Load(&packages.Config{Mode: packages.LoadSyntax}, "./testdata/gull")
	require.NoError(t, err)
	b, err := prepare(context.Background(), list[0], t.TempDir())
	require.NoError(t, err)
	got := map[string]fate{}
	left := b.all(context.Background(), time.Time{}, func(s *site, is fate) { got[s.name()] = is })
	assert.Zero(t, left)
	assert.Equal(t, map[string]fate{
		"gull.go Flies: && and || swapped: degrees > 10 && !windy": killed,
		"gull.go Flies: negated: degrees > 10":                     killed,
		"gull.go Flies: bound moved: degrees > 10":                 survived,
		"gull.go Flies: negated: !windy":                           killed,
		"gull.go Flies: zero returned: return true":                killed,
		`gull.go Never: zero returned: return "never"`:             unreached,
	}, got)
	assert.Equal(t, len(b.sites), b.all(context.Background(), time.Now().Add(-time.Second), func(*site, fate) { t.Fail() }), "the time is over")
}

func TestReasons(t *testing.T) {
	got, err := reasons("# a list\n\nvalue a.go F: dropped: x\n  it is\n  the same\nmask b.go G: negated: y\n  so too\n")
	require.NoError(t, err)
	assert.Equal(t, map[string]map[string]string{"value": {"a.go F: dropped: x": "it is the same "}, "mask": {"b.go G: negated: y": "so too "}}, got)
	_, err = reasons("  no mutant\n")
	assert.ErrorContains(t, err, "equivalent.txt:1")
	_, err = reasons("alone\n")
	assert.ErrorContains(t, err, "not PACKAGE NAME")
	_, err = reasons(equivalent)
	assert.NoError(t, err)
}

func TestWhichPackages(t *testing.T) {
	assert.Equal(t, judging, chosen(0, time.Now()))
	some := chosen(1, time.Now())
	assert.NotEmpty(t, some)
	for _, name := range some {
		assert.True(t, slices.Contains(judging, name))
	}
}
