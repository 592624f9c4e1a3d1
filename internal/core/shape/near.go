package shape

import (
	"fmt"
	"time"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Near tells whether a value is within a distance of another: numbers exactly,
// times (RFC 3339 §5.6) as instants, dates as days. kind is false for a value
// that has no distance to the other. The error is one of what was written.
func Near(b *syntax.Within, v *value.Value, names *scope.Scope) (near, kind bool, err error) {
	of, err := names.Value(b.Of)
	if err != nil {
		return false, false, err
	}
	distance := b.Duration.D
	if b.Number != nil {
		by, err := names.Value(b.Number)
		if err != nil {
			return false, false, err
		}
		d, wrong := syntax.ParseDuration(by.Plain())
		switch {
		case by.Kind == value.Number:
			return nearNumber(by, of, v)
		case by.Kind != value.String || wrong != nil:
			return false, false, fmt.Errorf("%s is neither a number nor a duration", value.Cut(by.String(), 60))
		}
		distance = d
	}
	at, layout, err := instant(of)
	if err != nil {
		return false, false, err
	}
	got, err := time.Parse(layout, stamp(v.Plain()))
	if err != nil || v.Kind != value.String {
		return false, false, nil
	}
	return got.Sub(at).Abs() <= distance, true, nil
}

// instant is the time or date that a value says, with its layout.
func instant(v *value.Value) (time.Time, string, error) {
	for _, layout := range []string{time.RFC3339Nano, time.DateOnly} {
		if t, err := time.Parse(layout, stamp(v.Plain())); err == nil {
			return t, layout, nil
		}
	}
	return time.Time{}, "", fmt.Errorf("%s is neither a time of RFC 3339 nor a date", value.Cut(v.String(), 60))
}

// Compared is the order of a time or date and another, which are of one kind.
func Compared(v, bound *value.Value) (order int, kind bool, err error) {
	want, layout, err := instant(bound)
	if err != nil {
		return 0, false, err
	}
	got, err := time.Parse(layout, stamp(v.Plain()))
	if err != nil || v.Kind != value.String {
		return 0, false, nil
	}
	return got.Compare(want), true, nil
}

func nearNumber(by, of, v *value.Value) (near, kind bool, err error) {
	if of.Kind != value.Number {
		return false, false, fmt.Errorf("%s is not a number, and %s is a distance of numbers", value.Cut(of.String(), 60), by.Text)
	}
	low, err := value.Add(of.Text, by.Text, true)
	if err != nil {
		return false, false, err
	}
	high, err := value.Add(of.Text, by.Text, false)
	if err != nil {
		return false, false, err
	}
	if v.Kind != value.Number {
		return false, false, nil
	}
	return value.CompareNumbers(v.Text, low) >= 0 && value.CompareNumbers(v.Text, high) <= 0, true, nil
}
