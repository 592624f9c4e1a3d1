package value

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

// decimal is a number literal taken apart: ±0.DIGITS × 10^exp, the digits
// without zeros at either end. Zero has no digits.
type decimal struct {
	negative bool
	digits   string
	exp      int64
	// far is set instead of exp when the exponent does not fit.
	far *big.Int
}

func takeApart(literal string) decimal {
	var d decimal
	s := literal
	if strings.HasPrefix(s, "-") {
		d.negative, s = true, s[1:]
	}
	written := ""
	if i := strings.IndexAny(s, "eE"); i >= 0 {
		s, written = s[:i], strings.TrimPrefix(s[i+1:], "+")
	}
	whole, fraction, _ := strings.Cut(s, ".")
	digits := whole
	if fraction != "" {
		digits = whole + fraction
	}
	d.exp = int64(len(whole))
	trimmed := strings.TrimLeft(digits, "0")
	d.exp -= int64(len(digits) - len(trimmed))
	d.digits = strings.TrimRight(trimmed, "0")
	if d.digits == "" {
		return decimal{}
	}
	if written != "" {
		n, err := strconv.ParseInt(written, 10, 64)
		if err != nil || n > 1<<61 || n < -(1<<61) {
			far, _ := new(big.Int).SetString(written, 10)
			d.far = far.Add(far, big.NewInt(d.exp))
		} else {
			d.exp += n
		}
	}
	return d
}

func (d decimal) sign() int {
	switch {
	case d.digits == "":
		return 0
	case d.negative:
		return -1
	}
	return 1
}

func (d decimal) compareExp(other decimal) int {
	if d.far == nil && other.far == nil {
		switch {
		case d.exp < other.exp:
			return -1
		case d.exp > other.exp:
			return 1
		}
		return 0
	}
	a, b := d.far, other.far
	if a == nil {
		a = big.NewInt(d.exp)
	}
	if b == nil {
		b = big.NewInt(other.exp)
	}
	return a.Cmp(b)
}

// CompareNumbers orders two JSON number literals as the decimals they are:
// -1, 0 or 1. Any number of digits, any exponent; 1.0, 1 and 1e0 are equal,
// and so are 0 and -0.
func CompareNumbers(a, b string) int {
	if a == b {
		return 0
	}
	x, y := takeApart(a), takeApart(b)
	if x.sign() != y.sign() {
		if x.sign() < y.sign() {
			return -1
		}
		return 1
	}
	c := x.compareExp(y)
	if c == 0 {
		c = strings.Compare(x.digits, y.digits)
	}
	return c * x.sign()
}

func isInteger(literal string) bool {
	d := takeApart(literal)
	if d.digits == "" {
		return true
	}
	if d.far != nil {
		return d.far.Sign() > 0
	}
	return d.exp >= int64(len(d.digits))
}

// PlainInteger is an integer literal without point or exponent, or the
// literal unchanged when it is not an integer or would be longer than 1,000 digits.
func PlainInteger(literal string) string {
	d := takeApart(literal)
	if d.digits == "" {
		return "0"
	}
	if d.far != nil || d.exp > 1000 || d.exp < int64(len(d.digits)) {
		return literal
	}
	s := d.digits + strings.Repeat("0", int(d.exp)-len(d.digits))
	if d.negative {
		return "-" + s
	}
	return s
}

// maxDigits bounds the digits of a sum: 1e999999999 + 1 is refused, not built.
const maxDigits = 200_000

// Add sums two number literals exactly; with minus it subtracts b. It keeps as
// many decimal places as the longer of the two has. It is an error when a
// literal has more than 200,000 digits, or as large an exponent.
func Add(a, b string, minus bool) (string, error) {
	x, xPlaces, err := scaled(a)
	if err != nil {
		return "", err
	}
	y, yPlaces, err := scaled(b)
	if err != nil {
		return "", err
	}
	places := max(xPlaces, yPlaces)
	raise(x, places-xPlaces)
	raise(y, places-yPlaces)
	if minus {
		y.Neg(y)
	}
	x.Add(x, y)
	raise(x, -places)
	return point(x, places), nil
}

// scaled is a literal as n × 10^-places; places are negative where an exponent
// stands for zeros.
func scaled(literal string) (n *big.Int, places int, err error) {
	d := takeApart(literal)
	if d.far != nil || d.exp > maxDigits || d.exp < -maxDigits || len(d.digits) > maxDigits {
		return nil, 0, fmt.Errorf("%s is too large or too precise to calculate with", Cut(literal, 40))
	}
	mantissa, exponent, _ := strings.Cut(strings.ToLower(literal), "e")
	whole, fraction, _ := strings.Cut(mantissa, ".")
	n, _ = new(big.Int).SetString(whole+fraction, 10)
	if d.digits == "" {
		return n, min(len(fraction), maxDigits), nil
	}
	written, _ := strconv.Atoi(exponent)
	return n, len(fraction) - written, nil
}

// raise multiplies by 10^by; nothing is done when by is not above zero.
func raise(n *big.Int, by int) {
	if by > 0 {
		n.Mul(n, new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(by)), nil))
	}
}

// point writes n × 10^-places without an exponent.
func point(n *big.Int, places int) string {
	digits := n.String()
	if places <= 0 {
		return digits
	}
	sign := ""
	if n.Sign() < 0 {
		sign, digits = "-", digits[1:]
	}
	if missing := places + 1 - len(digits); missing > 0 {
		digits = strings.Repeat("0", missing) + digits
	}
	at := len(digits) - places
	return sign + digits[:at] + "." + digits[at:]
}

// Cut shortens a text to about n characters for a message, keeping both ends.
func Cut(s string, n int) string {
	r := []rune(s)
	if len(r) <= n {
		return s
	}
	head := n * 2 / 3
	return string(r[:head]) + "…" + string(r[len(r)-(n-head-1):])
}
