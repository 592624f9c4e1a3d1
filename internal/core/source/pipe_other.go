//go:build !unix

package source

const notBlocking = 0

func nobodyReads(error) bool { return false }

// gone is not known here: nothing is removed.
func gone(int) bool { return false }
