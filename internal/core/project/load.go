// Package project reads the files of a run: scenario files, the project.upath
// above them, the files they use and the rows they name. It knows where every
// name is bound, and all that can be said about the files before anything is
// sent.
package project

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Extension is that of scenario files; ConfigName is the project's own file.
const (
	Extension  = ".upath"
	ConfigName = "project.upath"
)

// File is one scenario file.
type File struct {
	*syntax.File
	// Path is where it is; Source.Name is how it is shown.
	Path string
	// Uses are the files it uses, directly.
	Uses []*File
	// Broken tells that some of it could not be read: statements may be without
	// what they should hold.
	Broken bool
	// scenarios are what it holds to run.
	scenarios []*Scenario
	// lines are those of the resource that each scenario of a derived file comes
	// from, in order; empty for a file that was read.
	lines []derivedLine
}

// derivedLine tells the line of what stands before an offset.
type derivedLine struct{ end, line int }

// Line is where a statement is: the line of the resource that gave rise to it,
// for a derived one.
func (f *File) Line(st *syntax.Statement) int {
	for _, l := range f.lines {
		if st.Span.Start < l.end {
			return l.line
		}
	}
	return f.Source.Position(st.Span.Start).Line
}

// Digest tells whether two runs were of the same files.
func (p *Project) Digest() string {
	sum := sha256.New()
	for _, f := range p.loaded {
		// A hash takes whatever is written.
		fmt.Fprintf(sum, "%s\x00%s\x00", f.Source.Name, f.Source.Text)
	}
	return hex.EncodeToString(sum.Sum(nil)[:12])
}

// Derived tells whether the file's scenarios were derived.
func (f *File) Derived() bool { return len(f.lines) > 0 }

// Dir is the folder that names in the file are relative to.
func (f *File) Dir() string { return filepath.Dir(f.Path) }

// Project is all the files of a run. Once it is loaded nothing in it changes,
// so any number of workers may share it.
type Project struct {
	// Root is the folder that files named in scenarios stay inside.
	Root string
	// Config is project.upath, or nil.
	Config *File
	// Files are the files with scenarios to run, in order, each with what was
	// derived from it behind it.
	Files []*File
	// Diagnostics are what the files gave rise to, sorted.
	Diagnostics source.Diagnostics
	// Environment is the name of the chosen environment, or "".
	Environment string
	// Let are values from outside, by name.
	Let map[string]*value.Value
	// Thorough asks what is derived for more combinations.
	Thorough bool

	layers map[*File][]Layer
	// preludes and finales are what runs once a run, by statement.
	preludes map[*syntax.Statement]*Prelude
	finales  map[*syntax.Statement]*Scenario
	loaded   []*File
	data     *contents
	// env are the variables of `env file`, envFile its name.
	env     map[string]string
	envFile string
}

// Derived is a file of scenarios that a statement of another gave rise to.
type Derived struct {
	From *File
	Tree *syntax.File
	// At is the line that gave rise to a statement of the tree.
	At func(st *syntax.Statement) *syntax.Statement
}

// Options choose what Load looks at.
type Options struct {
	// Environment is the chosen one; "" for the default, or none.
	Environment string
	// Let are values from outside, which win over those that files bind.
	Let map[string]*value.Value
	// Thorough asks what is derived for more combinations.
	Thorough bool
	// Wanted tells which derived checks are put together, by the resource's name and
	// their ids; nil for all.
	Wanted func(resource, id string) bool
	// Counted reads what is there, and derives nothing.
	Counted bool
	// Overlay holds texts in place of files, by absolute path (editors).
	Overlay map[string]string
	// Shown is how a path is shown; nil for as it was given.
	Shown func(path string) string
	// Derive gives the scenarios that statements give rise to, and what is wrong
	// with these statements; nil for none. It is asked when all files were read.
	Derive func(p *Project) ([]Derived, source.Diagnostics)
}

// loader puts a project together.
type loader struct {
	*Project
	o     Options
	files map[string]*File
	// stack are the files that are being read, each used by the one before it.
	stack []string
	// lonely are files that say `alone`, or not, as far as that was asked.
	lonely map[*File]bool
}

// Load reads paths: files, and folders with all the scenario files below them.
func Load(paths []string, o Options) *Project {
	p := &loader{Project: &Project{layers: map[*File][]Layer{}, preludes: map[*syntax.Statement]*Prelude{}, finales: map[*syntax.Statement]*Scenario{}, data: newContents(o.Overlay), env: map[string]string{}, Environment: o.Environment, Let: o.Let, Thorough: o.Thorough}, o: o, files: map[string]*File{}}
	var found []string
	for _, path := range paths {
		found = append(found, p.expand(path)...)
	}
	absolute := func(path string) string {
		if abs, err := filepath.Abs(path); err == nil {
			return abs
		}
		return path
	}
	// What files may name depends on where the project ends.
	for _, path := range found {
		if p.Config == nil {
			p.findConfig(absolute(path), path)
		}
	}
	if p.Root == "" && len(found) > 0 {
		p.Root = filepath.Dir(absolute(found[0]))
		for _, f := range found {
			p.Root = common(p.Root, filepath.Dir(absolute(f)))
		}
	}
	seen := map[string]bool{}
	for _, path := range found {
		abs := absolute(path)
		if seen[abs] {
			continue
		}
		seen[abs] = true
		p.findConfig(abs, path)
		if filepath.Base(path) == ConfigName {
			continue
		}
		if f := p.read(abs, path); f != nil {
			p.Files = append(p.Files, f)
		}
	}
	for _, f := range p.files {
		p.loaded = append(p.loaded, f)
		p.layers[f] = p.layersOf(f)
	}
	slices.SortFunc(p.loaded, func(a, b *File) int { return strings.Compare(a.Path, b.Path) })
	p.readEnvFile()
	p.once()
	p.check()
	p.Diagnostics = withoutFollowUps(p.Diagnostics).Sort()
	p.derive()
	return p.Project
}

// derive adds what statements give rise to, unless there are mistakes.
func (p *loader) derive() {
	if p.o.Derive == nil {
		return
	}
	list, diags := p.o.Derive(p.Project)
	p.Diagnostics = append(p.Diagnostics, diags...).Sort()
	if p.Diagnostics.Errors() > 0 {
		return
	}
	behind := map[*File][]*File{}
	for _, d := range list {
		f := &File{File: d.Tree, Path: d.From.Path, Uses: []*File{d.From}}
		for _, st := range d.Tree.Statements {
			f.lines = append(f.lines, derivedLine{st.Span.End, d.From.Line(d.At(st))})
		}
		p.collect(f)
		p.layers[f] = p.layersOf(f)
		behind[d.From] = append(behind[d.From], f)
	}
	var all []*File
	for _, f := range p.Files {
		all = append(append(all, f), behind[f]...)
	}
	p.Files = all
}

// mostUses bounds how deep files use one another.
const mostUses = 200

// withoutFollowUps drops the warnings about files with errors: most would only be
// a follow-up of those.
func withoutFollowUps(list source.Diagnostics) source.Diagnostics {
	spoiled := map[string]bool{}
	for _, d := range list {
		spoiled[d.File.Name] = spoiled[d.File.Name] || d.Severity == source.Error
	}
	var out source.Diagnostics
	for _, d := range list {
		if d.Severity == source.Error || !spoiled[d.File.Name] {
			out = append(out, d)
		}
	}
	return out
}

// common is the deepest folder that holds both.
func common(a, b string) string {
	for a != b && !strings.HasPrefix(b+string(filepath.Separator), strings.TrimSuffix(a, string(filepath.Separator))+string(filepath.Separator)) {
		up := filepath.Dir(a)
		if up == a {
			return a
		}
		a = up
	}
	return a
}

// whole reports something about a file as such.
func (p *loader) whole(name, message, hint string) {
	p.Diagnostics = append(p.Diagnostics, source.Diagnostic{
		File: source.NewFile(name, ""), Message: message, Hint: hint, Whole: true})
}

// expand is the files a path stands for.
func (p *loader) expand(path string) []string {
	info, err := os.Stat(path)
	if err != nil {
		if abs, e := filepath.Abs(path); e == nil && p.data.has(abs) {
			return []string{path}
		}
		p.missing(path, err)
		return nil
	}
	if !info.IsDir() {
		if filepath.Ext(path) != Extension {
			p.whole(path, "this is not a scenario file", "scenario files end in "+Extension)
			return nil
		}
		return []string{path}
	}
	var out []string
	err = filepath.WalkDir(path, func(at string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			p.whole(at, "cannot be read: "+reason(err), "")
		case d.IsDir() && at != path && strings.HasPrefix(d.Name(), "."):
			return filepath.SkipDir
		case !d.IsDir() && filepath.Ext(at) == Extension:
			if d.Type()&fs.ModeSymlink != 0 && !inside(path, at) {
				p.whole(at, "this link leads outside the folder", "name the file itself, if you mean it")
				return nil
			}
			out = append(out, at)
		}
		return nil
	})
	if err != nil {
		p.whole(path, "cannot be read: "+reason(err), "")
	}
	slices.Sort(out)
	real := 0
	for _, f := range out {
		if filepath.Base(f) != ConfigName {
			real++
		}
	}
	if real == 0 {
		p.whole(path, "there are no scenario files in this folder", "name a folder with "+Extension+" files, or write one")
	}
	return out
}

// inside tells whether what a link leads to is in a folder.
func inside(folder, link string) bool {
	folder, err1 := filepath.EvalSymlinks(folder)
	real, err2 := filepath.EvalSymlinks(link)
	if err1 != nil || err2 != nil {
		// What leads nowhere is told when it is read.
		return true
	}
	rel, err := filepath.Rel(folder, real)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

func (p *loader) missing(path string, err error) {
	hint := ""
	if errors.Is(err, fs.ErrNotExist) {
		var near []string
		entries, _ := os.ReadDir(filepath.Dir(path))
		for _, e := range entries {
			if filepath.Ext(e.Name()) == Extension || e.IsDir() {
				near = append(near, e.Name())
			}
		}
		base := filepath.Base(path)
		if n := source.Nearest(base, near); n != "" {
			hint = "did you mean " + filepath.Join(filepath.Dir(path), n) + "?"
		} else if n := source.Nearest(base+Extension, near); n != "" {
			hint = "did you mean " + filepath.Join(filepath.Dir(path), n) + "?"
		}
		p.whole(path, "there is no such file or folder", hint)
		return
	}
	p.whole(path, "cannot be read: "+reason(err), "")
}

// reason is an error without the path, which comes before it already.
func reason(err error) string {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}

// findConfig looks for project.upath beside a file and above it.
func (p *loader) findConfig(abs, shown string) {
	dir := filepath.Dir(abs)
	for {
		at := filepath.Join(dir, ConfigName)
		overlaid := p.data.has(at)
		if info, err := os.Stat(at); overlaid || err == nil && !info.IsDir() {
			if p.Config != nil && p.Config.Path != at {
				p.whole(shown, "this file belongs to another project than "+p.Config.Source.Name,
					"run the files of one project at a time")
				return
			}
			if p.Config == nil {
				p.Root = dir
				p.Config = p.read(at, beside(shown, abs, at))
				p.chooseDefault()
			}
			return
		}
		up := filepath.Dir(dir)
		if up == dir {
			return
		}
		dir = up
	}
}

// chooseDefault takes the default environment where none is chosen.
func (p *loader) chooseDefault() {
	if p.Config == nil || p.Environment != "" {
		return
	}
	for _, st := range p.Config.Statements {
		if e, is := st.Body.(*syntax.Environment); is && e.Default {
			p.Environment = e.Name
			return
		}
	}
}

// beside is how a file is shown, given how its neighbour is.
func beside(shown, abs, at string) string {
	rel, err := filepath.Rel(filepath.Dir(abs), at)
	if err != nil {
		return at
	}
	return filepath.Join(filepath.Dir(shown), rel)
}

// read parses a file and those it uses.
func (p *loader) read(abs, shown string) *File {
	if f, ok := p.files[abs]; ok {
		return f
	}
	data, err := p.data.read(abs)
	if err != nil {
		p.missing(shown, err)
		return nil
	}
	name := shown
	if p.o.Shown != nil {
		name = p.o.Shown(shown)
	}
	tree, diags := syntax.Parse(source.NewFile(name, string(data)))
	p.data.forget(abs)
	p.Diagnostics = append(p.Diagnostics, diags...)
	f := &File{File: tree, Path: abs, Broken: diags.Errors() > 0}
	p.files[abs] = f
	p.stack = append(p.stack, abs)
	for _, st := range tree.Statements {
		u, ok := st.Body.(*syntax.Use)
		if !ok || u.Path == nil {
			continue
		}
		name, plain := u.Path.Template.Plain()
		if !plain {
			continue
		}
		at, err := p.Resolve(f, name)
		if err != nil {
			p.say(f, u.Path.Span, err.Error(), "a file that is used is inside the project's folder")
			continue
		}
		if _, err := p.data.read(at); errors.Is(err, fs.ErrNotExist) {
			p.say(f, u.Path.Span, "there is no file "+name+" to use", "the name is relative to this file")
			continue
		} else if err != nil {
			p.say(f, u.Path.Span, name+" cannot be read: "+reason(err), "")
			continue
		}
		circle := false
		for _, s := range p.stack {
			circle = circle || s == at
		}
		if len(p.stack) == mostUses {
			p.say(f, u.Path.Span, fmt.Sprintf("files use one another more than %d deep", mostUses), "use what is needed directly")
			continue
		}
		if circle {
			p.say(f, u.Path.Span, name+" uses this file, directly or through others", "move what both need into a third file")
			continue
		}
		if used := p.read(at, beside(shown, abs, at)); used != nil {
			f.Uses = append(f.Uses, used)
		}
	}
	p.stack = p.stack[:len(p.stack)-1]
	return f
}

// Whole is the file and all that it uses, directly or through others, each once.
func (f *File) Whole() []*File {
	out := []*File{f}
	for i := 0; i < len(out); i++ {
		for _, u := range out[i].Uses {
			if !slices.Contains(out, u) {
				out = append(out, u)
			}
		}
	}
	return out
}

func (p *loader) say(f *File, at source.Span, message, hint string) {
	p.Diagnostics = append(p.Diagnostics, source.Diagnostic{File: f.Source, Span: at, Message: message, Hint: hint})
}

// mistaken tells whether a mistake has been told on the line of a place.
func (p *loader) mistaken(f *File, at source.Span) bool {
	line := f.Source.Position(at.Start).Line
	return slices.ContainsFunc(p.Diagnostics, func(d source.Diagnostic) bool {
		return d.Severity == source.Error && d.File == f.Source && f.Source.Position(d.Span.Start).Line == line
	})
}

// maybeBound tells whether a line with a mistake would bind a name if it were
// mended: then only that mistake is told.
func (p *loader) maybeBound(f *File, name string, at source.Span) bool {
	word := regexp.MustCompile(`\b` + regexp.QuoteMeta(name) + `\b`)
	files := []*source.File{f.Source}
	for _, l := range p.Layers(f) {
		files = append(files, l.File.Source)
	}
	for _, d := range p.Diagnostics {
		if d.Severity != source.Error || d.Whole || !slices.Contains(files, d.File) {
			continue
		}
		line := d.File.Line(d.File.Position(d.Span.Start).Line)
		first, _, _ := strings.Cut(strings.TrimSpace(line), " ")
		switch {
		case d.File == f.Source && f.Source.Position(d.Span.Start).Line == f.Source.Position(at.Start).Line:
		case first == "use" || first == "for" || word.MatchString(line):
			return true
		}
	}
	return false
}

func (p *loader) warn(f *File, at source.Span, message, hint string) {
	p.Diagnostics = append(p.Diagnostics, source.Diagnostic{Severity: source.Warning, File: f.Source, Span: at, Message: message, Hint: hint})
}

// Resolve is the path of a file named in a scenario file. It stays inside the
// project's folder.
func (p *Project) Resolve(f *File, name string) (string, error) {
	if filepath.IsAbs(name) {
		return "", fmt.Errorf("name files relative to the scenario file, not from the root")
	}
	at := filepath.Join(f.Dir(), name)
	root, err := filepath.EvalSymlinks(p.Root)
	if err != nil {
		root = p.Root
	}
	real, err := filepath.EvalSymlinks(at)
	if err != nil {
		real = at
	}
	if rel, err := filepath.Rel(p.Root, at); err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
		return "", fmt.Errorf("%s is outside the project's folder", name)
	}
	if rel, err := filepath.Rel(root, real); err == nil && (rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator))) {
		return "", fmt.Errorf("%s leads outside the project's folder", name)
	}
	return at, nil
}

// Read are the files that were read so far, by absolute path, sorted.
func (p *Project) Read() []string {
	out := p.data.names()
	for _, f := range p.loaded {
		if !slices.Contains(out, f.Path) {
			out = append(out, f.Path)
		}
	}
	slices.Sort(out)
	return out
}

// ReadFile reads a file named in a scenario file.
func (p *Project) ReadFile(f *File, name string) ([]byte, error) {
	at, err := p.Resolve(f, name)
	if err != nil {
		return nil, err
	}
	data, err := p.data.read(at)
	if err != nil {
		return nil, &fileError{name, err}
	}
	return data, nil
}

// fileError is a file that cannot be read.
type fileError struct {
	name string
	err  error
}

func (e *fileError) Error() string { return e.name + ": " + reason(e.err) }
func (e *fileError) Unwrap() error { return e.err }

// Find lists the files that paths stand for, project files among them.
func Find(paths []string) ([]string, source.Diagnostics) {
	p := &loader{Project: &Project{data: newContents(nil)}}
	var out []string
	for _, path := range paths {
		out = append(out, p.expand(path)...)
	}
	return out, p.Diagnostics
}
