package syntax

// typeWords are the types a shape may name.
var typeWords = map[string]bool{
	"any": true, "string": true, "number": true, "integer": true, "boolean": true, "object": true, "array": true,
	"uuid": true, "datetime": true, "date": true, "time": true, "uri": true, "email": true,
}

var subjectWords = []string{"status", "header", "cookie", "body", "text", "xml", "time", "size", "state", "answer"}

// predicateWords are the first words of predicates, by kind of subject.
var predicateWords = map[string][]string{
	"status": {"same"},
	"header": {"exists", "missing", "is", "contains", "starts", "ends", "matches", "lacks", "lists", "same"},
	"cookie": {"exists", "missing", "is", "contains", "starts", "ends", "matches", "lacks", "same"},
	"path": {"exists", "missing", "is", "<", "<=", ">", ">=", "between", "contains", "starts", "ends", "matches", "lacks",
		"count", "every", "some", "none", "unique", "sorted", "same", "agrees"},
	"body":        {"is", "empty", "json", "covers", "same", "agrees", "resembles", "fits", "leaks"},
	"text":        {"is", "contains", "starts", "ends", "matches", "lacks", "same"},
	"xml":         {"exists", "missing", "is", "count", "contains", "starts", "ends", "matches"},
	"time":        {"under"},
	"size":        {"under"},
	"state":       {"unchanged"},
	"observation": {"unchanged", "gains", "loses", "changes"},
	"answer":      {"missing"},
}

// Subjects are the words of what an expectation may be about.
func Subjects() []string { return subjectWords }
