package syntax

import (
	"time"

	"usualpath/internal/core/source"
)

// File is a parsed file.
type File struct {
	Source *source.File
	// Statements are those in the first column, in order.
	Statements []*Statement
	// Tail are comments after the last statement.
	Tail []Comment
}

// Statement is one statement with what belongs to it.
type Statement struct {
	Comments
	// Word is the keyword it starts with.
	Word string
	// Span is the statement itself, without its children.
	Span source.Span
	// Body is one of the types below; Children are the statements under it.
	Body     any
	Children []*Statement
}

// The bodies of statements. Fields are nil or empty where the text was wrong;
// then the parser has also given a diagnostic.
type (
	// Use is `use "F"`.
	Use struct{ Path *Node }
	// Let is `let NAME = VALUE` or `let NAME from env VAR [or VALUE]`.
	Let struct {
		Name     string
		NameSpan source.Span
		Value    *Node
		Env      string
		Or       *Node
	}
	// Secret is `secret NAME from env VAR` or `… from file "F"`.
	Secret struct {
		Name     string
		NameSpan source.Span
		Env      string
		File     *Node
	}
	// Base is `base URL`.
	Base struct{ URL *Template }
	// Titled is `scenario`, `step`, with the title it carries.
	Titled struct{ Title *Node }
	// Block is a statement that is only its word: afterwards, defaults, alone.
	Block struct{}
	// Named is `project`, `environment`, `service` with its name.
	Named struct{ Name string }
	// Each is `before each` or `after each`.
	Each struct{}
	// Routine is `routine "title" takes n, m`.
	Routine struct {
		Title *Node
		Takes []NameAt
	}
	// Give is `give NAME, …`.
	Give struct{ Names []NameAt }
	// Do is `do "routine" with n = v, …`.
	Do struct {
		Title *Node
		With  []Binding
	}
	// About is `about "…"`.
	About struct{ Text *Node }
	// Tags is `tags a, b`.
	Tags struct{ Tags []string }
	// Cases is `for each case`, its rows as children, or in a file.
	Cases struct{ In *Node }
	// Row is one case.
	Row struct{ Value *Node }
	// Observe is `observe NAME at PATH in P by P ignoring P, …`.
	Observe struct {
		Name     string
		NameSpan source.Span
		At       *Template
		In, By   *Path
		// Without is the key of a member that is left out.
		Without  *Node
		Ignoring []*Path
		// Paging names the query parameters `paging limit, offset`.
		Paging []string
	}
	// Guard is `guard PATH in P by P paging limit, offset`: a list whose members
	// are not written to when they were there before. Of has no name.
	Guard struct{ Of *Observe }
	// Header is `header N: v`.
	Header struct {
		Name  string
		Value *Template
	}
	// Without is `without header N`.
	Without struct{ Name string }
	// Pair is `query n = v`, `form n = v`, `env N = v`.
	Pair struct {
		Name  *Template
		Value *Template
		// Quoted marks a value in quotes; Bare has no value at all.
		Quoted *Node
		Bare   bool
	}
	// Content is `json V`, `text S`, `xml S` or `file "F"`, with `as MEDIA`.
	Content struct {
		Value *Node
		Media *Template
	}
	// PartOf is `part n = v` or `part n file "F"`.
	PartOf struct {
		Name  string
		Value *Template
		// Quoted is the value when it stands in quotes.
		Quoted *Node
		File   *Node
		Media  *Template
	}
	// Auth is `auth basic "u" "p"` or `auth bearer V`.
	Auth struct {
		Scheme string
		Values []*Node
	}
	// Count is a line with a whole number: follow N, together N.
	Count struct{ N *Node }
	// Wait is a line with a duration: pause, timeout.
	Wait struct{ For Duration }
	// Retry is `retry for D every D`.
	Retry struct{ For, Every Duration }
	// Process is `restart service` or `kill service`.
	Process struct{}
	// Send is `send METHOD TARGET`.
	Send struct {
		Method string
		Target *Template
	}
	// Again is `again` or `again N times`.
	Again struct{ Times *Node }
	// When is `when SUBJECT PREDICATE of "step"`.
	When struct {
		Claim
		Of *Node
	}
	// Expect is `expect …` or `prefer …`.
	Expect struct {
		Claim
		// Quantifier is every, exactly, at least or at most; N its number.
		Quantifier string
		N          *Node
		// When is the condition under which this is expected at all.
		When    *When
		Because *Node
	}
	// Keep is `keep NAME from SOURCE`.
	Keep struct {
		// Every keeps the value of each copy, as a list; IfThere binds nothing
		// when the source has nothing, where else the step would fail.
		Every, IfThere bool
		Name           string
		NameSpan       source.Span
		// From is path, header, cookie, status, body, text or xml.
		From    string
		Path    *Path
		Key     string
		Pattern *Node
	}
	// Check is `check FAMILY/NAME of RESOURCE on OPERATION`: what a scenario
	// proves, and for which cell of the grid.
	Check struct {
		ID, Resource, Operation string
		// Level is must, should or usual.
		Level string
		Span  source.Span
	}
	// Target is a line of a resource that holds a path: collection, item.
	Target struct{ Path *Template }
	// Where is a line of a resource that holds a JSONPath: members, content.
	Where struct{ Path *Path }
	// Identity says how an item is told from others: by a member, by the
	// Location of its create, or by a name that the client chooses.
	Identity struct {
		Path   *Path
		Header string
		Chosen *Node
		// By tells the members of the list apart, where Path does not.
		By *Path
	}
	// Listing is a line of a resource that lists names.
	Listing struct{ Items []*Node }
	// Paths is `volatile $.x, …`.
	Paths struct{ List []*Path }
	// Reads is the shape that a made item reads as.
	Reads struct{ Shape *Node }
	// Answers narrows the statuses that are accepted.
	Answers struct{ List []AnswerFor }
	// Skip leaves a derived check out.
	Skip struct {
		Check   string
		Span    source.Span
		Because *Node
	}
	// Setting is a plain `word rest` line: cookies on, allow HOST.
	Setting struct{ Text *Template }
	// Start is the command of a service.
	Start struct{ Command *Node }
	// Ready is `ready GET /path is 200 within 20s`.
	Ready struct {
		Method string
		Target *Template
		Status []StatusClass
		Within Duration
	}
	// Stop is `stop TERM within 5s`.
	Stop struct {
		Signal string
		Within Duration
	}
)

// AnswerFor is `create 201` of `answers`.
type AnswerFor struct {
	What   string
	Span   source.Span
	Status []StatusClass
}

// NameAt is a name and its place.
type NameAt struct {
	Name string
	Span source.Span
}

// Binding is `n = v`.
type Binding struct {
	NameAt
	Value *Node
}

// Duration is a time as written and as meant.
type Duration struct {
	Raw string
	D   time.Duration
}

// Claim is a subject and what is said of it.
type Claim struct {
	Subject   Subject
	Predicate Predicate
}

// Subject is what an expectation is about.
type Subject struct {
	Span source.Span
	// Kind is status, header, cookie, path, body, text, xml, time, size,
	// state, observation or answer.
	Kind string
	// Name is a header, cookie or observation; an XPath for xml.
	Name string
	Path *Path
}

// Predicate is what is said of a subject.
type Predicate struct {
	Span source.Span
	// Op is the predicate's words joined by blanks: "is", "starts with", …;
	// "status" for a list of statuses.
	Op     string
	Status []StatusClass
	// Shape is for is, is not, every, some, none.
	Shape *Node
	// Values are for contains, lists, covers, between, comparisons, ….
	Values []*Node
	// Compare is <, <=, >, >= or ""; with count and for comparisons.
	Compare string
	Range   *Range
	// By and Descending are for sorted.
	By         *Path
	Descending bool
	Source     *Source
	// Except are the paths left out of a comparison.
	Except []*Path
	// Limit is for under: nanoseconds or bytes.
	Limit    int64
	LimitRaw string
	Effects  []Effect
}

// StatusClass is 201, 2xx, not 5xx or {name}.
type StatusClass struct {
	Not bool
	// Code is a status, or a class when Class is set (2 for 2xx).
	Code  int
	Class bool
	// Ref is a status held by a name.
	Ref  *Node
	Span source.Span
}

// Source is what `same as` compares with.
type Source struct {
	Span source.Span
	// Kind is sent, step, file or baseline.
	Kind string
	// Path narrows a step's answer.
	Path *Path
	// Title is the step or the file.
	Title *Node
}

// Effect is one of unchanged, gains, loses, changes.
type Effect struct {
	Word string
	// Shape is what the one member must look like; a Number node is a count.
	Shape *Node
	// Range is a count that may vary: 0..1.
	Range *Range
}
