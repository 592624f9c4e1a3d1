package syntax

import (
	"maps"
	"slices"
)

// typeWords are the types a shape may name.
var typeWords = map[string]bool{
	"any": true, "string": true, "number": true, "integer": true, "boolean": true, "object": true, "array": true,
	"uuid": true, "datetime": true, "date": true, "time": true, "uri": true, "email": true,
}

// Types are the types that a shape may name, in order.
func Types() []string { return slices.Sorted(maps.Keys(typeWords)) }
