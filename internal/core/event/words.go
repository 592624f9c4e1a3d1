package event

import "fmt"

// Count is a number with the word for what is counted, in English: "1 step",
// "12 steps". The word is in the singular, and takes an s.
func Count(n int, one string) string {
	return fmt.Sprintf("%d %s", n, Word(n, one))
}

// Word is the word for so many, as Count has it.
func Word(n int, one string) string {
	if n == 1 {
		return one
	}
	return one + "s"
}
