package syntax

import "slices"

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
	inResource
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
	"resource":    {inFile, `resource boats`},
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
	"guard":       {inHead, `guard /boats by $.id`},
	"check":       {inHead, `check lifecycle/deleted-is-gone of boats on delete`},
	"step":        {inHead | inStep | inRoutine, `step "title"`},
	"do":          {inHead | inStep | inRoutine, `do "routine"`},
	"give":        {inRoutine, `give name`},
	"when":        {inStep, `when status 200 of "step"`},
	"pause":       {inStep, `pause 200ms`},
	"restart":     {inStep, `restart service`},
	"kill":        {inStep, `kill service`},
	"send":        {inStep, `send GET /path`},
	"expect":      {inStep, `expect status 200`},
	"need":        {inHead | inStep, `need status 2xx`},
	"prefer":      {inStep, `prefer header ETag exists`},
	"keep":        {inStep, `keep name from $.id`},
	"again":       {inStep, `again`},
	"header":      {inHead | inRequest | inDefaults | inEnvironment | inResource, `header Name: value`},
	"without":     {inRequest, `without header Name`},
	"query":       {inRequest, `query name = value`},
	"json":        {inRequest, `json { … }`},
	"text":        {inRequest, `text "…"`},
	"xml":         {inRequest, `xml "…"`},
	"file":        {inRequest, `file "name"`},
	"form":        {inRequest, `form name = value`},
	"part":        {inRequest, `part name = value`},
	"auth":        {inHead | inRequest | inDefaults | inEnvironment | inResource, `auth bearer {token}`},
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
	"collection":  {inResource, `collection /boats`},
	"item":        {inResource, `item /boats/{id}`},
	"members":     {inResource, `members $.boats[*]`},
	"content":     {inResource, `content $.boat`},
	"identity":    {inResource, `identity $.id, identity header Location, or identity chosen "GP{turn}"`},
	"make":        {inResource, `make { "name": "Sand Martin {turn}" }`},
	"remake":      {inResource, `remake { "name": "Sand Martin {turn}" }`},
	"amend":       {inResource, `amend { "flag": "SE" }`},
	"assigned":    {inResource, `assigned id, registered_at`},
	"required":    {inResource, `required name, length_m`},
	"unique":      {inResource, `unique name`},
	"volatile":    {inResource, `volatile $.seen_at`},
	"hidden":      {inResource, `hidden pin`},
	"reads":       {inResource, `reads { "id": integer, ... }`},
	"filter":      {inResource, `filter flag = DK`},
	"paging":      {inResource, `paging limit, offset`},
	"supports":    {inResource, `supports list, create, read, replace, amend, delete`},
	"answers":     {inResource, `answers create 201, repeat delete 404`},
	"under":       {inResource, `under boats`},
	"idempotency": {inResource, `idempotency key`},
	"disposable":  {inResource, `disposable`},
	"skip":        {inResource, `skip input/big-body because "the proxy in front refuses it"`},
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

// under says where the statements below a word stand.
var under = map[string]int{
	"": inFile, "scenario": inHead, "afterwards": inRoutine, "before": inRoutine, "after": inRoutine, "routine": inRoutine,
	"step": inStep, "send": inRequest, "again": inRequest, "defaults": inDefaults, "environment": inEnvironment, "service": inService, "resource": inResource,
}

// KeywordsUnder are the words that may start a statement below one that starts
// with the given word ("" for the file itself), each with how it goes on, in
// alphabetical order.
func KeywordsUnder(word string) [][2]string {
	list := wordsIn(under[word])
	slices.Sort(list)
	var out [][2]string
	for _, w := range list {
		out = append(out, [2]string{w, keywords[w].form})
	}
	return out
}

// Form is how a statement that starts with a word goes on; "" for no keyword.
func Form(word string) string { return keywords[word].form }

// Subjects are the words of what an expectation may be about.
func Subjects() []string { return subjectWords }
