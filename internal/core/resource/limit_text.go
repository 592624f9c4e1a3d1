package resource

import (
	"fmt"
	"strconv"

	"usualpath/internal/core/syntax"
)

func characters(n int) string {
	if n == 1 {
		return "1 character"
	}
	return strconv.Itoa(n) + " characters"
}

// drawn is a random text of n characters: another one at each run.
func drawn(n int) string {
	if n == 0 {
		return `""`
	}
	return fmt.Sprintf(`"{random_text(%d)}"`, n)
}

func edgesOfText(l *syntax.Limits) []limited {
	var out []limited
	if l.Length == nil || l.Pattern != nil {
		return nil
	}
	switch n, ok := whole(l.Length.Lo); {
	case l.Length.Lo == nil:
		out = append(out, limited{says: "empty", text: `""`})
	case ok && n <= longest:
		out = append(out, limited{says: characters(n) + ", the shortest", text: drawn(n)})
	}
	if n, ok := whole(l.Length.Hi); ok && n <= longest {
		out = append(out, limited{says: characters(n) + ", the longest", text: drawn(n)})
		if n > 8 {
			out = append(out, limited{says: characters(n) + " with emoji, the longest", text: fmt.Sprintf(`"{repeat("🚢", %d)}{random_text(8)}"`, n-8), usual: true})
		}
	}
	return out
}

func beyondsOfText(l *syntax.Limits) []limited {
	if l.Pattern != nil {
		return missesOf(l.Pattern.Regexp)
	}
	var out []limited
	if l.Length == nil {
		return nil
	}
	if n, ok := whole(l.Length.Lo); ok && n > 0 && n <= longest {
		out = append(out, limited{says: characters(n-1) + ", one too few", text: drawn(n - 1)})
	}
	if n, ok := whole(l.Length.Hi); ok && n < longest {
		out = append(out, limited{says: characters(n+1) + ", one too many", text: drawn(n + 1)})
	}
	return out
}
