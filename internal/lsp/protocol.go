package lsp

// The parts of the Language Server Protocol 3.17 that are spoken, by the
// protocol's names.

type position struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

type span struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

type location struct {
	URI   string `json:"uri"`
	Range span   `json:"range"`
}

type identifier struct {
	URI string `json:"uri"`
}

type item struct {
	URI     string `json:"uri"`
	Version int    `json:"version"`
	Text    string `json:"text"`
}

type opened struct {
	TextDocument item `json:"textDocument"`
}

type changed struct {
	TextDocument   item     `json:"textDocument"`
	ContentChanges []change `json:"contentChanges"`
}

// change is a part of a text that is replaced; all of it without a range.
type change struct {
	Range *span  `json:"range"`
	Text  string `json:"text"`
}

type inDocument struct {
	TextDocument identifier `json:"textDocument"`
}

type at struct {
	TextDocument identifier `json:"textDocument"`
	Position     position   `json:"position"`
	NewName      string     `json:"newName"`
	Positions    []position `json:"positions"`
	Range        span       `json:"range"`
	Context      struct {
		IncludeDeclaration bool `json:"includeDeclaration"`
	} `json:"context"`
}

type textEdit struct {
	Range   span   `json:"range"`
	NewText string `json:"newText"`
}

type workspaceEdit struct {
	Changes map[string][]textEdit `json:"changes"`
}

type diagnostic struct {
	Range    span   `json:"range"`
	Severity int    `json:"severity"`
	Source   string `json:"source"`
	Message  string `json:"message"`
}

type published struct {
	URI         string       `json:"uri"`
	Version     int          `json:"version,omitempty"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

type markup struct {
	Kind  string `json:"kind"`
	Value string `json:"value"`
}

type hover struct {
	Contents markup `json:"contents"`
}

// Kinds of completion (CompletionItemKind).
const (
	kindFunction = 3
	kindVariable = 6
	kindUnit     = 11
	kindValue    = 12
	kindKeyword  = 14
)

type completion struct {
	Label         string    `json:"label"`
	Kind          int       `json:"kind"`
	Detail        string    `json:"detail,omitempty"`
	Documentation string    `json:"documentation,omitempty"`
	TextEdit      *textEdit `json:"textEdit,omitempty"`
}

// Kinds of symbol (SymbolKind).
const (
	symbolModule   = 2
	symbolClass    = 5
	symbolMethod   = 6
	symbolFunction = 12
	symbolVariable = 13
	symbolEvent    = 24
)

type symbol struct {
	Name           string   `json:"name"`
	Kind           int      `json:"kind"`
	Range          span     `json:"range"`
	SelectionRange span     `json:"selectionRange"`
	Children       []symbol `json:"children,omitempty"`
}

type folding struct {
	StartLine int `json:"startLine"`
	EndLine   int `json:"endLine"`
}

type command struct {
	Title     string `json:"title"`
	Command   string `json:"command"`
	Arguments []any  `json:"arguments,omitempty"`
}

type lens struct {
	Range   span    `json:"range"`
	Command command `json:"command"`
}

type message struct {
	Type    int    `json:"type"`
	Message string `json:"message"`
}

type highlight struct {
	Range span `json:"range"`
	// Kind is 2 for where it is read, 3 for where it is made (DocumentHighlightKind).
	Kind int `json:"kind"`
}

type link struct {
	Range  span   `json:"range"`
	Target string `json:"target"`
}

type found struct {
	Name     string   `json:"name"`
	Kind     int      `json:"kind"`
	Location location `json:"location"`
}

type selection struct {
	Range  span       `json:"range"`
	Parent *selection `json:"parent,omitempty"`
}

type action struct {
	Title       string        `json:"title"`
	Kind        string        `json:"kind"`
	Edit        workspaceEdit `json:"edit"`
	Diagnostics []diagnostic  `json:"diagnostics,omitempty"`
	IsPreferred bool          `json:"isPreferred,omitempty"`
}

type inlay struct {
	Position    position `json:"position"`
	Label       string   `json:"label"`
	PaddingLeft bool     `json:"paddingLeft,omitempty"`
}
