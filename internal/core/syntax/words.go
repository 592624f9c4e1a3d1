package syntax

// Where a statement may stand.
const (
	inFile = 1 << iota
	inHead
	inStep
	inRequest
	inDefaults
	inEnvironment
	inService
	inRoutine
)

// keyword says where a statement may stand and, in a few words, how it goes on.
type keyword struct {
	where int
	form  string
}

// keywords are all the words that start a statement.
var keywords = map[string]keyword{
	"use":         {inFile, `use "other.upath"`},
	"let":         {inFile | inHead | inStep | inEnvironment, `let name = value`},
	"secret":      {inFile | inEnvironment, `secret name from env VARIABLE`},
	"base":        {inFile | inEnvironment, `base http://127.0.0.1:8080`},
	"scenario":    {inFile, `scenario "title"`},
	"afterwards":  {inFile, `afterwards`},
	"before":      {inFile, `before each`},
	"after":       {inFile, `after each`},
	"routine":     {inFile, `routine "title" takes name, …`},
	"project":     {inFile, `project name`},
	"defaults":    {inFile, `defaults`},
	"environment": {inFile, `environment name`},
	"service":     {inFile, `service name`},
	"about":       {inHead, `about "text"`},
	"tags":        {inHead, `tags one, two`},
	"for":         {inHead, `for each case`},
	"observe":     {inFile | inHead, `observe name at /path by $.id`},
	"alone":       {inHead, `alone`},
	"step":        {inHead | inStep | inRoutine, `step "title"`},
	"do":          {inHead | inStep | inRoutine, `do "routine"`},
	"give":        {inRoutine, `give name`},
	"when":        {inStep, `when status 200 of "step"`},
	"pause":       {inStep, `pause 200ms`},
	"restart":     {inStep, `restart service`},
	"kill":        {inStep, `kill service`},
	"send":        {inStep, `send GET /path`},
	"expect":      {inStep, `expect status 200`},
	"prefer":      {inStep, `prefer header ETag exists`},
	"keep":        {inStep, `keep name from $.id`},
	"again":       {inStep, `again`},
	"header":      {inHead | inRequest | inDefaults | inEnvironment, `header Name: value`},
	"without":     {inRequest, `without header Name`},
	"query":       {inRequest, `query name = value`},
	"json":        {inRequest, `json { … }`},
	"text":        {inRequest, `text "…"`},
	"xml":         {inRequest, `xml "…"`},
	"file":        {inRequest, `file "name"`},
	"form":        {inRequest, `form name = value`},
	"part":        {inRequest, `part name = value`},
	"auth":        {inRequest | inDefaults | inEnvironment, `auth bearer {token}`},
	"follow":      {inRequest, `follow 3`},
	"timeout":     {inRequest | inDefaults | inEnvironment, `timeout 5s`},
	"together":    {inRequest, `together 8`},
	"retry":       {inRequest, `retry for 5s every 200ms`},
	"cookies":     {inDefaults, `cookies on`},
	"allow":       {inEnvironment, `allow host`},
	"start":       {inService, `start "command --listen 127.0.0.1:{port}"`},
	"env":         {inService, `env NAME = "value"`},
	"ready":       {inService, `ready GET /path is 200 within 20s`},
	"stop":        {inService, `stop TERM within 5s`},
	"watch":       {inService, `watch "folder"`},
}

func wordsIn(where int) []string {
	var out []string
	for w, k := range keywords {
		if k.where&where != 0 {
			out = append(out, w)
		}
	}
	return out
}

// typeWords are the types a shape may name.
var typeWords = map[string]bool{
	"any": true, "string": true, "number": true, "integer": true, "boolean": true, "object": true, "array": true,
	"uuid": true, "datetime": true, "date": true, "time": true, "uri": true, "email": true,
}

var subjectWords = []string{"status", "header", "cookie", "body", "text", "xml", "time", "size", "state", "answer"}

// predicateWords are the first words of predicates, by kind of subject.
var predicateWords = map[string][]string{
	"status": {"same"},
	"header": {"exists", "missing", "is", "contains", "starts", "ends", "matches", "lists", "same"},
	"cookie": {"exists", "missing", "is", "contains", "starts", "ends", "matches", "same"},
	"path": {"exists", "missing", "is", "<", "<=", ">", ">=", "between", "contains", "starts", "ends", "matches",
		"count", "every", "some", "none", "unique", "sorted", "same"},
	"body":        {"is", "empty", "json", "covers", "same", "fits", "leaks"},
	"text":        {"is", "contains", "starts", "ends", "matches", "same"},
	"xml":         {"exists", "missing", "is", "count", "contains", "starts", "ends", "matches"},
	"time":        {"under"},
	"size":        {"under"},
	"state":       {"unchanged"},
	"observation": {"unchanged", "gains", "loses", "changes"},
	"answer":      {"missing"},
}
