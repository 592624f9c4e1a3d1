package syntax

import (
	"cmp"
	"slices"
	"strings"
)

// Place is where statements are: a set of them.
type Place int

// The places.
const (
	InFile Place = 1 << iota
	InHead
	InStep
	InRequest
	InDefaults
	InEnvironment
	InService
	InRoutine
	InResource
	InAlso
)

// Role is what a statement is in its step.
type Role int

// The roles. Those of RoleOpening come before the request, those of RoleDetail
// below it, those of RoleClaim are about its answer.
const (
	roleNone Role = iota
	roleOpening
	roleSend
	roleDetail
	roleClaim
	roleAgain
	// roleStep opens a step, RoleCall replaces one.
	roleStep
	roleCall
	// roleFree stands anywhere in a step or behind one.
	roleFree
)

// Body is what follows a statement's word. Every form has a type of its own
// that reads, prints and walks itself.
type Body interface {
	// read takes what follows the word.
	read(p *parser)
	// print writes what follows the word.
	print(l *layout)
	// walk visits the expressions, in the order in which they are worked out.
	walk(w walker)
}

// binder is a body that binds names, and adds them to those it is given.
type binder interface {
	binds(out []NameAt) []NameAt
}

// Form is one form of the language: all that is to be known of a statement.
type Form struct {
	// Word is what it begins with. One word may begin several forms, each with
	// places of its own.
	Word string
	In   Place
	// Below is where the statements below it are; 0 for none.
	Below Place
	Role  Role
	// Usage is how it goes on, with words in capitals for what is put there; Help
	// says in a sentence what it does; Example is a line that runs as it is.
	Usage, Help, Example string
	// Apart sets it off by blank lines; Aligned has the words below it in a column.
	Apart, Aligned bool

	body func() Body
}

// forms are all of them, by word. Each is added by the file that holds it.
var forms = map[string][]*Form{}

// form adds a form to the table.
func form(f Form, body func() Body) *Form {
	f.body = body
	forms[f.Word] = append(forms[f.Word], &f)
	return &f
}

// lookup is the form of a word at a place: where none is allowed there, the
// first; nil for no keyword.
func lookup(word string, at Place) *Form {
	list := forms[word]
	for _, f := range list {
		if f.In&at != 0 {
			return f
		}
	}
	if len(list) == 0 {
		return nil
	}
	return list[0]
}

// Forms are all forms of the language, by word and place.
func Forms() []*Form {
	var out []*Form
	for _, list := range forms {
		out = append(out, list...)
	}
	slices.SortFunc(out, func(a, b *Form) int { return cmp.Or(strings.Compare(a.Word, b.Word), int(a.In)-int(b.In)) })
	return out
}

// Keywords are the words that begin statements, in order.
func Keywords() []string {
	var out []string
	for w := range forms {
		out = append(out, w)
	}
	slices.Sort(out)
	return out
}

func wordsIn(where Place) []string {
	var out []string
	for _, f := range Forms() {
		if f.In&where != 0 {
			out = append(out, f.Word)
		}
	}
	return slices.Compact(out)
}

// FormsUnder are the forms that may be below a statement with the given
// word, or in a file for "".
func FormsUnder(word string) []*Form {
	where := InFile
	if word != "" {
		where = 0
		for _, f := range forms[word] {
			where |= f.Below
		}
	}
	return slices.DeleteFunc(Forms(), func(f *Form) bool { return f.In&where == 0 })
}

// FormsOf are the forms that begin with a word; none for no keyword.
func FormsOf(word string) []*Form { return forms[word] }
