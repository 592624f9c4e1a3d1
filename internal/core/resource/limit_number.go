package resource

import (
	"math/big"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// stepOf is how far the next decimal is from a bound.
func stepOf(bound string, integer bool) string {
	if integer {
		return "1"
	}
	_, fraction, _ := strings.Cut(bound, ".")
	return "0." + strings.Repeat("0", len(strings.TrimRight(fraction, "0"))) + "1"
}

// next is the number one step from a bound; false where it cannot be worked out.
func next(bound *syntax.Node, integer, down bool) (string, bool) {
	if bound == nil || bound.Kind != syntax.Number || strings.ContainsAny(bound.Text, "eE") {
		return "", false
	}
	sum, err := value.Add(bound.Text, stepOf(bound.Text, integer), down)
	return sum, err == nil
}

// exact is how far doubles hold whole numbers exactly: 2^53.
var exact = big.NewInt(1 << 53)

func edgesOfNumber(l *syntax.Limits, integer bool) []limited {
	var out []limited
	end := func(n *syntax.Node, open, low bool) {
		if n == nil || n.Kind != syntax.Number {
			return
		}
		says := "the smallest"
		if !low {
			says = "the largest"
		}
		text := n.Text
		if open {
			var ok bool
			if text, ok = next(n, integer, !low); !ok {
				return
			}
			says = "the next to the limit"
		}
		out = append(out, limited{says: text + ", " + says, text: text})
	}
	if r := l.Range; r != nil {
		end(r.Lo, r.LoOpen, true)
		end(r.Hi, r.HiOpen, false)
	}
	out = append(out, limited{says: "-0", text: "-0", usual: true})
	if integer {
		more := new(big.Int).Add(exact, big.NewInt(1)).String()
		out = append(out, limited{says: more + ", which doubles do not hold", text: more, usual: true})
	}
	return out
}

func beyondsOfNumber(l *syntax.Limits, integer bool) []limited {
	var out []limited
	end := func(n *syntax.Node, open, low bool) {
		if n == nil || n.Kind != syntax.Number {
			return
		}
		says := "too small"
		if !low {
			says = "too large"
		}
		text, ok := n.Text, true
		if !open {
			text, ok = next(n, integer, low)
		}
		if ok {
			out = append(out, limited{says: text + ", one step " + says, text: text})
		}
	}
	lo := "0"
	if r := l.Range; r != nil {
		end(r.Lo, r.LoOpen, true)
		end(r.Hi, r.HiOpen, false)
		if r.Lo != nil && r.Lo.Kind == syntax.Number && !strings.ContainsAny(r.Lo.Text, ".eE") {
			lo = r.Lo.Text
		}
	}
	if half, err := value.Add(lo, "0.5", false); err == nil && integer {
		out = append(out, limited{says: half + ", which is not a whole number", text: half})
	}
	return out
}
