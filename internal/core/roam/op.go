package roam

// op is what a move does.
type op int

const (
	opCreate op = iota
	opRead
	opHead
	opList
	opFilter
	opReplace
	// opReturn replaces an item with what was read of it.
	opReturn
	opAmend
	opDelete
	opRestart
	ops
)
