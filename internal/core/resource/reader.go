package resource

import (
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// reader reads one statement and gathers what is wrong with it.
type reader struct {
	p     *project.Project
	f     *project.File
	r     *Resource
	diags source.Diagnostics
	// named is the identity as it is written in XML.
	named string
	under *syntax.Statement
	// identified is set once a first `identity` was read.
	identified bool
	// at is where each line of the statement is, by its word.
	at map[string]source.Span
}

// span is where a line is; the statement's place when it is not written.
func (rd *reader) span(word string) source.Span {
	if at, ok := rd.at[word]; ok {
		return at
	}
	return rd.r.Statement.Span
}

func (rd *reader) say(at source.Span, message, hint string) {
	rd.diags = append(rd.diags, source.Diagnostic{File: rd.f.Source, Span: at, Message: message, Hint: hint})
}

func wordSpan(st *syntax.Statement) source.Span {
	return source.Span{Start: st.Span.Start, End: st.Span.Start + len(st.Word)}
}

// lineOf is a statement as written in its file, without its comment.
func lineOf(f *project.File, st *syntax.Statement) string {
	return strings.Join(strings.Fields(f.Source.Text[st.Span.Start:st.Span.End]), " ")
}

func (rd *reader) example(b *syntax.Content) *Example {
	e := &Example{Text: syntax.OneLine(b.Value)}
	if b.Media != nil {
		e.Media = b.Media.Raw
	}
	if n := rd.object(b.Value); n != nil {
		e.Text = syntax.OneLine(n)
		e.Fields = rd.fieldsOf(n)
	}
	return e
}

// fieldsOf are the members of an object as it is written.
func (rd *reader) fieldsOf(n *syntax.Node) (out []Field) {
	for _, f := range n.Fields {
		name, _ := f.Key.Template.Plain()
		out = append(out, Field{name, syntax.OneLine(f.Value), rd.kind(f.Value), rd.resolve(f.Value)})
	}
	return out
}

// object is the object that a value is, also one that a `let` names.
func (rd *reader) object(n *syntax.Node) *syntax.Node {
	n = rd.resolve(n)
	if n.Kind == syntax.Object {
		return n
	}
	return nil
}

// resolve is what a plain {name} of a `let` stands for.
func (rd *reader) resolve(n *syntax.Node) *syntax.Node {
	if n.Kind != syntax.Ref || n.Expr.Op != 0 || n.Expr.Call || len(n.Expr.Access) > 0 || n.Expr.Literal != nil {
		return n
	}
	for _, l := range rd.p.Layers(rd.f) {
		for _, st := range l.Statements {
			if let, ok := st.Body.(*syntax.Let); ok && let.Name == n.Expr.Name && let.Value != nil {
				return let.Value
			}
		}
	}
	return n
}

// kind is the JSON type of a value, as far as it can be told; Ref where it
// cannot.
func (rd *reader) kind(n *syntax.Node) syntax.NodeKind {
	n = rd.resolve(n)
	if n.Kind == syntax.Ref && n.Expr.Name == "turn" && !n.Expr.Call {
		return syntax.Number
	}
	return n.Kind
}
