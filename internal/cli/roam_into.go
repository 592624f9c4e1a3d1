package cli

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/roam"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// addFound writes scenarios behind those that a file holds already, but none that
// it has under the same title. It gives how many were added.
func addFound(name string, list []*resource.Resource, found []*roam.Finding) (int, error) {
	before, err := os.ReadFile(name)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return 0, err
	}
	text := string(before)
	tree, diags := syntax.Parse(source.NewFile(name, text))
	if diags.Errors() > 0 {
		return 0, errors.New(name + " has mistakes: usualpath lint " + name)
	}
	has, uses := map[string]bool{}, map[string]bool{}
	for _, st := range tree.Statements {
		switch b := st.Body.(type) {
		case *syntax.Scenario:
			has[b.Title.Template.Raw] = true
		case *syntax.Use:
			path, _ := b.Path.Template.Plain()
			uses[path] = true
		}
	}
	head, body, n := "", "", 0
	for _, f := range found {
		if f.Text == "" || has[strings.TrimSuffix(strings.TrimPrefix(syntax.Quoted(f.Title), `"`), `"`)] {
			continue
		}
		for _, r := range list {
			if r.Name != f.Resource {
				continue
			}
			use := r.File.Path
			if to, err := filepath.Abs(name); err == nil {
				if rel, err := filepath.Rel(filepath.Dir(to), r.File.Path); err == nil {
					use = filepath.ToSlash(rel)
				}
			}
			if !uses[use] && use != filepath.Base(name) {
				uses[use] = true
				head += "use " + syntax.Quoted(use) + "\n"
			}
		}
		body += "\n" + f.Text
		n++
	}
	if n == 0 {
		return 0, nil
	}
	if text == "" {
		text = "# What roaming has found: each of these fails until it is mended.\n" + head + body
	} else {
		text = head + strings.TrimRight(text, "\n") + "\n" + body
	}
	tree, diags = syntax.Parse(source.NewFile(name, text))
	if diags.Errors() > 0 {
		return 0, errors.New("what was found cannot be read: " + diags[0].Message)
	}
	out, err := source.NewWhole(name)
	if err != nil {
		return 0, err
	}
	if _, err := io.WriteString(out, syntax.Print(tree)); err != nil {
		out.Drop()
		return 0, err
	}
	return n, out.Close()
}
