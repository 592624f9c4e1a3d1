package traffic

import (
	"path/filepath"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
)

// Text is the drafted file, in canonical layout.
func (d *Draft) Text() string {
	text := d.Scenario
	for _, r := range d.Resources {
		text += "\n" + strings.Join(d.secrets.Lines(strings.Split(r.Text(), "\n")), "\n")
	}
	return draft.Canonical(text)
}

// mostMended bounds how many steps are left out since they cannot be read.
const mostMended = 200

// Vet reads the draft as a run would, below the text of its project file, and leaves out what
// has an error, with a note: a recording may hold anything.
func (d *Draft) Vet(head string) {
	for range mostMended {
		text := d.Text()
		dir, _ := filepath.Abs("drafted-of-a-recording")
		file := filepath.Join(dir, "recorded"+project.Extension)
		p, _ := resource.Load([]string{file}, project.Options{Overlay: map[string]string{file: text, filepath.Join(dir, project.ConfigName): head}})
		wrong := -1
		why := ""
		for _, one := range p.Diagnostics {
			if one.Severity == source.Error && one.File.Name == filepath.Base(file) || one.Severity == source.Error && strings.HasSuffix(one.File.Name, "recorded"+project.Extension) {
				wrong, why = one.Span.Start, one.Message
				break
			}
		}
		if wrong < 0 || !d.without(text, wrong, why) {
			return
		}
	}
}

// without leaves out the step or the resource around an offset of the text.
func (d *Draft) without(text string, offset int, why string) bool {
	tree, _ := syntax.Parse(source.NewFile("recorded", text))
	for i, st := range tree.Statements {
		next := len(text)
		if i+1 < len(tree.Statements) {
			next = tree.Statements[i+1].Span.Start
		}
		if offset < st.Span.Start || offset >= next {
			continue
		}
		if b, is := st.Body.(*syntax.Resource); is {
			for k, r := range d.Resources {
				if r.Name == b.Name {
					d.Resources = append(d.Resources[:k:k], d.Resources[k+1:]...)
					d.Notes = append(d.Notes, "resource "+r.Name+" could not be drafted: "+why+".")
					return true
				}
			}
			return false
		}
		for k, c := range st.Children {
			stop := next
			if k+1 < len(st.Children) {
				stop = st.Children[k+1].Span.Start
			}
			if offset >= c.Span.Start && offset < stop && syntax.Is[*syntax.Step](c) && syntax.Is[*syntax.Scenario](st) {
				whole := draft.Canonical(d.Scenario)
				if stop > len(whole) {
					stop = len(whole)
				}
				if !strings.HasPrefix(text, whole[:stop]) {
					return false
				}
				d.Scenario = strings.TrimRight(whole[:c.Span.Start], " ") + whole[stop:]
				d.Notes = append(d.Notes, "Step \""+syntax.StepTitle(c)+"\" could not be drafted: "+why+".")
				return true
			}
		}
	}
	return false
}
