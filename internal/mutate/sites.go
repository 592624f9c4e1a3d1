package main

import (
	"bytes"
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/tools/go/packages"
)

// site is a place where the code can be broken in one way.
type site struct {
	// id counts the sites of a package, file and line are where it is, in is its function, and
	// what and text say how it is broken and what stands there.
	id             int
	file, in, what string
	line           int
	text           string
	edits          []edit
}

// name tells a site from all others while its code stays as it is, wherever that moves.
func (s *site) name() string {
	return fmt.Sprintf("%s %s: %s: %s", filepath.Base(s.file), s.in, s.what, s.text)
}

// edit puts text in place of what stands from one offset of a file to another. Of those that begin
// at one place the outer ones come first, and of those that end there last.
type edit struct {
	from, to int
	text     string
	outer    int
}

// finder walks the files of a package.
type finder struct {
	p    *packages.Package
	src  []byte
	file string
	in   string
	// results are those of the functions around.
	results []*ast.FieldList
	sites   []*site
}

// find gives all sites of a package.
func find(p *packages.Package, read func(string) ([]byte, error)) ([]*site, error) {
	f := &finder{p: p}
	for i, syntax := range p.Syntax {
		f.file = p.CompiledGoFiles[i]
		var err error
		if f.src, err = read(f.file); err != nil {
			return nil, err
		}
		for _, d := range syntax.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || fn.Body == nil {
				continue
			}
			f.in = fn.Name.Name
			if fn.Recv != nil {
				f.in = strings.TrimLeft(f.text(fn.Recv.List[0].Type), "*") + "." + f.in
			}
			f.results = []*ast.FieldList{fn.Type.Results}
			ast.Walk(f, fn.Body)
		}
	}
	for i, s := range f.sites {
		s.id = i + 1
	}
	return f.sites, nil
}

// Visit finds the sites of a node.
func (f *finder) Visit(n ast.Node) ast.Visitor {
	switch n := n.(type) {
	case *ast.FuncLit:
		inner := *f
		inner.results = append(slices.Clone(f.results), n.Type.Results)
		inner.sites = nil
		ast.Walk(&inner, n.Body)
		f.sites = append(f.sites, inner.sites...)
		return nil
	case *ast.IfStmt:
		f.negate(n.Cond)
	case *ast.ForStmt:
		f.negate(n.Cond)
	case *ast.SwitchStmt:
		if n.Tag == nil {
			for _, c := range n.Body.List {
				for _, e := range c.(*ast.CaseClause).List {
					f.negate(e)
				}
			}
		}
	case *ast.BinaryExpr:
		f.binary(n)
	case *ast.BlockStmt:
		f.statements(n.List)
	case *ast.CaseClause:
		f.statements(n.Body)
	case *ast.CommClause:
		f.statements(n.Body)
	}
	return f
}

func (f *finder) at(p token.Pos) int { return f.p.Fset.Position(p).Offset }

func (f *finder) text(n ast.Node) string { return string(f.src[f.at(n.Pos()):f.at(n.End())]) }

// add takes a site in; the text of each edit has %d for its number.
func (f *finder) add(n ast.Node, what string, edits ...edit) {
	size := f.at(n.End()) - f.at(n.Pos())
	for i := range edits {
		edits[i].outer = size
	}
	text := strings.Join(strings.Fields(f.text(n)), " ")
	if len(text) > 100 {
		text = strings.ToValidUTF8(text[:100], "") + "…"
	}
	f.sites = append(f.sites, &site{file: f.file, in: f.in, what: what, line: f.p.Fset.Position(n.Pos()).Line, text: text, edits: edits})
}

// around puts text before and behind a node.
func (f *finder) around(n ast.Node, before, behind string) []edit {
	from, to := f.at(n.Pos()), f.at(n.End())
	return []edit{{from: from, to: from, text: before}, {from: to, to: to, text: behind}}
}

// boolean tells of an expression whose value is a plain bool that is not known beforehand.
func (f *finder) boolean(e ast.Expr) bool {
	v, ok := f.p.TypesInfo.Types[e]
	if !ok || v.Value != nil {
		return false
	}
	b, ok := v.Type.(*types.Basic)
	return ok && b.Info()&types.IsBoolean != 0
}

// negate turns a condition round. One that says so already, or that joins others, is broken there.
func (f *finder) negate(e ast.Expr) {
	if e == nil || !f.boolean(e) {
		return
	}
	if b, ok := e.(*ast.BinaryExpr); ok && (b.Op == token.LAND || b.Op == token.LOR) {
		f.negate(b.X)
		f.negate(b.Y)
		return
	}
	f.add(e, "negated", f.around(e, "mutantNot_(%d, ", ")")...)
}

// binary swaps && and ||, and moves a bound by one.
func (f *finder) binary(b *ast.BinaryExpr) {
	op := map[token.Token]string{token.LAND: "mutantAnd_", token.LOR: "mutantOr_", token.LSS: "mutantLess_", token.LEQ: "mutantAtMost_", token.GTR: "mutantMore_", token.GEQ: "mutantAtLeast_"}[b.Op]
	if op == "" || !f.boolean(b) {
		return
	}
	from := f.at(b.OpPos)
	to := from + len(b.Op.String())
	edits := f.around(b, op+"(%d, ", ")")
	if b.Op == token.LAND || b.Op == token.LOR {
		edits = append(f.around(b, op+"(%d, ", ") })"), edit{from: from, to: to, text: ", func() bool { return ("})
		f.add(b, "&& and || swapped", edits...)
		return
	}
	f.add(b, "bound moved", append(edits, edit{from: from, to: to, text: ","})...)
}

// quiet are calls whose absence no test can see alone: it shows under the race detector.
var quiet = []string{"Lock", "Unlock", "RLock", "RUnlock"}

// statements drops statements, and makes functions return nothing.
func (f *finder) statements(list []ast.Stmt) {
	for _, st := range list {
		switch st := st.(type) {
		case *ast.ReturnStmt:
			f.returns(st)
			continue
		case *ast.ExprStmt:
			call, ok := st.X.(*ast.CallExpr)
			if !ok || f.text(call.Fun) == "panic" || f.quiet(call) {
				continue
			}
		case *ast.DeferStmt:
			if f.quiet(st.Call) {
				continue
			}
		case *ast.AssignStmt:
			if st.Tok == token.DEFINE || f.blank(st) {
				continue
			}
		case *ast.IncDecStmt, *ast.SendStmt, *ast.GoStmt:
		case *ast.BranchStmt:
			if st.Tok != token.BREAK && st.Tok != token.CONTINUE {
				continue
			}
		default:
			continue
		}
		f.add(st, "dropped", f.around(st, "if !mutantOn_(%d) { ", " }")...)
	}
}

func (f *finder) quiet(c *ast.CallExpr) bool {
	s, ok := c.Fun.(*ast.SelectorExpr)
	return ok && slices.Contains(quiet, s.Sel.Name)
}

// blank tells of an assignment to nothing.
func (f *finder) blank(st *ast.AssignStmt) bool {
	return !slices.ContainsFunc(st.Lhs, func(e ast.Expr) bool { return f.text(e) != "_" })
}

// returns makes a function return the zero value.
func (f *finder) returns(st *ast.ReturnStmt) {
	results := f.results[len(f.results)-1]
	if results == nil || len(st.Results) == 0 {
		return
	}
	zero := true
	for _, e := range st.Results {
		v := f.p.TypesInfo.Types[e]
		text := f.text(e)
		zero = zero && (v.IsNil() || v.Value != nil && slices.Contains([]string{"false", "0", `""`}, v.Value.ExactString()) || bytes.HasSuffix([]byte(text), []byte("{}")) && !strings.HasPrefix(text, "&") && !strings.HasPrefix(text, "["))
	}
	if zero {
		return
	}
	var all []string
	for _, field := range results.List {
		for range max(1, len(field.Names)) {
			all = append(all, "*new("+f.text(field.Type)+")")
		}
	}
	from := f.at(st.Pos())
	f.add(st, "zero returned", edit{from: from, to: from, text: "if mutantOn_(%d) { return " + strings.Join(all, ", ") + " }; "})
}
